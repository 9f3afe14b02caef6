"""Loops over every sample, compiled (numba). Kept on disk once compiled; they hold no interpreter lock."""

from __future__ import annotations

import numba
import numpy as np

_STRETCH = 512
_STILL = 1e-30


@numba.njit(cache=True, nogil=True, fastmath=True)
def weighted_power(
    planar: np.ndarray, sections: np.ndarray, state: np.ndarray, sums: np.ndarray, held: int, hop: int, out: np.ndarray
) -> int:
    """Mean power of every ``hop`` frames after two second-order sections (transposed direct form II).

    ``planar``: (channels, frames) float32. ``sections``: (2, 6) as scipy orders them. ``state``
    (channels, 2, 2), ``sums`` (channels) and ``held`` carry on from the block before; ``out``
    (channels, hops) is filled. Returns how many frames are held over.
    """
    channels, frames = planar.shape
    for c in range(channels):
        b0, b1, b2, a1, a2 = sections[0, 0], sections[0, 1], sections[0, 2], sections[0, 4], sections[0, 5]
        d0, d1, d2, e1, e2 = sections[1, 0], sections[1, 1], sections[1, 2], sections[1, 4], sections[1, 5]
        s0, s1, t0, t1 = state[c, 0, 0], state[c, 0, 1], state[c, 1, 0], state[c, 1, 1]
        total, count, done = sums[c], held, 0
        for i in range(frames):
            x = np.float64(planar[c, i])
            y = b0 * x + s0
            s0 = b1 * x - a1 * y + s1
            s1 = b2 * x - a2 * y
            z = d0 * y + t0
            t0 = d1 * y - e1 * z + t1
            t1 = d2 * y - e2 * z
            total += z * z
            count += 1
            if count == hop:
                out[c, done] = total / hop
                done += 1
                total = 0.0
                count = 0
                # In silence the filters ring down into numbers so small that the processor slows tenfold.
                if max(abs(s0), abs(s1), abs(t0), abs(t1)) < _STILL:
                    s0 = s1 = t0 = t1 = 0.0
        state[c, 0, 0], state[c, 0, 1], state[c, 1, 0], state[c, 1, 1] = s0, s1, t0, t1
        sums[c] = total
    return (held + frames) % hop


@numba.njit(cache=True, nogil=True, fastmath=True)
def extremes(planar: np.ndarray, size: int, low: np.ndarray, high: np.ndarray) -> None:
    """Least and greatest of every ``size`` frames into ``low`` and ``high`` (channels, groups); the last may be short."""
    channels, frames = planar.shape
    for c in range(channels):
        for g in range(low.shape[1]):
            a = g * size
            least = greatest = planar[c, a]
            for i in range(a + 1, min(a + size, frames)):
                least = min(least, planar[c, i])
                greatest = max(greatest, planar[c, i])
            low[c, g], high[c, g] = least, greatest


@numba.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def loudest_between(planar: np.ndarray, phases: np.ndarray) -> float:
    """Greatest absolute value between samples, by polyphase filters (phases, taps) run over (channels, frames).

    A stretch at a time, tap by tap, so that the inner loops are plain sums that the compiler
    turns into vector instructions.
    """
    frames, taps = planar.shape[1] - phases.shape[1] + 1, phases.shape[1]
    peak = np.float32(0.0)
    between = np.empty(_STRETCH, np.float32)
    for c in range(planar.shape[0]):
        row = planar[c]
        for start in range(0, frames, _STRETCH):
            n = min(_STRETCH, frames - start)
            for p in range(phases.shape[0]):
                between[:n] = 0.0
                for k in range(taps):
                    tap, part = phases[p, k], row[start + k : start + k + n]
                    for i in range(n):
                        between[i] += tap * part[i]
                for i in range(n):
                    peak = max(peak, abs(between[i]))
    return float(peak)
