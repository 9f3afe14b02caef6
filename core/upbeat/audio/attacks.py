"""Attacks in a sound: where something is struck, plucked or spoken anew."""

from __future__ import annotations

import numpy as np

HOP_S = 0.001
APART_S = 0.05  # two attacks that are nearer are one
RISE = 4.0  # times the energy before it
LOUD = 1e-3  # of the loudest hop, below which nothing is an attack
BEFORE_S, AFTER_S = 0.02, 0.005


def attacks(sound: np.ndarray, sample_rate: int) -> np.ndarray:
    """Frames at which attacks of (frames, channels) begin, in order.

    The energy of the second difference, which rises with frequency (P. Masri, Computer Modelling of Sound for
    Transformation and Synthesis, 1996, ch. 5: high frequency content), is compared with what was there just before.
    """
    hop = round(HOP_S * sample_rate)
    after_silence = np.concatenate([np.zeros((2, sound.shape[1]), np.float32), sound.astype(np.float32)])
    edge = np.diff(after_silence, n=2, axis=0)
    power = np.einsum("ij,ij->i", edge, edge)
    hops = power[: len(power) // hop * hop].reshape(-1, hop).sum(axis=1)
    if not len(hops) or not hops.max() > 0:
        return np.zeros(0, dtype=np.int64)
    before, after = round(BEFORE_S / HOP_S), round(AFTER_S / HOP_S)
    total = np.concatenate([[0.0], np.cumsum(hops, dtype=np.float64)])
    at = np.arange(len(hops))
    first, last = np.maximum(0, at - before), np.minimum(len(hops), at + after)
    was = (total[at] - total[first]) / np.maximum(1, at - first)
    now = (total[last] - total[at]) / np.maximum(1, last - at)
    rise = np.where(now > LOUD * hops.max(), now / (was + 1e-12 * hops.max()), 0.0)
    return _onset_frames(power, _peaks(rise), hop)


def _peaks(rise: np.ndarray) -> list[int]:
    """The hops where the rise is steepest, each the steepest within its neighbourhood."""
    apart = round(APART_S / HOP_S)
    found: list[int] = []
    for i in np.flatnonzero(rise > RISE):
        if rise[i] >= rise[max(0, i - apart) : i + apart].max() and (not found or i - found[-1] >= apart):
            found.append(int(i))
    return found


def _onset_frames(power: np.ndarray, hops: list[int], hop: int) -> np.ndarray:
    """The frame within each hop's neighbourhood at which a tenth of its peak is first reached."""
    frames = []
    for i in hops:
        a, b = max(0, (i - 3) * hop), min(len(power), (i + 8) * hop)
        near = power[a:b]
        frames.append(a + int(np.argmax(near > 0.1 * near.max())))
    return np.unique(np.asarray(frames, dtype=np.int64))
