"""The most likely row of beats through a curve of beginnings.

A hidden Markov model whose state is a place within the beat and the beat's length, by Viterbi
(Whiteley, Cemgil and Godsill, "Bayesian modelling of temporal structure in musical audio", ISMIR
2006; Krebs, Böck and Widmer, "An efficient state-space model for joint tempo and meter tracking",
ISMIR 2015): the length changes at beats alone, the less likely the more it changes.
"""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np

from upbeat.follow.novelty import COARSE

STEADINESS = 100.0  # of Krebs, Böck and Widmer
JUMP = 1e-7  # any other tempo at once
_ON_BEAT = 3  # steps of the beat that count as the beat
_LEAST = 0.02


@dataclass(frozen=True)
class Track:
    """``beats`` in seconds; ``strength``: what begins there, 0 to 1; ``likelihood`` a step."""

    beats: np.ndarray
    strength: np.ndarray
    likelihood: float


def track_beats(begins: np.ndarray, bpm: float, slower: float = 1.9, faster: float = 1.25) -> Track:
    """Beats of about ``bpm`` in a curve at :data:`COARSE` steps a second, down to ``slower`` times longer ones."""
    period = COARSE * 60 / bpm
    shortest, longest = max(6, int(period / faster)), int(period * slower) + 1
    on = _LEAST + (1 - 2 * _LEAST) * begins.astype(np.float64)
    found, likelihood = _best_path(np.log(on), np.log((1 - on) / 8), shortest, longest, STEADINESS, JUMP, _ON_BEAT)
    strength = np.array([begins[max(0, b - 3) : b + 4].max(initial=0) for b in found])
    return Track((found + 0.5) / COARSE, strength, float(likelihood) / max(1, len(begins)))


@numba.njit(cache=True, nogil=True)
def _best_path(on: np.ndarray, off: np.ndarray, shortest: int, longest: int, steadiness: float, jump: float, wide: int) -> tuple[np.ndarray, float]:
    steps, lengths = len(on), longest - shortest + 1
    start = np.zeros(lengths + 1, np.int64)
    for k in range(lengths):
        start[k + 1] = start[k] + shortest + k
    states = start[lengths]
    change = np.zeros((lengths, lengths))
    for a in range(lengths):
        for b in range(lengths):
            change[a, b] = np.log(np.exp(-steadiness * abs((shortest + b) / (shortest + a) - 1.0)) + jump)
    score = np.full(states, -np.log(states))
    # Each length's places are a ring: instead of moving every place on, its beginning moves back.
    head = np.zeros(lengths, np.int64)
    came = np.zeros((steps, lengths), np.int16)
    last = np.zeros(lengths)
    for t in range(steps):
        if t > 0:
            for k in range(lengths):
                size = shortest + k
                head[k] = (head[k] - 1) % size
                last[k] = score[start[k] + head[k]]
            for k in range(lengths):
                best, source = -1e300, 0
                for a in range(lengths):
                    value = last[a] + change[a, k]
                    if value > best:
                        best, source = value, a
                came[t, k] = source
                score[start[k] + head[k]] = best
        for k in range(lengths):
            size, base, h = shortest + k, start[k], head[k]
            for j in range(size):
                score[base + j] += off[t]
            for j in range(wide):
                score[base + (h + j) % size] += on[t] - off[t]
    top = 0
    for s in range(states):
        if score[s] > score[top]:
            top = s
    k = 0
    while start[k + 1] <= top:
        k += 1
    place = (top - start[k] - head[k]) % (shortest + k)
    beats = np.zeros(steps, np.int64)
    count, t = 0, steps - 1
    while t - place >= 0:
        t -= place
        beats[count] = t
        count += 1
        k = came[t, k]
        place = shortest + k - 1
        t -= 1
    return beats[:count][::-1].copy(), score[top]
