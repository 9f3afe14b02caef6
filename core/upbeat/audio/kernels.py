"""Loops over every sample, compiled (numba). Kept on disk once compiled; they hold no interpreter lock."""

from __future__ import annotations

import numba
import numpy as np

_STRETCH = 128
_STILL = 1e-30
_MOST = np.float32(3.4e38)  # no sample is so great


@numba.njit(cache=True, nogil=True)
def second_order(block: np.ndarray, sections: np.ndarray, state: np.ndarray, out: np.ndarray) -> None:
    """Filter (4, frames) float32 into ``out`` by second-order sections (transposed direct form II).

    Four at once: within one, each step waits for the one before. ``sections``: (filters, 5), b0, b1, b2, a1, a2; ``state``:
    (4, filters, 2) float64, carries on.
    """
    frames = block.shape[1]
    work = np.empty((frames, 4))
    for i in range(frames):
        for c in range(4):
            work[i, c] = block[c, i]
    for k in range(sections.shape[0]):
        b0, b1, b2, a1, a2 = sections[k, 0], sections[k, 1], sections[k, 2], sections[k, 3], sections[k, 4]
        p0, p1, q0, q1 = state[0, k, 0], state[0, k, 1], state[1, k, 0], state[1, k, 1]
        r0, r1, t0, t1 = state[2, k, 0], state[2, k, 1], state[3, k, 0], state[3, k, 1]
        for i in range(frames):
            p, q, r, t = work[i, 0], work[i, 1], work[i, 2], work[i, 3]
            work[i, 0], work[i, 1] = b0 * p + p0, b0 * q + q0
            work[i, 2], work[i, 3] = b0 * r + r0, b0 * t + t0
            p0, q0 = b1 * p - a1 * work[i, 0] + p1, b1 * q - a1 * work[i, 1] + q1
            r0, t0 = b1 * r - a1 * work[i, 2] + r1, b1 * t - a1 * work[i, 3] + t1
            p1, q1 = b2 * p - a2 * work[i, 0], b2 * q - a2 * work[i, 1]
            r1, t1 = b2 * r - a2 * work[i, 2], b2 * t - a2 * work[i, 3]
        state[0, k, 0], state[0, k, 1], state[1, k, 0], state[1, k, 1] = p0, p1, q0, q1
        state[2, k, 0], state[2, k, 1], state[3, k, 0], state[3, k, 1] = r0, r1, t0, t1
    for i in range(frames):
        for c in range(4):
            out[c, i] = work[i, c]


@numba.njit(cache=True, nogil=True, fastmath=True)
def weighted_power(
    planar: np.ndarray,
    sections: np.ndarray,
    state: np.ndarray,
    sums: np.ndarray,
    plain: np.ndarray,
    held: int,
    hop: int,
    out: np.ndarray,
) -> int:
    """Mean power of every ``hop`` frames after two second-order sections (transposed direct form II).

    ``planar``: (channels, frames) float32. ``sections``: (2, 6) as scipy orders them. ``state``
    (channels, 2, 2), ``sums`` (channels) and ``held`` carry on from the block before; ``out``
    (channels, hops) is filled. The samples as they are are added to ``plain`` (channels): beside the filters, whose
    steps wait for one another, that costs nothing. Returns how many frames are held over.
    """
    channels, frames = planar.shape
    for c in range(channels):
        b0, b1, b2, a1, a2 = sections[0, 0], sections[0, 1], sections[0, 2], sections[0, 4], sections[0, 5]
        d0, d1, d2, e1, e2 = sections[1, 0], sections[1, 1], sections[1, 2], sections[1, 4], sections[1, 5]
        s0, s1, t0, t1 = state[c, 0, 0], state[c, 0, 1], state[c, 1, 0], state[c, 1, 1]
        total, count, done, added = sums[c], held, 0, 0.0
        for i in range(frames):
            x = np.float64(planar[c, i])
            added += x
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
        plain[c] += added
    return (held + frames) % hop


@numba.njit(cache=True, nogil=True, fastmath=True)
def extremes(
    planar: np.ndarray,
    size: int,
    held: int,
    least_held: np.ndarray,
    greatest_held: np.ndarray,
    low: np.ndarray,
    high: np.ndarray,
) -> int:
    """Least and greatest of every ``size`` frames of a stream into ``low`` and ``high`` (channels, groups).

    ``least_held`` and ``greatest_held`` (channels) carry on a group of which ``held`` frames have come, and begin as
    the greatest and the least float. Returns how many frames are held over.
    """
    channels, frames = planar.shape
    for c in range(channels):
        least, greatest = least_held[c], greatest_held[c]
        at, left, group = 0, size - held, 0
        while at < frames:
            n = min(left, frames - at)
            for i in range(at, at + n):
                least = min(least, planar[c, i])
                greatest = max(greatest, planar[c, i])
            at += n
            left -= n
            if left == 0:
                low[c, group], high[c, group] = least, greatest
                least, greatest = _MOST, -_MOST
                left = size
                group += 1
        least_held[c], greatest_held[c] = least, greatest
    return (held + frames) % size


@numba.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _add(to: np.ndarray, taps: np.ndarray, row: np.ndarray, n: int) -> None:
    """Add to ``to[:n]`` the samples of ``row`` under ``taps``: tap by tap, so that the inner loop becomes vector instructions."""
    for k in range(len(taps)):
        tap, part = taps[k], row[k : k + n]
        for i in range(n):
            to[i] += tap * part[i]


@numba.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _greatest(values: np.ndarray, first: int, n: int) -> np.float32:
    most = np.float32(0.0)
    for i in range(first, first + n):
        most = max(most, abs(values[i]))
    return most


@numba.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _greatest_quarter(
    between: np.ndarray, even: np.ndarray, odd: np.ndarray, middles: np.ndarray, samples: np.ndarray, n: int
) -> np.float32:
    """Greatest absolute value a quarter after, and a quarter before, each of ``n`` middles."""
    between[:n] = 0.0
    _add(between, even, middles, n)
    _add(between, odd, samples, n)
    most = _greatest(between, 0, n)
    between[:n] = 0.0
    _add(between, even, samples, n)
    _add(between, odd, middles[1:], n)
    return max(most, _greatest(between, 0, n))


@numba.njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def loudest_between(
    planar: np.ndarray,
    first: int,
    last: int,
    half: np.ndarray,
    quarter: np.ndarray,
    core: int,
    bound: float,
    peak: float,
) -> np.float32:
    """Greatest absolute value at the three quarters between samples of (channels, frames), if above ``peak``.

    Looked at are frames ``first`` to ``last``.

    ``half``: an even number of taps that give the middle between two samples; ``quarter``: a multiple of
    four taps that give the middle between two values of samples and middles interleaved. A stretch at a
    time. Nothing is worked out within ``len(half) // 2 + len(quarter) // 4`` frames of the ends.

    Nothing of a stretch is worked out whose loudest sample times ``bound``, the most that the filters gain, does not
    reach ``peak``. Then only the ``core`` taps in the middle of ``half`` are summed. What the others add is at most
    their norm times that of the samples under them (Cauchy-Schwarz), and their sum times the loudest of these; where
    even that would not reach ``peak`` they are left out.
    """
    reach = len(quarter) // 4
    lead = len(half) // 2 + reach
    frames = last - first - 2 * lead
    even, odd = quarter[::2].copy(), quarter[1::2].copy()
    outer = (len(half) - core) // 2
    left, inner, right = half[:outer].copy(), half[outer : outer + core].copy(), half[outer + core :].copy()
    # An error of a middle reaches the quarters through the even taps.
    gain = max(np.float32(1.0), np.abs(even).sum())
    norm = np.sqrt((left * left).sum() + (right * right).sum()) * gain
    most_added = (np.abs(left).sum() + np.abs(right).sum()) * gain
    most = np.float32(peak)
    middles, between = np.empty(_STRETCH + 2 * reach, np.float32), np.empty(_STRETCH, np.float32)
    for c in range(planar.shape[0]):
        row = planar[c, first:last]
        for start in range(0, frames, _STRETCH):
            n = min(_STRETCH, frames - start)
            loudest = _greatest(row, start, n + 2 * lead)
            if loudest * bound <= most:
                continue
            # middles[j] lies after sample start + lead - reach + j
            under, samples = row[start + 1 :], row[start + lead - reach + 1 :]
            middles[:] = 0.0
            _add(middles, inner, under[outer:], n + 2 * reach)
            found = max(_greatest(middles, reach, n), _greatest_quarter(between, even, odd, middles, samples, n))
            if found + loudest * most_added <= most:
                continue
            energy = np.float32(0.0)
            for i in range(n + 2 * lead - 1):
                energy += under[i] * under[i]
            if found + norm * np.sqrt(energy) <= most:
                continue
            _add(middles, left, under, n + 2 * reach)
            _add(middles, right, under[outer + core :], n + 2 * reach)
            most = max(most, _greatest(middles, reach, n))
            most = max(most, _greatest_quarter(between, even, odd, middles, samples, n))
    return most


@numba.njit(cache=True, nogil=True)
def ceiling_gains(
    line: np.ndarray,
    taps: np.ndarray,
    ceiling: float,
    loud: float,
    rise: float,
    wanted: np.ndarray,
    heard: np.ndarray,
    gains: np.ndarray,
) -> None:
    """The gains that keep (rows, past + frames) float32 below a ceiling, into ``gains``, (frames,) float32.

    ``taps``: (3, taps) float32, for the quarters between two samples; past: taps + 1 frames. Samples no greater than ``loud`` have
    nothing above the ceiling between them. ``wanted`` and ``heard``, (look-ahead,) float64: the last factors that were wanted of each
    sample, and those that were let through, which rise by ``rise`` a frame at the most; both carry on.
    """
    count, frames, ahead = taps.shape[1], gains.shape[0], wanted.shape[0]
    past = line.shape[1] - frames
    between = _between(line, taps, loud, frames + 1)
    factors, let = np.ones(ahead + frames), np.ones(ahead + frames)
    factors[:ahead] = wanted
    let[:ahead] = heard
    newest_low = -1
    for i in range(ahead):
        if factors[i] < 1.0:
            newest_low = i
    for n in range(frames):
        peak = max(between[n], between[n + 1])
        for row in range(line.shape[0]):
            peak = max(peak, abs(line[row, past + n - count // 2]))
        if peak > ceiling:
            factors[ahead + n] = ceiling / peak
            newest_low = ahead + n
        least = 1.0
        if newest_low >= n:
            for i in range(n, ahead + n + 1):
                least = min(least, factors[i])
        let[ahead + n] = min(least, let[ahead + n - 1] + rise, 1.0)
        mean = 0.0
        for i in range(n, ahead + n + 1):
            mean += let[i]
        gains[n] = min(1.0, mean / (ahead + 1))
    wanted[:] = factors[frames:]
    heard[:] = let[frames:]


@numba.njit(cache=True, nogil=True)
def _between(line: np.ndarray, taps: np.ndarray, loud: float, frames: int) -> np.ndarray:
    """The greatest values at the quarters between the two samples in the middle of as many as ``taps`` has, up to each of the
    last ``frames``; nought where none of them is greater than ``loud``."""
    count, total = taps.shape[1], line.shape[1]
    found = np.zeros(frames, dtype=np.float32)
    sums = np.zeros(_STRETCH, dtype=np.float32)
    for a in range(0, frames, _STRETCH):
        n = min(_STRETCH, frames - a)
        first = total - frames + a - count + 1
        for row in range(line.shape[0]):
            if _greatest(line[row], first, count + n - 1) <= loud:
                continue
            for q in range(taps.shape[0]):
                sums[:n] = 0
                _add_in_order(sums, taps[q], line[row, first:], n)
                for i in range(n):
                    found[a + i] = max(found[a + i], abs(sums[i]))
    return found


@numba.njit(cache=True, nogil=True)
def _add_in_order(to: np.ndarray, taps: np.ndarray, row: np.ndarray, n: int) -> None:
    """As :func:`_add`, with every sum rounded alike however many there are."""
    for k in range(len(taps)):
        tap, part = taps[k], row[k : k + n]
        for i in range(n):
            to[i] += tap * part[i]


@numba.njit(cache=True, nogil=True)
def windowed_sinc(
    rows: np.ndarray, low: int, first: int, ratio: float, cutoff: float, reach: int, out: np.ndarray
) -> None:
    """Fill ``out``, (frames, channels) float64, with ``rows`` read at frames ``(first + n) * ratio``, where row 0 is frame ``low``.

    Each is the sum of the ``2 * reach`` samples around it, weighted by a sinc of ``cutoff`` (1: the whole band) under a Hann window.
    Sines and cosines of one sample's weights follow from each other by rotation.
    """
    channels = rows.shape[1]
    turn_sin, turn_cos = np.sin(np.pi * cutoff), np.cos(np.pi * cutoff)
    lean_sin, lean_cos = np.sin(np.pi / reach), np.cos(np.pi / reach)
    for n in range(out.shape[0]):
        at = (first + n) * ratio
        whole = int(np.floor(at))
        distance = 1 - reach - (at - whole)
        s, c = np.sin(np.pi * cutoff * distance), np.cos(np.pi * cutoff * distance)
        ws, wc = np.sin(np.pi * distance / reach), np.cos(np.pi * distance / reach)
        for channel in range(channels):
            out[n, channel] = 0.0
        for i in range(2 * reach):
            weight = 0.0
            if abs(distance) < 1e-9:
                weight = cutoff
            elif abs(distance) < reach:
                weight = s / (np.pi * distance) * (0.5 + 0.5 * wc)
            row = whole - reach + 1 + i - low
            for channel in range(channels):
                out[n, channel] += weight * rows[row, channel]
            distance += 1.0
            s, c = s * turn_cos + c * turn_sin, c * turn_cos - s * turn_sin
            ws, wc = ws * lean_cos + wc * lean_sin, wc * lean_cos - ws * lean_sin
