"""Whether a typed tempo is half or double of what is played."""

from __future__ import annotations

import numpy as np

from upbeat.listening.follow.novelty import Novelty, near
from upbeat.listening.follow.track import Track

_FAST, _SLOW, _BEYOND = 125.0, 100.0, 170.0


def octave(n: Novelty, begins: np.ndarray, track: Track, bpm: float) -> float:
    """What to multiply ``bpm`` by: 1, 2 or 0.5.

    The typed tempo is trusted unless drums speak against it. Half: as much begins between the beats
    as on them, and the beats are all alike, where bass drum and snare would take turns. Double: every
    other beat is weak and next to nothing lies between. A slow feel (half time) has its eighths
    between the beats, and stays.
    """
    beats = track.beats[2:-4]
    if len(beats) < 16:
        return 1.0
    between = (beats[1:] + beats[:-1]) / 2
    on, off = near(begins, beats, 3), near(begins, between, 3)
    low, low_off = near(n.coarse[0], beats, 3), near(n.coarse[0], between, 3)
    mid = n.coarse[2] + n.coarse[3]
    mid_on, mid_off = near(mid, beats, 3), near(mid, between, 3)
    whole = near(n.coarse.sum(axis=0), beats, 3)
    ratio = off.mean() / max(1e-9, on.mean())
    drums = low.mean() > 1.0 and mid_on.mean() > 2.0
    cymbals = low_off.mean() < 0.35 * low.mean() and mid_off.mean() < 1.1 * mid_on.mean()
    alike = _uneven(low) < 0.25 and _uneven(whole) < 0.2
    if bpm < _SLOW and ratio > 0.95 and drums and low.mean() > 2.0 and alike and not cymbals:
        return 2.0
    weak = _uneven(whole) > 0.45 or (bpm > _BEYOND and _uneven(low) > 0.4)
    if bpm > _FAST and drums and ratio < 0.48 and weak:
        return 0.5
    return 1.0


def _uneven(values: np.ndarray) -> float:
    """How unlike every other one is, as a part of the mean."""
    return abs(float(values[::2].mean() - values[1::2].mean())) / max(1e-9, float(values.mean()))
