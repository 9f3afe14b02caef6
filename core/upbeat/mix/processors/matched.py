"""Digital filters that are what their analog models are, to the top of the band.

A bilinear transform draws the top of the band together: a peak at 8 kHz would be narrower than it was drawn. Here the poles
are those of the model (impulse invariance), and the zeros are chosen so that the magnitude is the model's, by least squares
over the band (after M. Vicanek, Matched Second Order Digital Filters, 2016, who matches three frequencies).
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from upbeat.song.tone import Analog, Tone, analog_filters, power_at

TOP_HZ = 18_000.0


@lru_cache(maxsize=1000)
def sections(tone: Tone, sample_rate: int) -> np.ndarray:
    """(filters, 5) float64: b0, b1, b2, a1, a2 of each second-order section of a tone, read-only."""
    made = np.array([_matched(model, sample_rate) for model in analog_filters(tone)]).reshape(-1, 5)
    made.setflags(write=False)
    return made


def _matched(model: Analog, rate: int) -> tuple[float, float, float, float, float]:
    """One section. A model that makes softer throughout is the inverse of one that makes louder: peaks and shelves."""
    numerator, denominator = model
    if numerator[0] and numerator[2] and _softens(model):
        b0, b1, b2, a1, a2 = _matched((denominator, numerator), rate)
        return 1 / b0, a1 / b0, a2 / b0, b1 / b0, b2 / b0
    scaled = np.array(denominator) / denominator[0]
    poles = np.exp(np.roots(scaled) / rate)
    _, a1, a2 = np.real(np.poly(poles))
    hz = np.concatenate([np.geomspace(10, TOP_HZ, 400), np.linspace(2000, TOP_HZ, 300)])
    high = np.sin(np.pi * hz / rate) ** 2
    low = 1 - high
    own = (1 + a1 + a2) ** 2 * low + (1 - a1 + a2) ** 2 * high - 4 * a2 * 4 * low * high
    wanted = power_at(numerator, denominator, hz) * own
    at_zero = (numerator[2] / denominator[2]) ** 2 * (1 + a1 + a2) ** 2
    weight = 1 / np.maximum(wanted, 1e-9 * wanted.max())
    basis = np.stack([high, 4 * low * high], axis=1) * weight[:, None]
    at_top, between = np.linalg.lstsq(basis, (wanted - at_zero * low) * weight, rcond=None)[0]
    roots = np.sqrt(at_zero), np.sqrt(max(at_top, 0.0))
    half = 0.5 * (roots[0] + roots[1])
    b0 = 0.5 * (half + np.sqrt(max(half * half + between, 0.0)))
    return float(b0), float(0.5 * (roots[0] - roots[1])), float(-between / (4 * b0)), float(a1), float(a2)


def _softens(model: Analog) -> bool:
    (n2, n1, n0), (d2, d1, d0) = model
    return n1 / n2 < d1 / d2 if n0 / n2 == d0 / d2 else n2 * n0 < d2 * d0
