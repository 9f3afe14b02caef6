"""Stems of one song held against each other: who is late, turned over, louder than in the mix.

With a full mix, every stem is part of a known sum. Its place in it is the peak of the generalised
cross-correlation (Knapp and Carter, "The Generalized Correlation Method for Estimation of Time
Delay", IEEE Trans. ASSP-24, 1976), weighted by the spectrum of what it is hidden in (their Roth
processor), first in the mix, then in what the other stems leave of it. Without a full mix only
onsets can be compared, which is coarse: soft attacks come late by nature.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy.fft

from upbeat.listening.trace import TRACE_RATE

MAX_LAG_S = 0.5
TAIL_S, SHORTEST_FADE_S = 14.0, 3.0
LOWEST_HZ = 80.0
_HOP = 30  # 5 ms of trace
_SMOOTH = 2001
_MIX_SHARE = 0.8


@dataclass(frozen=True, kw_only=True)
class Compared:
    """What the others tell of one stem. ``sure`` is 0 to 1.

    ``lag_ms``: late (positive) against the full mix, or against the other stems' onsets where
    ``against`` is "onsets". ``louder_db``: over its level in the full mix, with the level that most
    stems have there taken off. ``mix_share``: part of its energy that is the sum of other stems.
    ``fade_s``: length of a fade at its end that the others, or the full mix, do not make.
    ``click_bpm``: set where it is nothing but short hits on a steady beat. ``silent_side``: 0 or 1
    where that side holds nothing while the other sounds.
    """

    lag_ms: float | None = None
    lag_sure: float = 0.0
    against: str = ""
    inverted: bool = False
    louder_db: float | None = None
    mix_share: float = 0.0
    mix_parts: int = 0
    click_bpm: float | None = None
    silent_side: int | None = None
    fade_s: float | None = None


def compare(traces: Sequence[np.ndarray], mix: int | None) -> list[Compared]:
    """``traces``: (channels, frames) at :data:`TRACE_RATE`; ``mix``: which of them is the full mix."""
    frames = max((t.shape[1] for t in traces), default=0)
    lines = np.array([np.pad(one_line(t), (0, frames - t.shape[1])) for t in traces], dtype=np.float32).reshape(
        len(traces), frames
    )
    sounds = [bool(line.any()) for line in lines]
    clicks = [click_tempo(line) if s else None for line, s in zip(lines, sounds, strict=True)]
    found = [Compared(click_bpm=c, silent_side=silent_side(t)) for c, t in zip(clicks, traces, strict=True)]
    parts = [i for i, s in enumerate(sounds) if s and i != mix and clicks[i] is None]
    if mix is None:
        shares = mix_shares(lines[parts])
        for i, (share, count) in zip(parts, shares, strict=True):
            found[i] = _with(found[i], mix_share=share, mix_parts=count)
        sum_of_all = [i for i in parts if is_sum(found[i])]
        mix = sum_of_all[0] if sum_of_all else None
        parts = [i for i in parts if i != mix]
    if mix is not None and sounds[mix] and parts:
        places = in_mix(lines[parts], lines[mix])
        for i, (place, _) in zip(parts, places, strict=True):
            found[i] = _with(found[i], **place)
        fades = end_fades(lines[parts], lines[mix], [by for _, by in places])
        for i, fade in zip([mix, *parts], fades, strict=True):
            found[i] = _with(found[i], fade_s=fade)
    elif len(parts) > 1:
        for i, (lag, sure) in zip(parts, onset_lags(lines[parts]), strict=True):
            found[i] = _with(found[i], lag_ms=lag, lag_sure=sure, against="onsets")
    return found


def is_sum(one: Compared) -> bool:
    """Whether a stem is the sum of at least three others."""
    return one.mix_share >= _MIX_SHARE and one.mix_parts >= 3


def _with(one: Compared, **changes: object) -> Compared:
    return Compared(**{**one.__dict__, **changes})


def one_line(trace: np.ndarray) -> np.ndarray:
    """The middle of a stereo trace (2, values), as (values,), or its left side where the sides cancel each other."""
    if len(trace) == 1:
        return trace[0]
    middle = trace.mean(axis=0)
    own = float(np.square(trace).sum()) / 2
    return trace[0] if float(middle @ middle) < 0.02 * own else middle


def silent_side(trace: np.ndarray) -> int | None:
    """The side, 0 or 1, of a trace (2, values) that holds less than -60 dB of the other; None for neither."""
    if len(trace) < 2:
        return None
    left, right = (float(side @ side) for side in trace[:2])
    if left < 1e-6 * right:
        return 0
    return 1 if right < 1e-6 * left else None


# --- against the full mix ---------------------------------------------------------------------


def in_mix(stems: np.ndarray, mix: np.ndarray) -> list[tuple[dict[str, object], tuple[float, float]]]:
    """Lag, polarity and level of each stem (rows) in a mix, both at :data:`TRACE_RATE`.

    With each, where it lies in the mix: frames late, and its factor there. The end is left out,
    since fades are looked for there, as long as every stem sounds before it.
    """
    head = stems.shape[1] - int(TAIL_S * TRACE_RATE)
    if head > 2 * TAIL_S * TRACE_RATE and np.abs(stems[:, :head]).max(axis=1).all():
        stems, mix = stems[:, :head], mix[:head]
    frames = stems.shape[1]
    size = 2 * scipy.fft.next_fast_len((frames + int(MAX_LAG_S * TRACE_RATE)) // 2 + 1, real=True)
    hz = np.arange(size // 2 + 1) * (TRACE_RATE / size)
    spectra = scipy.fft.rfft(stems, size, axis=1)
    spectra[:, hz < LOWEST_HZ] = 0
    target = scipy.fft.rfft(mix, size)
    target[hz < LOWEST_HZ] = 0
    lags, sures = map(list, zip(*(_lag(s, target, target) for s in spectra), strict=True))
    turn = np.arange(size // 2 + 1, dtype=np.float32) * np.float32(2 * np.pi / size)
    placed, gains = _place(spectra, lags, sures, turn, target)
    # Again, in what is left of the mix when the others are taken out: a soft stem is plain to see there.
    rest = target - gains @ placed
    for i, s in enumerate(spectra):
        lags[i], sures[i] = _lag(s, rest + gains[i] * placed[i], rest)
    placed, gains = _place(spectra, lags, [1.0] * len(lags), turn, target)
    rest = target - gains @ placed
    explained = 1 - _energy(rest) / max(1e-30, _energy(target))
    # What is left beside a stem's own part speaks too: bass repeats itself, so its peak stands out little.
    sures = [
        max(sure, 1 - _energy(rest) / max(1e-30, _energy(rest + g * p)))
        for sure, g, p in zip(sures, gains, placed, strict=True)
    ]
    level = 20 * np.log10(np.maximum(np.abs(gains), 1e-6))
    known = [i for i, sure in enumerate(sures) if sure > 0.3]
    usual = float(np.median(level[known])) if known else 0.0
    late = float(np.median([lags[i] for i in known])) if len(known) > 2 else 0.0
    numbers: list[dict[str, object]] = [
        {
            "lag_ms": (lags[i] - late) / TRACE_RATE * 1000,
            "lag_sure": sures[i],
            "against": "full mix",
            "inverted": bool(gains[i] < 0 and sures[i] > 0.6),
            "louder_db": float(usual - level[i]) if explained > 0.6 and len(known) > 2 and sures[i] > 0.3 else None,
        }
        for i in range(len(stems))
    ]
    return [(one, (lag, float(g))) for one, lag, g in zip(numbers, lags, gains, strict=True)]


def end_fades(stems: np.ndarray, mix: np.ndarray, places: Sequence[tuple[float, float]]) -> list[float | None]:
    """Length in seconds of a fade at the end of the mix and of each stem, None where there is none.

    The mix is held against what the stems make of it; a stem against what the mix has besides the
    others. Where both sound, their ratio is level, and sinks in a fade.
    """
    tail = min(mix.shape[0], int(TAIL_S * TRACE_RATE))
    parts = np.array([g * np.roll(s, -round(lag))[-tail:] for s, (lag, g) in zip(stems, places, strict=True)])
    mix = mix[-tail:]
    of_mix = _sinks(mix, parts.sum(axis=0))
    if of_mix is not None:
        return [of_mix, *([None] * len(stems))]
    return [None, *(_sinks(part, mix - parts.sum(axis=0) + part) for part in parts)]


def _sinks(line: np.ndarray, against: np.ndarray) -> float | None:
    step = TRACE_RATE // 4
    a, b = (v[len(v) % step :].reshape(-1, step) for v in (line, against))
    # A constant is no sound, and is all there is once the music has died away.
    a, b = (v - v.mean(axis=1, keepdims=True) for v in (a, b))
    power, shared, own = (b * b).sum(axis=1), (a * b).sum(axis=1), (a * a).sum(axis=1)
    heard = power > 1e-4 * power.max(initial=0)
    alike = heard & ((shared > 0.8 * np.sqrt(power * own)) | (own < 1e-4 * power))
    if alike.sum() < 8 or power.max(initial=0) <= 0:
        return None
    at = np.flatnonzero(alike)
    ratio = shared[at] / power[at]
    level = float(np.median(ratio[: len(ratio) // 3]))
    if level <= 0:
        return None
    ratio = ratio / level
    full = np.flatnonzero(ratio > 0.93)
    after = ratio[full[-1] + 1 :] if len(full) else ratio
    if len(after) < 6 or after[-1] > 0.5 or (np.diff(after) > 0.1).any():
        return None
    long = (len(a) - int(at[full[-1]]) - 0.5) / 4 if len(full) else len(a) / 4
    return round(long, 2) if long >= SHORTEST_FADE_S else None


def _energy(spectrum: np.ndarray) -> float:
    return float(np.vdot(spectrum, spectrum).real)


def _lag(stem: np.ndarray, target: np.ndarray, hidden_in: np.ndarray) -> tuple[float, float]:
    """Frames that ``stem`` comes after its likeness in ``target``, and how sure that is."""
    power = _smooth(np.abs(hidden_in) ** 2)
    weight = 1 / (power + 1e-3 * power.max() + 1e-30)
    size = 2 * (len(stem) - 1)
    line = scipy.fft.irfft(stem * np.conj(target) * weight, size)
    reach = int(MAX_LAG_S * TRACE_RATE)
    near = np.abs(np.concatenate((line[-reach:], line[: reach + 1])))
    at = int(near[1:-1].argmax()) + 1
    a, b, c = (float(v) for v in near[at - 1 : at + 2])
    if b <= 0:
        return 0.0, 0.0
    curve = a - 2 * b + c
    offset = 0.5 * (a - c) / curve if curve < 0 else 0.0
    far = near.copy()
    far[max(0, at - 15) : at + 16] = 0
    return at - reach + offset, max(0.0, 1 - float(far.max()) / b)


def _place(
    spectra: np.ndarray, lags: list[float], sures: list[float], turn: np.ndarray, target: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:
    """Stems moved to where they lie in the mix, and their gains by least squares."""
    placed = np.array(
        [
            s * np.exp(1j * lag * turn) if sure > 0.15 and abs(lag) > 0.01 else s
            for s, lag, sure in zip(spectra, lags, sures, strict=True)
        ]
    )
    gram = (placed @ placed.conj().T).real.astype(np.float64)
    # Two copies of one sound share its gain, instead of making the sum insoluble.
    gram += np.eye(len(gram)) * 1e-7 * max(1e-30, float(np.trace(gram)))
    return placed, np.linalg.solve(gram, (placed @ target.conj()).real)


def _smooth(power: np.ndarray) -> np.ndarray:
    sums = np.cumsum(np.concatenate(([0.0], power)))
    ends = np.minimum(np.arange(len(power)) + _SMOOTH // 2 + 1, len(power))
    starts = np.maximum(np.arange(len(power)) - _SMOOTH // 2, 0)
    smooth: np.ndarray = (sums[ends] - sums[starts]) / (ends - starts)
    return smooth


def mix_shares(stems: np.ndarray) -> list[tuple[float, int]]:
    """For each of ``stems`` (stems, values) the part of its energy that a sum of the others explains, and of how many.

    None of a stem that others would have to be taken away for: where a song is the sum of its
    parts, each part is also the song less the others.
    """
    stems = stems - stems.mean(axis=1, keepdims=True) if stems.size else stems
    gram = (stems @ stems.T).astype(np.float64)
    found = []
    for i in range(len(stems)):
        others = [j for j in range(len(stems)) if j != i]
        if len(others) < 3:
            found.append((0.0, 0))
            continue
        inner = gram[np.ix_(others, others)] + np.eye(len(others)) * 1e-9 * max(1e-30, float(np.trace(gram)))
        gains = np.linalg.solve(inner, gram[others, i])
        counts = gains**2 * np.diag(gram)[others] > 0.002 * gram[i, i]
        share = float(gains @ gram[others, i] / max(1e-30, gram[i, i]))
        found.append((max(0.0, share), int(counts.sum())) if (gains[counts] > 0).all() else (0.0, 0))
    return found


# --- without one --------------------------------------------------------------------------------


def onsets(line: np.ndarray) -> np.ndarray:
    """Rise of the level of a line (values,) in dB over each 5 ms, from the softest sound that matters up."""
    whole = line[: len(line) // _HOP * _HOP].reshape(-1, _HOP)
    power = np.square(whole).mean(axis=1)
    floor = max(1e-10, 1e-4 * float(power.max(initial=0)))
    rise = np.diff(10 * np.log10(np.maximum(power, floor)), prepend=10 * math.log10(floor))
    strong: np.ndarray = np.maximum(rise - 1.0, 0)
    return strong


def onset_lags(stems: np.ndarray) -> list[tuple[float | None, float]]:
    """Lag in ms of each stem's onsets against those of most others, and how sure it is.

    Sure at most by half: an attack that swells looks late and is not.
    """
    rises = [onsets(s) for s in stems]
    rises = [r - r.mean() for r in rises]
    found: list[tuple[float | None, float]] = []
    for i, own in enumerate(rises):
        pairs = [_onset_lag(own, other) for j, other in enumerate(rises) if j != i]
        clear = sorted(lag for lag, sure in pairs if sure > 0.1)
        if len(clear) < 2:
            found.append((None, 0.0))
            continue
        lag = (
            clear[len(clear) // 2] if len(clear) % 2 else min(clear[len(clear) // 2 - 1 : len(clear) // 2 + 1], key=abs)
        )
        agree = sum(abs(one - lag) <= 10 for one in clear) / len(clear)
        found.append((lag, 0.5 * agree))
    return found


def _onset_lag(own: np.ndarray, other: np.ndarray) -> tuple[float, float]:
    """Lag in ms between two curves of onsets, and how far its peak stands out, 0 to 1."""
    reach = int(0.25 * TRACE_RATE / _HOP)
    size = scipy.fft.next_fast_len(2 * len(own), real=True)
    line = scipy.fft.irfft(scipy.fft.rfft(own, size) * np.conj(scipy.fft.rfft(other, size)), size)
    near = np.concatenate((line[-reach:], line[: reach + 1]))
    at = int(near.argmax())
    strength = float(near[at]) / math.sqrt(max(1e-30, float((own @ own) * (other @ other))))
    around = near.copy()
    around[max(0, at - 5) : at + 6] = -np.inf
    sharp = 1 - float(around.max()) / float(near[at]) if near[at] > 0 else 0.0
    return (at - reach) * _HOP / TRACE_RATE * 1000, sharp if strength > 0.1 else 0.0


def click_tempo(line: np.ndarray) -> float | None:
    """Hits a minute of a line that is nothing but a click; None for music.

    A click is silent most of the time; its hits are short, on a steady beat, of at most three
    levels (accent, beat, division), and not low: a bass drum on every beat is all the rest.
    """
    whole = line[: len(line) // _HOP * _HOP].reshape(-1, _HOP)
    level = np.abs(whole).max(axis=1)
    if not len(level) or level.max() <= 0:
        return None
    on = level > 0.05 * level.max()
    if on.mean() > 0.35:
        return None
    edges = np.flatnonzero(np.diff(np.concatenate(([0], on.astype(np.int8), [0]))))
    starts, ends = edges[::2], edges[1::2]
    apart = np.concatenate(([True], np.diff(starts) > 16))
    if apart.sum() < 16 or np.quantile(ends - starts, 0.95) > 24:
        return None
    starts = starts[apart]
    gaps = np.diff(starts)
    usual = float(np.median(gaps))
    steady = np.abs(gaps - usual) <= max(2.0, 0.02 * usual)
    if steady.mean() < 0.85:
        return None
    heights = np.sort([level[a : a + 8].max() for a in starts])
    kinds = np.split(heights, np.flatnonzero(np.diff(heights) > 0.05 * heights[1:]) + 1)
    if len(kinds) > 3 or any(k[-1] > 1.1 * k[0] for k in kinds):
        return None
    power = np.abs(scipy.fft.rfft(line)) ** 2
    low = int(250 * len(line) / TRACE_RATE)
    if power[:low].sum() > 0.3 * power.sum():
        return None
    return 60 * TRACE_RATE / _HOP / float(gaps[steady].mean())
