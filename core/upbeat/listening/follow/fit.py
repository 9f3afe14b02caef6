"""From beats heard roughly to beats placed exactly: one tempo, a few, or a curve.

A beat's own moment is taken from the fine curve of beginnings; the fit through these moments is a
straight line where the recording keeps one tempo, straight pieces where it changes at once, else a
smoothing spline over the beats (Whittaker, "On a new method of graduation", 1923), as smooth as the
moments themselves ask for (leave-one-out, as in Craven and Wahba, Numerische Mathematik 31, 1979).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy.linalg

from upbeat.listening.follow.novelty import FINE

REACH_S, EXPECTED_S = 0.035, 0.015
_BLUR = np.exp(-0.5 * (np.arange(-6, 7) / 2.0) ** 2)


@dataclass(frozen=True)
class Moments:
    """For each beat the moment something begins near it, and how much that counts (0: nothing)."""

    seconds: np.ndarray
    weight: np.ndarray


def moments_near(whole: np.ndarray, beats: np.ndarray, expected_s: float = EXPECTED_S) -> Moments:
    """The strongest beginning within 35 ms of each beat, near ones preferred.

    ``whole``: (values,), beginnings of all bands at :data:`FINE` values a second.
    """
    blurred = np.convolve(whole, _BLUR / _BLUR.sum(), "same")
    usual = float(np.quantile(blurred, 0.97)) + 1e-9
    reach = round(REACH_S * FINE)
    near = np.arange(-reach, reach + 1)
    leaning = np.exp(-0.5 * (near / FINE / expected_s) ** 2)
    centres = np.round(beats * FINE).astype(int)
    padded = np.pad(blurred, reach + 1)
    windows = padded[np.clip(centres[:, None] + near[None] + reach + 1, 0, len(padded) - 1)]
    best = (windows * leaning).argmax(axis=1)
    rows = np.arange(len(beats))
    height = windows[rows, best]
    left = windows[rows, np.maximum(best - 1, 0)]
    right = windows[rows, np.minimum(best + 1, len(near) - 1)]
    curve = left - 2 * height + right
    with np.errstate(divide="ignore", invalid="ignore"):
        part = np.where(curve < 0, 0.5 * (left - right) / curve, 0.0)
    # A value tells of the whole millisecond that it opens.
    seconds = (centres + near[best] + np.clip(part, -0.5, 0.5)) / FINE
    return Moments(seconds + 0.5 / FINE, np.clip(height / usual, 0, 1) ** 2)


def onsets(whole: np.ndarray, apart_s: float = 0.03) -> np.ndarray:
    """Every plain beginning in a recording, in seconds, at least ``apart_s`` from the next.

    ``whole``: (values,), beginnings of all bands at :data:`FINE` values a second.
    """
    from scipy.signal import find_peaks  # late, as in novelty.py

    blurred = np.convolve(whole, _BLUR / _BLUR.sum(), "same")
    usual = float(np.quantile(blurred, 0.97)) + 1e-9
    peaks, _ = find_peaks(blurred, height=0.4 * usual, distance=max(1, round(apart_s * FINE)))
    found: np.ndarray = (peaks + 0.5) / FINE
    return found


@dataclass(frozen=True)
class Line:
    """Beat ``k`` lies at ``start + k * period``; ``spread`` is the robust deviation of the moments in seconds."""

    start: float
    period: float
    spread: float

    def at(self, k: np.ndarray | float) -> np.ndarray:
        return np.asarray(self.start + np.asarray(k) * self.period)


def straight(k: np.ndarray, m: Moments, rounds: int = 12) -> Line:
    """Weighted least squares with Tukey's biweight (Beaton and Tukey, Technometrics 16, 1974)."""
    weight = m.weight + 1e-9
    start, period, spread = 0.0, 1.0, 1.0
    for _ in range(rounds):
        design = np.stack((np.ones(len(k)), k), axis=1) * np.sqrt(weight)[:, None]
        (start, period), *_ = np.linalg.lstsq(design, m.seconds * np.sqrt(weight), rcond=None)
        off = m.seconds - start - period * k
        spread = 1.4826 * _median(np.abs(off), m.weight)
        bound = max(0.004, 4.685 * spread)
        weight = m.weight * np.clip(1 - (off / bound) ** 2, 0, 1) ** 2 + 1e-9
    return Line(float(start), float(period), spread)


def _median(values: np.ndarray, weight: np.ndarray) -> float:
    order = np.argsort(values)
    sums = np.cumsum(weight[order])
    if not len(values) or sums[-1] <= 0:
        return 0.0
    return float(values[order][int(np.searchsorted(sums, sums[-1] / 2))])


def bends(k: np.ndarray, m: Moments, line: Line, span: int = 9) -> float:
    """How far the moments leave a line for longer than single notes do, in seconds. ``k``: (moments,), their beat on the line."""
    off = np.where(m.weight > 0.05, m.seconds - line.at(k), np.nan)
    if len(off) < span:
        return float(np.nanmax(np.abs(off), initial=0)) if np.isfinite(off).any() else 0.0
    windows = np.lib.stride_tricks.sliding_window_view(off, span)
    enough = np.isfinite(windows).sum(axis=1) >= span // 2
    if not enough.any():
        return 0.0
    return float(np.abs(np.nanmedian(windows[enough], axis=1)).max())


def smooth(m: Moments, first: np.ndarray) -> np.ndarray:
    """Beat times of a recording that breathes, in seconds, one for each of ``m``.

    ``first``: (moments,), rough times of the same beats, which stand in where nothing is heard.
    """
    n = len(m.seconds)
    if n < 4:
        return first.copy()
    base = np.maximum(m.weight, 1e-4)
    target = np.where(m.weight > 0.02, m.seconds, first)
    best, chosen = np.inf, first
    for stiffness in np.logspace(-1, 4, 11):
        weight = base.copy()
        for _ in range(4):
            curve, lever = _whittaker(target, weight, stiffness)
            off = target - curve
            spread = max(0.0015, 1.4826 * _median(np.abs(off), base))
            weight = base / (1 + (off / (2 * spread)) ** 2)
        left_out = off / np.maximum(1e-6, 1 - lever)
        error = float(np.average(np.minimum(np.abs(left_out), 0.05) ** 1, weights=base))
        # Among fits that foretell the moments about as well, the smoother one.
        if error < best * 0.98 or (error < best * 1.02 and best < np.inf):
            best, chosen = min(best, error), curve
    return chosen


def _whittaker(target: np.ndarray, weight: np.ndarray, stiffness: float) -> tuple[np.ndarray, np.ndarray]:
    """The curve that minimises weighted errors and second differences, and each point's lever."""
    n = len(target)
    second = np.array([1.0, -2.0, 1.0])
    bands = np.zeros((3, n))
    for i in range(3):
        for j in range(i, 3):
            at = np.arange(n - 2)
            bands[2 - (j - i), at + j] += stiffness * second[i] * second[j]
    bands[2] += weight
    curve = scipy.linalg.solveh_banded(bands, weight * target)
    return curve, weight * _inverse_diagonal(bands)


def _inverse_diagonal(bands: np.ndarray) -> np.ndarray:
    """Diagonal of the inverse of a symmetric matrix with two bands above its diagonal.

    Backward recurrence of Hutchinson and de Hoog, "Smoothing noisy data with spline functions",
    Numerische Mathematik 47 (1985).
    """
    factor = scipy.linalg.cholesky_banded(bands)
    n = bands.shape[1]
    scale = factor[2]
    one = np.append(factor[1, 1:] / scale[:-1], 0.0)
    two = np.append(factor[0, 2:] / scale[:-2], (0.0, 0.0))
    d0, d1, d2 = np.zeros(n + 2), np.zeros(n + 2), np.zeros(n + 2)
    for i in range(n - 1, -1, -1):
        d1[i] = -one[i] * d0[i + 1] - two[i] * d1[i + 1]
        d2[i] = -one[i] * d1[i + 1] - two[i] * d0[i + 2]
        d0[i] = 1 / scale[i] ** 2 - one[i] * d1[i] - two[i] * d2[i]
    return d0[:n]


def pieces(m: Moments, fewest: int = 8, most: int = 4) -> list[tuple[int, int, Line]] | None:
    """Stretches of one tempo each, as (first beat, beat after the last, line); None where few do not do.

    Exact minimum of squared error with a price for every piece (Bellman, "On the approximation of
    curves by line segments using dynamic programming", CACM 4, 1961).
    """
    n = len(m.seconds)
    k = np.arange(n, dtype=float)
    w = m.weight + 1e-6
    sums = np.cumsum(np.stack((w, w * k, w * k * k, w * m.seconds, w * k * m.seconds, w * m.seconds**2)), axis=1)
    sums = np.concatenate((np.zeros((6, 1)), sums), axis=1)

    def cost(a: np.ndarray, b: int) -> np.ndarray:
        s0, s1, s2, t0, t1, t2 = sums[:, b][:, None] - sums[:, a]
        den = s0 * s2 - s1 * s1
        with np.errstate(divide="ignore", invalid="ignore"):
            slope = np.where(den > 1e-12, (s0 * t1 - s1 * t0) / den, 0.0)
        base = (t0 - slope * s1) / np.maximum(s0, 1e-12)
        error: np.ndarray = np.maximum(t2 - base * t0 - slope * t1, 0)
        return error

    price = 40 * (0.005**2) * float(w.mean())
    total = np.full(n + 1, np.inf)
    total[0] = -price
    back = np.zeros(n + 1, int)
    for b in range(fewest, n + 1):
        a = np.arange(0, b - fewest + 1)
        value = total[a] + cost(a, b) + price
        back[b] = int(value.argmin())
        total[b] = value[back[b]]
    found, b = [], n
    while b > 0:
        a = back[b]
        part = slice(a, b)
        found.append((int(a), int(b), straight(k[part], Moments(m.seconds[part], m.weight[part]))))
        b = a
    return _shared_beats(found[::-1], m) if len(found) <= most else None


def _shared_beats(found: list[tuple[int, int, Line]], m: Moments) -> list[tuple[int, int, Line]]:
    """A beat that lies on both pieces opens the second: the tempo changes there, not a beat later."""
    for i in range(1, len(found)):
        (a0, b0, before), (a, b, after) = found[i - 1], found[i]
        if b0 - a0 > 2 and abs(float(after.at(a - 1)) - m.seconds[a - 1]) < 0.003:
            found[i - 1], found[i] = (a0, b0 - 1, before), (a - 1, b, after)
    return found
