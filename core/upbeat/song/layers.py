"""Layers: loops with a metre and a tempo of their own, laid under a song (rule V3)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Any, Literal, get_args

from upbeat.errors import refuse
from upbeat.limits import LAYER_BARS, LAYER_BPM, LAYER_SEMITONES
from upbeat.time.meter import TimeSignature
from upbeat.time.tempo import parse_bpm

#: ``struck``: cut at its attacks; ``tonal``: stretched; ``held``: it goes round and round, whatever the tempo.
LayerKind = Literal["struck", "tonal", "held"]
KINDS: tuple[LayerKind, ...] = get_args(LayerKind)
#: How fast a loop goes beside the song: in half time, as it is written, in double time.
PACES = (Fraction(1, 2), Fraction(1), Fraction(2))


@dataclass(frozen=True, kw_only=True)
class Layer:
    """What a stem's file is where it is a loop: ``bars`` of a metre at ``bpm`` (quarter notes a minute) from its first frame on.

    ``attacks``: where something begins in it, in seconds; ``semitones``: how much higher it is heard than it is,
    without what is struck; ``pace``: one of :data:`PACES`.
    """

    kind: LayerKind = "struck"
    bars: int = 1
    meter: TimeSignature = field(default_factory=lambda: TimeSignature(4, 4))
    bpm: Fraction = Fraction(120)
    attacks: tuple[float, ...] = ()
    semitones: int = 0
    pace: Fraction = Fraction(1)

    def __post_init__(self) -> None:
        if self.bars not in LAYER_BARS:
            raise refuse("layer-bars", f"A loop has {LAYER_BARS} whole bars, not {self.bars}: say how many it has.")
        if float(self.bpm) not in LAYER_BPM:
            raise refuse("layer-tempo", f"A loop goes at {LAYER_BPM} quarter notes a minute, not {float(self.bpm):g}.")
        if self.semitones not in LAYER_SEMITONES:
            raise refuse("layer-key", f"A loop can be moved by {LAYER_SEMITONES} semitones, not {self.semitones:+g}.")
        if self.pace not in PACES:
            raise refuse("layer-pace", "A loop goes in half time, as it is written, or in double time.")

    @property
    def seconds(self) -> Fraction:
        """How long its bars last in its own tempo."""
        return self.bars * self.meter.quarters * 60 / self.bpm

    def moved(self, semitones: int) -> Layer:
        """In another key, an octave nearer where it would be moved too far; what is struck stays."""
        if self.kind == "struck" or not semitones:
            return self
        there = self.semitones + semitones
        return replace(
            self,
            semitones=there - 12
            if there > LAYER_SEMITONES.high
            else there + 12
            if there < LAYER_SEMITONES.low
            else there,
        )


def read_layer(raw: Mapping[str, Any] | None) -> Layer | None:
    """The layer of a stem in a show document. Raises :class:`Refused`."""
    if not raw:
        return None
    return Layer(
        kind=raw["kind"],
        bars=raw["bars"],
        meter=TimeSignature.parse(raw["meter"]),
        bpm=parse_bpm(raw["bpm"]),
        attacks=tuple(raw.get("attacks", ())),
        semitones=raw.get("semitones", 0),
        pace=Fraction(raw.get("pace", 1)).limit_denominator(2),
    )


def layer_document(layer: Layer) -> dict[str, Any]:
    """A layer as a show document has it."""
    return {
        "kind": layer.kind,
        "bars": layer.bars,
        "meter": str(layer.meter),
        "bpm": f"{float(layer.bpm):.6f}".rstrip("0").rstrip("."),
        "attacks": list(layer.attacks),
        "semitones": layer.semitones,
        "pace": float(layer.pace),
    }
