"""Where a level by hand lies on a fader: as on the page's own (``web/src/stage/parts/parts.ts``)."""

from __future__ import annotations

from math import sqrt

from upbeat.limits import HAND_DB, SWEEP_PERCENT, TONE_DB
from upbeat.play.hand import Scale

PREPARED = 0.7  # the place of the prepared level
_OFF, _NEAR = 0.01, 0.012


def level_at(place: float, scale: Scale = "level") -> float | None:
    """The level in dB, to a tenth, at a place from 0 to 1; None for off, 0 near the prepared level.

    A tone goes in a straight line and has no off; nor has a sweep, in whole per cent.
    """
    if scale == "sweep":
        return float(round(SWEEP_PERCENT.high * place))
    if scale == "tone":
        db = TONE_DB.low + place * (TONE_DB.high - TONE_DB.low)
        return 0.0 if abs(place - 0.5) < _NEAR else round(db, 1)
    if place <= _OFF:
        return None
    if abs(place - PREPARED) < _NEAR:
        return 0.0
    if place < PREPARED:
        return round(HAND_DB.low * (1 - sqrt(place / PREPARED)), 1)
    return round(min(HAND_DB.high, HAND_DB.high * (place - PREPARED) / (1 - PREPARED)), 1)


def place_of(db: float | None, scale: Scale = "level") -> float:
    """The place, 0 to 1, of a level in dB (of a sweep in per cent); None for off."""
    if scale == "sweep":
        return (db or 0.0) / SWEEP_PERCENT.high
    if scale == "tone":
        return ((db or 0.0) - TONE_DB.low) / (TONE_DB.high - TONE_DB.low)
    if db is None:
        return 0.0
    if db <= 0:
        return PREPARED * max(0.0, 1 - db / HAND_DB.low) ** 2
    return PREPARED + (1 - PREPARED) * db / HAND_DB.high
