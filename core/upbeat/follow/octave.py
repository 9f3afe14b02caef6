"""Whether a typed tempo is half or double of what is played."""

from __future__ import annotations

import numpy as np

from upbeat.follow.novelty import COARSE, Novelty
from upbeat.follow.track import Track

_FAST, _SLOW = 125.0, 100.0


def _near(curve: np.ndarray, seconds: np.ndarray) -> np.ndarray:
    at = (seconds * COARSE).astype(int)
    return np.array([curve[max(0, i - 3) : i + 4].max(initial=0) for i in at])


def octave(n: Novelty, begins: np.ndarray, track: Track, bpm: float) -> float:
    """What to multiply ``bpm`` by: 1, 2 or 0.5.

    The typed tempo is trusted unless drums speak against it. Half: as much begins between the beats
    as on them, and not only cymbals. Double: every other beat is weak and next to nothing lies
    between. A slow feel (half time) has its eighths between the beats, and stays.
    """
    beats = track.beats[2:-4]
    if len(beats) < 16:
        return 1.0
    between = (beats[1:] + beats[:-1]) / 2
    on, off = _near(begins, beats), _near(begins, between)
    low, low_off = _near(n.coarse[0], beats), _near(n.coarse[0], between)
    mid = n.coarse[2] + n.coarse[3]
    mid_on, mid_off = _near(mid, beats), _near(mid, between)
    ratio = off.mean() / max(1e-9, on.mean())
    drums = low.mean() > 1.0 and mid_on.mean() > 2.0
    cymbals = low_off.mean() < 0.35 * low.mean() and mid_off.mean() < 1.1 * mid_on.mean()
    if bpm < _SLOW and ratio > 0.95 and drums and low.mean() > 2.0 and not cymbals:
        return 2.0
    if bpm > _FAST and drums and ratio < 0.48 and (_uneven(on) > 0.1 or _uneven(low) > 0.4):
        return 0.5
    return 1.0


def _uneven(values: np.ndarray) -> float:
    return abs(float(values[::2].mean() - values[1::2].mean())) / max(1e-9, float(values.mean()))
