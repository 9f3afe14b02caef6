"""The mix by hand, on top of what is prepared (rules M5 to M7).

A part is a stem (``stem:ID``), ``click``, ``cues`` or a feed (``feed:ID``); or of the tone of a feed its lows, its middle or
its highs (``low:ID``, ``mid:ID``, ``high:ID``), which have a level alone, on top of the prepared one (rule M8). A stem that is
treated has them too (``low:stem:ID``), a low and a high sweep (``low_sweep:stem:ID``, from 0 to 100 per cent), the level of
its echo (``echo:stem:ID``), which may be out as well, and its gate and its drive (``gate:stem:ID``), which are in or out alone.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import dataclass
from typing import Literal, NamedTuple

from upbeat.song.stems import Stem

#: ``out``: taken out by hand; ``rests``: its player is on. ``nobody``: it covers no player. ``fallback``: kept for the fallback;
#: ``replaced``: the full mix plays instead. ``rehearsal``: it sounds in monitors alone; ``waits``: a layer that is brought in by hand.
Standing = Literal[
    "sounds", "out", "rests", "rehearsal", "fallback", "pad", "muted", "waits", "nobody", "tacet", "replaced"
]
AUDIBLE: tuple[Standing, ...] = ("sounds", "rehearsal")
PartWhen = Literal["at_once", "next_bar", "section_end"]


TONES = {"low": "lows", "mid": "middle", "high": "highs"}
SWEEPS = {"low_sweep": "low sweep", "high_sweep": "high sweep"}
ECHO = "echo"
LEAST_SHARE = 1e-4  # of what a change set out from, that still counts: -80 dB
SWITCHES = {"gate": "gate", "drive": "drive"}
#: How a part is measured by hand: ``level`` in dB or off, ``tone`` in dB alone, ``sweep`` in per cent, ``switch`` in or out.
Scale = Literal["level", "tone", "sweep", "switch"]


def scale_of(part: str) -> Scale:
    """How a part is measured by hand."""
    kind = part.partition(":")[0]
    scales: dict[str, Scale] = {**dict.fromkeys(TONES, "tone"), **dict.fromkeys(SWEEPS, "sweep")}
    return (scales | dict.fromkeys(SWITCHES, "switch")).get(kind, "level")


def is_processed(part: str) -> bool:
    """Whether a part is of what a stem or a feed goes through, and none of its level."""
    return part.partition(":")[0] in (*TONES, *SWEEPS, ECHO, *SWITCHES)


def through(stem: Stem) -> dict[str, str]:
    """What can be set by hand of what a stem goes through: the kind of each part, with words. Empty without a treatment.

    An echo, a gate and a drive are among it where the stem has them somewhere.
    """
    if not stem.treated:
        return {}
    had = {kind for kind in (ECHO, *SWITCHES) if any(getattr(t, kind) for t in stem.all_treatments)}
    return TONES | SWEEPS | {kind: words for kind, words in {ECHO: "echo", **SWITCHES}.items() if kind in had}


class PlayerTonight(NamedTuple):
    """A player of whom it was said on the spot that they are on, or away."""

    player: str
    on: bool


def away_with(away: Collection[str], said: Iterable[PlayerTonight]) -> frozenset[str]:
    """The players who are away, once some of them are said to be on and others away."""
    known = {p.player: p.on for p in said}
    return frozenset(a for a in away if not known.get(a, False)) | {p for p, on in known.items() if not on}


class PartByHand(NamedTuple):
    """``db``: on top of the prepared level, None for off, and of a sweep how far it is in per cent; ``on``: in or out, None for as prepared."""

    part: str
    db: float | None = 0.0
    on: bool | None = None

    @property
    def as_prepared(self) -> bool:
        return self.db == 0 and self.on is None


class Move(NamedTuple):
    """A change under way: from ``was`` at output frame ``frame`` to what is now, over ``frames``.

    ``earlier``: of one that set out in the midst of another, what that one came from, with the share of it that was left.
    """

    was: PartByHand
    frame: int
    frames: int
    earlier: tuple[tuple[PartByHand, float], ...] = ()

    @property
    def set_out_from(self) -> tuple[tuple[PartByHand, float], ...]:
        """What it set out from, with the share of each; together they are 1."""
        return ((self.was, 1 - sum(share for _, share in self.earlier)), *self.earlier)

    @property
    def end(self) -> int:
        return self.frame + self.frames


class Waiting(NamedTuple):
    """A part that will come in or go out at output frame ``frame``; None: with the present section.

    ``on`` None: as prepared. ``beats``: counted beats it takes.
    """

    part: str
    on: bool | None
    beats: float
    frame: int | None = None


class Hand(NamedTuple):
    """``tones_off``: nothing has its tone, gate, drive or echo (rule M8). ``alone``: parts that are heard alone where that is asked for; ``alone_in_house``: in the house too.

    ``moves`` and ``waiting`` belong to the frames of one load of a show, all else to the night.
    """

    house_pulled: bool = False
    fallback: bool = False
    line_up: tuple[PlayerTonight, ...] = ()
    parts: tuple[PartByHand, ...] = ()
    alone: tuple[str, ...] = ()
    alone_in_house: bool = False
    moves: tuple[Move, ...] = ()
    waiting: tuple[Waiting, ...] = ()
    tones_off: bool = False

    @property
    def settled(self) -> Hand:
        """Where it leads, once nothing moves or waits any more."""
        return self._replace(moves=(), waiting=()) if self.moves or self.waiting else self

    @property
    def of_levels(self) -> Hand:
        """What the levels of sources and feeds follow from; of what they go through only gates and drives, which choose what is read."""
        parts = tuple(p for p in self.parts if not is_processed(p.part) or scale_of(p.part) == "switch")
        return self.settled._replace(parts=parts, tones_off=False)

    def part(self, name: str) -> PartByHand:
        return next((p for p in self.parts if p.part == name), PartByHand(name))


@dataclass(frozen=True)
class HandChange:
    """The mix by hand from output frame ``frame`` on."""

    frame: int
    hand: Hand


def moved(hand: Hand, now: PartByHand, frame: int, frames: int) -> Hand:
    """``hand`` with a part changed at an output frame, over ``frames``."""
    others = tuple(p for p in hand.parts if p.part != now.part)
    parts = others if now.as_prepared else tuple(sorted((*others, now), key=lambda p: p.part))
    last = next((m for m in hand.moves if m.was.part == now.part and m.frame < frame < m.end), None)
    earlier = () if last is None else _left_of(last, frame)
    moves = (*(m for m in hand.moves if m.was.part != now.part), Move(hand.part(now.part), frame, frames, earlier))
    return hand._replace(parts=parts, moves=moves)


def _left_of(move: Move, frame: int) -> tuple[tuple[PartByHand, float], ...]:
    """What a change still has at an output frame of what it set out from."""
    left = (move.end - frame) / move.frames
    return tuple((part, share * left) for part, share in move.set_out_from if share * left > LEAST_SHARE)


def without_waiting(hand: Hand, part: str) -> Hand:
    """``hand`` where nothing waits for a part any more."""
    return hand._replace(waiting=tuple(w for w in hand.waiting if w.part != part))


def left_at(hand: Hand, seam: int) -> Hand:
    """``hand`` once it is decided that the present section is left at output frame ``seam``."""
    if all(w.frame is not None and w.frame <= seam for w in hand.waiting):
        return hand
    due = tuple(w._replace(frame=seam if w.frame is None else min(seam, w.frame)) for w in hand.waiting)
    return hand._replace(waiting=due)


def over(hand: Hand, frame: int) -> Hand:
    """``hand`` without the changes that are complete at an output frame."""
    if all(m.end > frame for m in hand.moves):
        return hand
    return hand._replace(moves=tuple(m for m in hand.moves if m.end > frame))


def before(hand: Hand, move: Move) -> list[tuple[Hand, float]]:
    """``hand`` with one of its changes under way undone: what it set out from, with the share of each."""
    return [(moved(hand, part, move.frame, 0), share) for part, share in move.set_out_from]
