"""How much begins at every millisecond of a recording: attacks, in five bands.

Energy just after a moment against energy just before it, as a ratio of logarithms (Klapuri, "Sound
onset detection by applying psychoacoustic knowledge", ICASSP 1999), with one-sided windows: the
curve is greatest where an attack begins, not where it has grown loud. A beat belongs there.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
import soxr

RATE = 22050
HOP = 22  # frames: 1002 values a second
FINE = RATE / HOP
POOL = 10
COARSE = FINE / POOL
BANDS_HZ = ((0, 160), (160, 700), (700, 2500), (2500, 6000), (6000, 10500))
_FLOOR = 0.01  # of the band's loud attacks: what is 20 dB softer hardly counts


@dataclass(frozen=True)
class Novelty:
    """``fine``: (bands, n) float32 at :data:`FINE` values a second. ``coarse``: loudest of every ten.

    ``level``: dB of every 50 ms of the sound.
    """

    fine: np.ndarray
    coarse: np.ndarray
    level: np.ndarray
    seconds: float

    @property
    def whole(self) -> np.ndarray:
        """Of all bands, at the fine rate."""
        total: np.ndarray = self.fine.sum(axis=0)
        return total


def mono(blocks: Iterable[np.ndarray], sample_rate: int) -> np.ndarray:
    """(frames, channels) blocks as one line at :data:`RATE`."""
    stream = soxr.ResampleStream(sample_rate, RATE, 1, dtype="float32", quality="MQ")
    parts = [stream.resample_chunk(np.ascontiguousarray(b.mean(axis=1, keepdims=True))) for b in blocks]
    parts.append(stream.resample_chunk(np.zeros((0, 1), dtype=np.float32), last=True))
    line: np.ndarray = np.concatenate(parts)[:, 0]
    return line


def novelty(line: np.ndarray) -> Novelty:
    """The curves of a line (frames,) at :data:`RATE`."""
    from scipy.signal import butter, sosfilt  # takes two seconds: a server that asks for limits alone is up without

    n = len(line) // HOP
    fine = np.zeros((len(BANDS_HZ), n), dtype=np.float32)
    for i, (low, high) in enumerate(BANDS_HZ):
        kind = ("lowpass", high) if low == 0 else ("bandpass", (low, high))
        sections = butter(2, kind[1], kind[0], fs=RATE, output="sos")
        power = np.square(sosfilt(sections, line))
        # Low notes need a longer window to be separated from what rang before.
        after, before = (0.012, 0.020) if low == 0 else (0.006, 0.012)
        fine[i] = _begins(power, n, round(after * RATE), round(before * RATE))
    coarse = fine[:, : n // POOL * POOL].reshape(len(fine), -1, POOL).max(axis=2)
    step = RATE // 20
    blocks = line[: len(line) // step * step].reshape(-1, step)
    level = 10 * np.log10(np.square(blocks, dtype=np.float64).mean(axis=1) + 1e-12)
    return Novelty(fine, coarse, level, len(line) / RATE)


def _begins(power: np.ndarray, n: int, after: int, before: int) -> np.ndarray:
    sums = np.concatenate(([0.0], np.cumsum(power)))
    at = np.arange(n) * HOP
    later = (sums[np.minimum(at + after, len(power))] - sums[at]) / after
    earlier = (sums[at] - sums[np.maximum(at - before, 0)]) / before
    top = float(np.quantile(later, 0.98)) + 1e-12
    rise: np.ndarray = np.log(later / top + _FLOOR) - np.log(earlier / top + _FLOOR)
    return np.maximum(rise, 0)


def beginning(curve: np.ndarray) -> np.ndarray:
    """A coarse curve of all bands, (steps,), as 0 to 1: 1 for the strongest three of a hundred moments."""
    total = curve.sum(axis=0)
    scaled: np.ndarray = np.clip(total / (float(np.quantile(total, 0.97)) + 1e-9), 0, 1)
    return scaled


def near(curve: np.ndarray, seconds: np.ndarray, reach: int = 2) -> np.ndarray:
    """The greatest value of a coarse curve within ``reach`` steps (of 10 ms) of each moment."""
    at = (np.asarray(seconds) * COARSE).astype(int)
    return np.array([curve[max(0, i - reach) : i + reach + 1].max(initial=0) for i in at])


def stands_out(begins: np.ndarray, beats: np.ndarray, seconds: float) -> float:
    """How much more begins (``begins``: of each step) on the beats, in seconds, than at any moment of a recording this long, 0 to 1."""
    on, away = (float(near(begins, t).mean()) for t in (beats, np.random.default_rng(1).uniform(0, seconds, 400)))
    return float(np.clip((on - away) / max(0.05, 1 - away), 0, 1))
