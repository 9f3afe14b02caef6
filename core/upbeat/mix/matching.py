"""Songs made equally loud: gains against a target that keep the true peak in bounds."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from upbeat.errors import refuse

CEILING_DBTP = -1.0  # EBU R 128: the maximum permitted true peak in production
TARGETS = (-36.0, -8.0)
GAINS = (-40.0, 20.0)


@dataclass(frozen=True)
class Loud:
    """A song as it is heard: integrated loudness and true peak, None where nothing sounds."""

    lufs: float | None
    peak_dbtp: float | None


@dataclass(frozen=True)
class Proposal:
    """A gain beside the present one. ``short_db``: how far the target is missed for the sake of the true peak."""

    gain_db: float
    lufs: float | None
    peak_dbtp: float | None
    short_db: float = 0.0


def checked_target(value: object) -> float:
    """A target in LUFS. Raises :class:`Refused`."""
    try:
        target = float(str(value).strip().replace(",", ".").replace("−", "-"))
    except ValueError:
        raise refuse("target-unreadable", f"“{value}” is not a loudness: type LUFS, such as -18.") from None
    if not TARGETS[0] <= target <= TARGETS[1]:
        raise refuse(
            "target-range",
            f"{target:+g} LUFS cannot be a target: a show lies between {TARGETS[0]:g} and {TARGETS[1]:g} LUFS.",
        )
    return target


def checked_gain(value: object) -> float:
    """How much louder a whole song is made, in dB to a hundredth. Raises :class:`Refused`."""
    gain_db = round(float(str(value)), 2)
    if not GAINS[0] <= gain_db <= GAINS[1]:
        raise refuse("gain-range", f"A song cannot be made {gain_db:+g} dB louder: {GAINS[0]:g} to {GAINS[1]:+g} dB.")
    return gain_db


def reachable(songs: Sequence[Loud], ceiling: float = CEILING_DBTP) -> float | None:
    """The loudest level that every song reaches with its true peak in bounds; None where none sounds."""
    return min(
        (s.lufs + ceiling - s.peak_dbtp for s in songs if s.lufs is not None and s.peak_dbtp is not None), default=None
    )


def set_target(songs: Sequence[Loud], ceiling: float = CEILING_DBTP) -> float | None:
    """The level to match a set at where none is given: the middle of the set, or as loud as all can be."""
    levels = sorted(s.lufs for s in songs if s.lufs is not None)
    most = reachable(songs, ceiling)
    if not levels or most is None:
        return None
    return min(levels[(len(levels) - 1) // 2], most)


def propose(song: Loud, target: float, ceiling: float = CEILING_DBTP) -> Proposal:
    """The gain that brings a song to the target, or as near as its true peak allows."""
    if song.lufs is None or song.peak_dbtp is None:
        return Proposal(0.0, None, None)
    wanted = target - song.lufs
    given = min(wanted, ceiling - song.peak_dbtp)
    # Rounded down, so that a hundredth does not pass the ceiling.
    given = _floor(given)
    return Proposal(
        given,
        song.lufs + given,
        song.peak_dbtp + given,
        max(0.0, round(wanted - given, 2)) if wanted - given > 0.011 else 0.0,
    )


def _floor(db: float) -> float:
    return int(db * 100 - (1 if db < 0 and db * 100 % 1 else 0)) / 100
