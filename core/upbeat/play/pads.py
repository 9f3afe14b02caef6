"""Pads between songs (rule P10): when each begins, and how it ends."""

from __future__ import annotations

from typing import NamedTuple

FADE_IN_S, FADE_OUT_S = 2.0, 1.0  # rule P10
LEAST_FADE_S = 0.05  # where the next bar 1 comes at once


class Pad(NamedTuple):
    """A pad that sounds from output frame ``start`` on, faded in over ``fade_in`` frames.

    ``end``: the frame at which it is silent, None until that is known; ``fade_out``: frames over which it fades before.
    """

    sound: str
    start: int
    fade_in: int
    end: int | None = None
    fade_out: int = 0


Pads = tuple[Pad, ...]


def begun(sound: str, start: int, sample_rate: int) -> Pad:
    """A pad that begins where a song has ended."""
    return Pad(sound, start, round(FADE_IN_S * sample_rate))


def ended(pads: Pads, end: int, known: int, sample_rate: int) -> Pads:
    """Those that go on are silent at output frame ``end``, the next bar 1; it is known from frame ``known`` on."""
    fade = min(round(FADE_OUT_S * sample_rate), max(end - known, round(LEAST_FADE_S * sample_rate)))
    return tuple(p if p.end is not None else p._replace(end=max(end, known + fade), fade_out=fade) for p in pads)


def faded(pads: Pads, frame: int, fade: int) -> Pads:
    """All fade out from an output frame on, but for those that do so already."""

    def one(p: Pad) -> Pad:
        fades = p.end is not None and frame >= p.end - p.fade_out
        return p if fades else p._replace(end=frame + fade, fade_out=fade)

    return tuple(map(one, pads))


def sounding(pads: Pads) -> bool:
    """Whether one sounds that nothing ends yet."""
    return any(p.end is None for p in pads)


def over(pads: Pads, frame: int) -> Pads:
    """Pads without those that are over at an output frame."""
    return tuple(p for p in pads if p.end is None or p.end > frame)
