"""Loops over every sample of what stems go through, compiled (numba), as those of ``kernels``."""

from __future__ import annotations

import math

import numba
import numpy as np

_MAGNITUDE = np.int32(0x7FFFFFFF)  # the bits of a float32 without its sign
#: Columns that are mixed at a time: so much of 64 stereo stems fits in the second cache of a core (256 KB).
COLUMNS = 512


@numba.njit(cache=True, nogil=True)
def _split(pairs: np.ndarray, left: np.ndarray, right: np.ndarray) -> np.float32:
    most = np.int32(0)
    for i in range(pairs.size):
        both = pairs[i]
        low, high = np.int32(both << 16) >> 16, both >> 16
        most = max(most, max(abs(low), abs(high)))
        left[i] = np.float32(low)
        right[i] = np.float32(high)
    return np.float32(most)


@numba.njit(cache=True, nogil=True, fastmath={"contract"})
def _add(line: np.ndarray, gains: np.ndarray, of: np.ndarray, sound: np.ndarray, at: int) -> None:
    n, k = line.size, 0
    while k + 4 <= of.size:
        a, b, c, d = gains[k], gains[k + 1], gains[k + 2], gains[k + 3]
        v, w = sound[of[k], at : at + n], sound[of[k + 1], at : at + n]
        x, y = sound[of[k + 2], at : at + n], sound[of[k + 3], at : at + n]
        for i in range(n):
            line[i] = line[i] + a * v[i] + b * w[i] + c * x[i] + d * y[i]
        k += 4
    while k < of.size:
        a, v = gains[k], sound[of[k], at : at + n]
        for i in range(n):
            line[i] = line[i] + a * v[i]
        k += 1


@numba.njit(cache=True, nogil=True, fastmath={"contract"})
def _add_two(
    line: np.ndarray,
    second: np.ndarray,
    gains: np.ndarray,
    others: np.ndarray,
    of: np.ndarray,
    sound: np.ndarray,
    at: int,
) -> None:
    """As :func:`_add` for two lines: what they take is read once."""
    n, k = line.size, 0
    while k + 4 <= of.size:
        a, b, c, d = gains[k], gains[k + 1], gains[k + 2], gains[k + 3]
        e, f, g, h = others[k], others[k + 1], others[k + 2], others[k + 3]
        v, w = sound[of[k], at : at + n], sound[of[k + 1], at : at + n]
        x, y = sound[of[k + 2], at : at + n], sound[of[k + 3], at : at + n]
        for i in range(n):
            p, q, r, s = v[i], w[i], x[i], y[i]
            line[i] = line[i] + a * p + b * q + c * r + d * s
            second[i] = second[i] + e * p + f * q + g * r + h * s
        k += 4
    _add(line, gains[k:], of[k:], sound, at)
    _add(second, others[k:], of[k:], sound, at)


@numba.njit(cache=True, nogil=True)
def _add_all(
    sound: np.ndarray,
    at: int,
    rows: np.ndarray,
    first: np.ndarray,
    of: np.ndarray,
    gains: np.ndarray,
    out: np.ndarray,
    start: int,
    end: int,
) -> None:
    r = 0
    while r < rows.size:
        own, others = slice(first[r], first[r + 1]), slice(0, 0)
        if r + 1 < rows.size:
            others = slice(first[r + 1], first[r + 2])
        if np.array_equal(of[own], of[others]):
            line, second = out[rows[r], start:end], out[rows[r + 1], start:end]
            _add_two(line, second, gains[own], gains[others], of[own], sound, at)
            r += 2
        else:
            _add(out[rows[r], start:end], gains[own], of[own], sound, at)
            r += 1


@numba.njit(cache=True, nogil=True)
def add_pairs(
    pairs: np.ndarray,
    at: int,
    rows: np.ndarray,
    first: np.ndarray,
    of: np.ndarray,
    gains: np.ndarray,
    out: np.ndarray,
    first_column: int,
    columns: int,
    peaks: np.ndarray,
) -> None:
    """Add stereo stems to rows of ``out``, as :func:`add_rows` does; ``pairs``: (stems, frames) int32.

    A pair has the int16 of the left side in its lower half, of the right in its upper: as stereo of int16 lies in the memory of
    a little-endian machine.
    """
    stems = pairs.shape[0]
    sound = np.empty((2 * stems, COLUMNS), np.float32)
    for start in range(0, columns, COLUMNS):
        n, loud = min(COLUMNS, columns - start), np.float32(0)
        for s in range(stems):
            most = _split(pairs[s, at + start : at + start + n], sound[2 * s, :n], sound[2 * s + 1, :n])
            peaks[s], loud = max(peaks[s], most), max(loud, most)
        at_column = first_column + start
        if loud > 0:
            _add_all(sound, 0, rows, first, of, gains, out, at_column, at_column + n)


@numba.njit(cache=True, nogil=True)
def add_rows(
    sound: np.ndarray,
    at: int,
    rows: np.ndarray,
    first: np.ndarray,
    of: np.ndarray,
    gains: np.ndarray,
    out: np.ndarray,
    first_column: int,
    columns: int,
    peaks: np.ndarray,
) -> None:
    """Add ``columns`` of ``sound``, float32 (channels of stems, frames), from column ``at`` on, to rows of ``out``, float32 (rows, frames).

    They are added to the columns from ``first_column`` on.
    To ``rows[r]`` channels ``of[k]`` are added, times ``gains[k]``, float32, for every k from ``first[r]`` to before
    ``first[r + 1]``. Every column is worked out by itself, however many there are: sound does not depend on where a block was
    cut. It is quickest where rows that take the same channels follow one another. ``peaks`` (stems,) float32 are raised to the
    greatest magnitude of each stem, before gains. Arrays lie in one piece.
    """
    channels = max(1, sound.shape[0] // max(1, peaks.size))
    for start in range(0, columns, COLUMNS):
        n, at_column, loud = min(COLUMNS, columns - start), first_column + start, np.float32(0)
        for c in range(sound.shape[0]):
            most = _peak(sound[c, at + start : at + start + n])
            peaks[c // channels], loud = max(peaks[c // channels], most), max(loud, most)
        if loud > 0:
            _add_all(sound, at + start, rows, first, of, gains, out, at_column, at_column + n)


@numba.njit(cache=True, nogil=True)
def _peak(row: np.ndarray) -> np.float32:
    """The greatest magnitude of float32, none of them NaN: as integers, and without their signs, they are in the same order."""
    bits, most = row.view(np.int32), np.zeros(1, np.int32)
    found = np.int32(0)
    for i in range(bits.size):
        found = max(found, np.int32(bits[i] & _MAGNITUDE))
    most[0] = found
    return most.view(np.float32)[0]


@numba.njit(cache=True, nogil=True, fastmath=True)
def _power(row: np.ndarray) -> np.float32:
    power = np.float32(0)
    for i in range(row.size):
        power += row[i] * row[i]
    return power


@numba.njit(cache=True, nogil=True)
def sounding(row: np.ndarray) -> tuple[int, int]:
    """The first frame of (frames,) float32 that is not silent, and the one after the last; (0, 0) where all are."""
    first, last = 0, row.size
    while first < last and row[first] == 0:
        first += 1
    while first < last and row[last - 1] == 0:
        last -= 1
    return (first, last) if first < last else (0, 0)


@numba.njit(cache=True, nogil=True)
def meter_rows(sound: np.ndarray, first: int, last: int, peaks: np.ndarray, powers: np.ndarray) -> None:
    """Meter columns ``first`` to ``last`` of ``sound`` (rows, columns) float32, in one piece.

    ``peaks`` (rows,) float32 are raised to the greatest magnitude; the sum of squares is added to ``powers`` (rows,) float64.
    """
    for r in range(sound.shape[0]):
        peaks[r] = max(peaks[r], _peak(sound[r, first:last]))
        powers[r] += _power(sound[r, first:last])


@numba.njit(cache=True, nogil=True)
def read_meters(peaks: np.ndarray, powers: np.ndarray, frames: int, out: np.ndarray) -> None:
    """Put the peaks and the RMS over ``frames`` of what :func:`meter_rows` saw into ``out`` (2, rows) float64, and begin anew.

    They have five places, since they are written down as text twenty times a second.
    """
    for r in range(peaks.size):
        out[0, r] = math.floor(peaks[r] * 1e5 + 0.5) / 1e5
        out[1, r] = math.floor(math.sqrt(powers[r] / frames) * 1e5 + 0.5) / 1e5
        peaks[r] = powers[r] = 0


@numba.njit(cache=True, nogil=True)
def factored(peaks: np.ndarray, factors: np.ndarray) -> np.ndarray:
    """``peaks`` (stems,) float32 times ``factors`` (stems,) float64, to four places."""
    out = np.empty(factors.size)
    for i in range(factors.size):
        out[i] = math.floor(peaks[i] * factors[i] * 1e4 + 0.5) / 1e4
    return out


@numba.njit(cache=True, nogil=True)
def raise_peaks(
    peaks: np.ndarray, stem_of: np.ndarray, scales: np.ndarray, voices: np.ndarray, loud: np.ndarray
) -> None:
    """Raise ``peaks`` (stems,) float32 to ``loud`` (voices,) float32, times their ``scales``, of the stems they are ``stem_of``.

    ``stem_of`` and ``scales`` are by the place of a voice, and ``voices`` these places.
    """
    for i, voice in enumerate(voices):
        stem = stem_of[voice]
        peaks[stem] = max(peaks[stem], loud[i] * scales[voice])


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
