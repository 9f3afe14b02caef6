"""Tone of a stem or a feed: where it is cut, and how loud its lows, its middle and its highs are (rule M8)."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any

import msgspec
import numpy as np

from upbeat.arguments import parsed
from upbeat.limits import HIGH_CUT_HZ, LOW_CUT_HZ, MID_HZ, TONE_DB, Range

LOW_HZ, HIGH_HZ = 150.0, 6000.0  # where lows end and highs begin
Q = 0.7071  # Butterworth


def _within(allowed: Range) -> Any:
    return msgspec.Meta(ge=allowed.low, le=allowed.high)


class Tone(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """``low_cut_hz`` and ``high_cut_hz``: 12 dB an octave beyond them, None for no cut; ``mid_hz``: the middle of ``mid_db``."""

    low_cut_hz: Annotated[float, _within(LOW_CUT_HZ)] | None = None
    low_db: Annotated[float, _within(TONE_DB)] = 0.0
    mid_db: Annotated[float, _within(TONE_DB)] = 0.0
    mid_hz: Annotated[float, _within(MID_HZ)] = 800.0
    high_db: Annotated[float, _within(TONE_DB)] = 0.0
    high_cut_hz: Annotated[float, _within(HIGH_CUT_HZ)] | None = None


FLAT = Tone()
#: Tones by what they are for.
PURPOSES: dict[str, Tone] = {
    "less_boom": Tone(low_cut_hz=80, low_db=-4, mid_db=-2, mid_hz=250),
    "clearer_words": Tone(low_cut_hz=100, mid_db=3, mid_hz=2500, high_db=2),
    "warmer": Tone(low_db=3, high_db=-3),
    "telephone": Tone(low_cut_hz=400, mid_db=6, mid_hz=1500, high_cut_hz=3000),
    "under_water": Tone(low_db=4, high_cut_hz=500),
    "small_speakers": Tone(low_cut_hz=120, mid_db=-2, mid_hz=400, high_db=-2),
}


def read_tone(raw: Mapping[str, Any] | None, name: str) -> Tone | None:
    """The tone of a stem or a feed, from plain data; None for one that has none. Raises :class:`Refused`."""
    return None if raw is None else parsed(raw, Tone, f"The tone of “{name}”")


#: A filter as polynomials in s, highest power first: numerator and denominator.
Analog = tuple[tuple[float, float, float], tuple[float, float, float]]


def analog_filters(tone: Tone) -> list[Analog]:
    """The filters of a tone. Those that do nothing are left out.

    Cuts are Butterworth's of second order; shelves and peak as in R. Bristow-Johnson, Cookbook formulae for audio equalizer
    biquad filter coefficients (W3C Note, 2021), before its bilinear transform.
    """
    found: list[Analog] = []
    if tone.low_cut_hz is not None:
        w = 2 * np.pi * tone.low_cut_hz
        found.append(((1.0, 0.0, 0.0), (1.0, w / Q, w * w)))
    if tone.low_db:
        found.append(_shelf(tone.low_db, LOW_HZ, low=True))
    if tone.mid_db:
        w, a = 2 * np.pi * tone.mid_hz, 10 ** (tone.mid_db / 40)
        found.append(((1.0, w * a / Q, w * w), (1.0, w / (a * Q), w * w)))
    if tone.high_db:
        found.append(_shelf(tone.high_db, HIGH_HZ, low=False))
    if tone.high_cut_hz is not None:
        w = 2 * np.pi * tone.high_cut_hz
        found.append(((0.0, 0.0, w * w), (1.0, w / Q, w * w)))
    return found


def _shelf(db: float, hz: float, low: bool) -> Analog:
    w, a = 2 * np.pi * hz, 10 ** (db / 40)
    slope = np.sqrt(a) / Q * w
    if low:
        return (a, a * slope, a * a * w * w), (a, slope, w * w)
    return (a * a, a * slope, a * w * w), (1.0, slope, a * w * w)


def response_db(tone: Tone, hz: np.ndarray) -> np.ndarray:
    """How much louder each frequency is, in dB, as the analog filters have it."""
    power = np.ones(len(hz))
    for numerator, denominator in analog_filters(tone):
        power *= power_at(numerator, denominator, hz)
    return np.asarray(10 * np.log10(np.maximum(power, 1e-12)))


def with_hand(tone: Tone, low_db: float, mid_db: float, high_db: float) -> Tone:
    """A tone with decibels by hand on top, within the range of each."""

    def within(db: float) -> float:
        return min(TONE_DB.high, max(TONE_DB.low, db))

    return msgspec.structs.replace(
        tone,
        low_db=within(tone.low_db + low_db),
        mid_db=within(tone.mid_db + mid_db),
        high_db=within(tone.high_db + high_db),
    )


#: Where the cut of a sweep by hand stands that has hardly begun, and at its end, in Hz.
LOW_SWEEP_HZ, HIGH_SWEEP_HZ = (20.0, 2_000.0), (20_000.0, 200.0)


def swept(tone: Tone, low_percent: float, high_percent: float) -> Tone:
    """A tone with its cuts as far as they are swept by hand, or where they are prepared where that cuts more."""
    low, high = tone.low_cut_hz, tone.high_cut_hz
    if low_percent:
        low = max(low or 0.0, _between(LOW_SWEEP_HZ, low_percent))
    if high_percent:
        high = min(high or HIGH_SWEEP_HZ[0], _between(HIGH_SWEEP_HZ, high_percent))
    return msgspec.structs.replace(tone, low_cut_hz=low, high_cut_hz=high)


def _between(ends: tuple[float, float], percent: float) -> float:
    """In even steps of pitch."""
    return float(ends[0] * (ends[1] / ends[0]) ** (percent / 100))


CURVE_HZ = tuple(round(float(hz), 1) for hz in np.geomspace(20, 20_000, 97))


def curve(tone: Tone | None) -> list[float]:
    """How loud a tone makes each of the frequencies that a curve is drawn at, in dB, no softer than -60."""
    if tone is None:
        return []
    return [round(max(-60.0, float(db)), 2) for db in response_db(tone, np.array(CURVE_HZ))]


def power_at(numerator: tuple[float, ...], denominator: tuple[float, ...], hz: np.ndarray) -> np.ndarray:
    s = 2j * np.pi * np.asarray(hz, dtype=float)
    return np.asarray(np.abs(np.polyval(numerator, s) / np.polyval(denominator, s)) ** 2)
