"""What a stem goes through on its way to the feeds: gate, drive, tone and echo (rule M8)."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal, get_args

import msgspec

from upbeat.arguments import parsed
from upbeat.limits import (
    DRIVE_DB,
    ECHO_DB,
    ECHO_FALL_DB,
    ECHO_REPEATS,
    GATE_DB,
    GATE_RELEASE_MS,
    Range,
)
from upbeat.song.tone import PURPOSES, Tone

#: After how many counted beats an echo comes.
EchoBeats = Literal["1/4", "1/3", "1/2", "2/3", "3/4", "1", "3/2", "2"]
ECHO_BEATS: tuple[EchoBeats, ...] = get_args(EchoBeats)


def _within(allowed: Range) -> Any:
    return msgspec.Meta(ge=allowed.low, le=allowed.high)


class Gate(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """Silent where the file stays below ``opens_db`` (dBFS); ``release_ms``: how long it takes to close."""

    opens_db: Annotated[float, _within(GATE_DB)] = -45.0
    release_ms: Annotated[float, _within(GATE_RELEASE_MS)] = 150.0


class Drive(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """Rounded off as by an amplifier that is driven by so many dB too much."""

    db: Annotated[float, _within(DRIVE_DB)] = 12.0


class Echo(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """``repeats`` of what sounds, one every ``beats``: the first ``db`` beside it, each ``fall_db`` softer than the one before."""

    beats: EchoBeats = "1"
    db: Annotated[float, _within(ECHO_DB)] = -9.0
    repeats: Annotated[int, _within(ECHO_REPEATS)] = 3
    fall_db: Annotated[float, _within(ECHO_FALL_DB)] = 6.0


class Treatment(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """In this order; None for one that it does not have. One that has nothing is prepared to be set by hand."""

    gate: Gate | None = None
    drive: Drive | None = None
    tone: Tone | None = None
    echo: Echo | None = None


PLAIN = Treatment()
#: Treatments by what they are for, beside the tones.
TREATMENTS: dict[str, Treatment] = {
    **{name: Treatment(tone=tone) for name, tone in PURPOSES.items()},
    "less_spill": Treatment(gate=Gate()),
    "rough": Treatment(drive=Drive(db=15), tone=Tone(low_cut_hz=100, high_cut_hz=8000)),
    "radio": Treatment(drive=Drive(db=9), tone=Tone(low_cut_hz=400, mid_db=6, mid_hz=1800, high_cut_hz=3500)),
    "echoes": Treatment(echo=Echo()),
    "thrown": Treatment(echo=Echo(beats="3/4", db=-4, repeats=5, fall_db=4), tone=Tone(low_cut_hz=200)),
}


def read_treatment(raw: Mapping[str, Any] | None, name: str) -> Treatment | None:
    """The treatment of a stem, from plain data; None for one that has none. Raises :class:`Refused`."""
    return None if raw is None else parsed(raw, Treatment, f"The tone of “{name}”")
