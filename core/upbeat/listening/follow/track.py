"""The most likely row of beats through a curve of beginnings.

A hidden Markov model whose state is a place within the beat and the beat's length, by Viterbi
(Whiteley, Cemgil and Godsill, "Bayesian modelling of temporal structure in musical audio", ISMIR
2006; Krebs, Böck and Widmer, "An efficient state-space model for joint tempo and meter tracking",
ISMIR 2015): the length changes at beats alone, by a normal deviation, or rarely at once.
"""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np

from upbeat.listening.follow.novelty import COARSE, near

STEADINESS = 0.03  # deviation of one beat's length from the one before
JUMP = 1e-9  # any other tempo, less than half or double, at once
_ON_BEAT = 3  # steps of the beat that count as the beat
# A beat on a beginning speaks for a path, one on silence against it; what lies between beats is no matter.
WEIGHT, MIDDLE = 1.5, 0.4


@dataclass(frozen=True)
class Track:
    """``beats`` in seconds; ``strength``: what begins there, 0 to 1; ``likelihood`` a step."""

    beats: np.ndarray
    strength: np.ndarray
    likelihood: float


def track_beats(begins: np.ndarray, bpm: float, slower: float = 1.9, faster: float = 1.25) -> Track:
    """Beats of about ``bpm`` in a curve (steps,) at :data:`COARSE` steps a second, down to ``slower`` times longer ones."""
    period = COARSE * 60 / bpm
    shortest, longest = max(6, int(period / faster)), int(period * slower) + 1
    gain = WEIGHT * (begins.astype(np.float64) / MIDDLE - 1)
    found, likelihood = _best_path(gain, np.zeros(len(gain)), shortest, longest, STEADINESS, JUMP, _ON_BEAT)
    beats = (found + 0.5) / COARSE
    return Track(beats, near(begins, beats, 3), float(likelihood) / max(1, len(begins)))


@numba.njit(cache=True, nogil=True)
def _changes(shortest: int, lengths: int, steadiness: float, jump: float) -> np.ndarray:
    """Log probability of a beat of length ``shortest + b`` after one of ``shortest + a``, (a, b)."""
    change = np.zeros((lengths, lengths))
    for a in range(lengths):
        for b in range(lengths):
            ratio = (shortest + b) / (shortest + a)
            # No sudden half or double: that is another count, not another tempo.
            sudden = jump if 0.7 < ratio < 1.43 else 0.0
            change[a, b] = np.log(np.exp(-0.5 * ((ratio - 1.0) / steadiness) ** 2) + sudden + 1e-300)
    return change


@numba.njit(cache=True, nogil=True)
def _best_path(
    on: np.ndarray, off: np.ndarray, shortest: int, longest: int, steadiness: float, jump: float, wide: int
) -> tuple[np.ndarray, float]:
    steps, lengths = len(on), longest - shortest + 1
    start = np.zeros(lengths + 1, np.int64)
    for k in range(lengths):
        start[k + 1] = start[k] + shortest + k
    states = start[lengths]
    change = _changes(shortest, lengths, steadiness, jump)
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
    top = np.argmax(score)
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
