"""Loops over every sample of what stems go through, compiled (numba), as those of ``kernels``."""

from __future__ import annotations

import numba
import numpy as np

_MAGNITUDE = np.int32(0x7FFFFFFF)  # the bits of a float32 without its sign


@numba.njit(cache=True, nogil=True)
def _split(pairs: np.ndarray, left: np.ndarray, right: np.ndarray) -> None:
    for i in range(pairs.size):
        both = pairs[i]
        left[i] = np.float32(np.int32(both << 16) >> 16)
        right[i] = np.float32(both >> 16)


@numba.njit(cache=True, nogil=True)
def split_stereo(pairs: np.ndarray, first: int, block: np.ndarray) -> None:
    """Fill ``block`` (2, stems, columns) float32 with the samples from column ``first`` of ``pairs`` (stems, frames) int32 on.

    A pair has the int16 of the left side in its lower half, of the right in its upper: as stereo of int16 lies in the memory of
    a little-endian machine. Both arrays lie in one piece.
    """
    columns = block.shape[2]
    for s in range(pairs.shape[0]):
        _split(pairs[s, first : first + columns], block[0, s], block[1, s])


@numba.njit(cache=True, nogil=True)
def _most(bits: np.ndarray) -> np.int32:
    most = np.int32(0)
    for i in range(bits.size):
        most = max(most, np.int32(bits[i] & _MAGNITUDE))
    return most


@numba.njit(cache=True, nogil=True)
def loudest(bits: np.ndarray, peaks: np.ndarray) -> None:
    """Write the greatest magnitude of each stem of ``bits`` (channels, stems, columns), in one piece, to ``peaks`` (stems,).

    Both hold the bits of float32 numbers, none of them NaN, as int32: without their signs they are in the same order.
    """
    channels, stems, _ = bits.shape
    for s in range(stems):
        most = np.int32(0)
        for c in range(channels):
            most = max(most, _most(bits[c, s]))
        peaks[s] = most


@numba.njit(cache=True, nogil=True, fastmath=True)
def _power(row: np.ndarray) -> np.float32:
    power = np.float32(0)
    for i in range(row.size):
        power += row[i] * row[i]
    return power


@numba.njit(cache=True, nogil=True)
def meter_rows(
    sound: np.ndarray, bits: np.ndarray, first: int, last: int, peaks: np.ndarray, powers: np.ndarray
) -> None:
    """Meter columns ``first`` to ``last`` of ``sound`` (rows, columns) float32, in one piece; ``bits``: the same seen as int32.

    ``peaks`` (rows,) int32, the bits of float32 (:func:`loudest`), are raised to the greatest magnitude; the sum of squares is
    added to ``powers`` (rows,) float64.
    """
    for r in range(sound.shape[0]):
        peaks[r] = max(peaks[r], _most(bits[r, first:last]))
        powers[r] += _power(sound[r, first:last])


@numba.njit(cache=True, nogil=True)
def gate_gains(
    sound: np.ndarray,
    before: int,
    loud: float,
    opens: int,
    hold: int,
    release: int,
    known: int,
    at: int,
    out: np.ndarray,
) -> int:
    """Fill ``out`` (frames,) float32 with the gain of a gate for the rows of ``sound`` (rows, channels) from ``before`` on.

    A row opens it where a channel is as great as ``loud``. It opens over ``opens`` rows, to be open at that one, stays so for
    ``hold`` and closes over ``release``, both by half a cosine. ``known``: the last row before row 0 that opened it, counted from
    row 0. Returns the last such row before row ``at``.
    """
    last, told, ahead = known, known, before
    rows, channels = sound.shape
    for i in range(before):
        for c in range(channels):
            if abs(sound[i, c]) >= loud:
                last = i
                break
        if i < at:
            told = last
    following = -1
    for n in range(out.shape[0]):
        t = before + n
        if following < t:
            following = -1
            ahead = max(ahead, t)
        while following < 0 and ahead < min(rows, t + opens):
            for c in range(channels):
                if abs(sound[ahead, c]) >= loud:
                    following = ahead
                    break
            ahead += 1
        last = t if following == t else last
        told = last if t < at else told
        gain, since = 0.0, t - last
        if since <= hold:
            gain = 1.0
        elif since < hold + release:
            gain = 0.5 + 0.5 * np.cos(np.pi * (since - hold) / release)
        if following >= 0:
            gain = max(gain, 0.5 + 0.5 * np.cos(np.pi * (following - t) / opens))
        out[n] = gain
    return told


@numba.njit(cache=True, nogil=True)
def rounded_off(around: np.ndarray, taps: np.ndarray, over: int, factor: float, softer: float, out: np.ndarray) -> None:
    """Fill ``out`` (frames, channels) float32 with a sound times ``factor``, rounded off at 1, times ``softer``.

    Rounded off at ``over`` times the rate. ``taps``: a symmetrical low pass for that, (2 * half * over + 1,);
    ``around``: the sound with ``2 * half`` rows before and after it. By J. Lambert's rational approximation of tanh, which is flat at 3.
    """
    half = (len(taps) - 1) // (2 * over)
    frames, channels = out.shape
    wide = frames + 2 * half
    fine = np.empty((over, wide), np.float32)
    for c in range(channels):
        row = np.ascontiguousarray(around[:, c])
        made = np.zeros(frames, np.float32)
        for p in range(over):
            line = fine[p]
            line[:] = 0
            for d in range(-half, half + 1):
                at = p - over * d + over * half
                if 0 <= at < len(taps) and taps[at] != 0:
                    tap = np.float32(taps[at] * over * factor)
                    part = row[half + d : half + d + wide]
                    for i in range(wide):
                        line[i] += tap * part[i]
            for i in range(wide):
                x = min(np.float32(3), max(np.float32(-3), line[i]))
                line[i] = x * (np.float32(27) + x * x) / (np.float32(27) + np.float32(9) * x * x)
            for e in range(-half, half + 1):
                at = over * e + p + over * half
                if 0 <= at < len(taps) and taps[at] != 0:
                    tap = np.float32(taps[at] * softer)
                    part = line[half + e : half + e + frames]
                    for i in range(frames):
                        made[i] += tap * part[i]
        for i in range(frames):
            out[i, c] = made[i]


@numba.njit(cache=True, nogil=True)
def echoes(line: np.ndarray, first: int, every: int, gains: np.ndarray, out: np.ndarray) -> None:
    """Add what lies ``every``, twice ``every`` … frames back, times each of ``gains``, to ``out`` (channels, frames) float32.

    ``line``: (channels, rows) that goes round; the first frame of ``out`` was written to row ``first``.
    """
    channels, frames = out.shape
    rows = line.shape[1]
    for k in range(len(gains)):
        gain = np.float32(gains[k])
        at = (first - (k + 1) * every) % rows
        done = 0
        while done < frames:
            n = min(frames - done, rows - at)
            for c in range(channels):
                for i in range(n):
                    out[c, done + i] += gain * line[c, at + i]
            done += n
            at = (at + n) % rows
