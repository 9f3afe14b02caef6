"""Where the sections of a song begin, heard in its stems, each with its reason.

Every bar is described by how loud each stem is in it, by its harmony, its colour and how busy it
is. A section begins where the bars after a bar line are unlike those before it, over more than one
span (Foote, "Automatic audio segmentation using a measure of audio novelty", ICME 2000), and the
set of beginnings is chosen as a whole, since sections last whole phrases (Sargent, Bimbot and
Vincent, "Estimating the structural segmentation of popular music pieces under regularity
constraints", IEEE/ACM TASLP 25, 2017).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from upbeat.listening.follow.bars import _HOP, harmony
from upbeat.listening.follow.novelty import COARSE, RATE, novelty

_SPANS = (2, 4, 8)  # bars compared on either side
_RANGE_DB, _SILENT_DB, _RINGS_DB = 40.0, -70.0, 18.0
_BANDS = 9
_TOLL = 0.6  # what a beginning has to be worth
_HARMONY = 0.35
_LEAST = 0.8
_SAME = 0.88


@dataclass(frozen=True)
class Reason:
    """``kind``: enters, leaves, louder, softer, chords, colour, busier, calmer. ``stem``: its index; ``value``: dB or share."""

    kind: str
    stem: int | None = None
    value: float = 0.0


@dataclass(frozen=True)
class Beginning:
    """A section that begins at ``bar``. ``like``: which of the kinds of section heard it is, from 0."""

    bar: int
    sure: float
    reasons: tuple[Reason, ...]
    like: int


@dataclass(frozen=True)
class Bars:
    """What every bar sounds like: ``levels`` (stems, bars) in dB, ``pitch`` (bars, 12), ``bands`` (bars, n) in dB, ``busy`` (bars,)."""

    levels: np.ndarray
    pitch: np.ndarray
    bands: np.ndarray
    busy: np.ndarray

    @property
    def count(self) -> int:
        return self.levels.shape[1]


def describe(
    stems: Sequence[np.ndarray],
    tonal: Sequence[bool],
    lines_s: Sequence[float],
    progress: Callable[[float], None] = lambda _: None,
) -> Bars:
    """Stems as lines (frames,) at 22050 Hz, all on one zero, and the bar lines in seconds, the closing one included."""
    edges = np.round(np.asarray(lines_s) * RATE).astype(int)
    bars = len(edges) - 1
    length = max((len(s) for s in stems), default=0)
    mix, chords = (np.zeros(length, dtype=np.float32) for _ in range(2))
    levels = np.zeros((len(stems), bars))
    for i, s in enumerate(stems):
        levels[i] = [_db(s[max(0, a) : max(0, b)]) for a, b in pairwise(edges)]
        mix[: len(s)] += s
        if tonal[i] or not any(tonal):
            chords[: len(s)] += s
        progress(0.3 * (i + 1) / len(stems))
    pitch = _by_bar(harmony(chords), edges / _HOP)
    progress(0.6)
    heard = novelty(mix)
    progress(0.9)
    busy = _by_bar(np.minimum(heard.coarse.sum(axis=0), 6.0)[:, None], edges / RATE * COARSE)[:, 0]
    return Bars(levels, pitch, _bands(mix, edges), busy)


def _db(part: np.ndarray) -> float:
    return float(10 * np.log10(np.square(part, dtype=np.float64).mean() + 1e-10)) if len(part) else -100.0


def _by_bar(values: np.ndarray, edges: np.ndarray) -> np.ndarray:
    at = np.clip(np.round(edges).astype(int), 0, len(values))
    sums = np.concatenate((np.zeros((1, values.shape[1])), np.cumsum(values, axis=0)))
    mean: np.ndarray = (sums[at[1:]] - sums[at[:-1]]) / np.maximum(1, at[1:] - at[:-1])[:, None]
    return mean


def _bands(mix: np.ndarray, edges: np.ndarray) -> np.ndarray:
    """Power of every bar in octave bands from 40 Hz, in dB."""
    result = np.full((len(edges) - 1, _BANDS), -100.0)
    for i, (a, b) in enumerate(pairwise(np.maximum(edges, 0))):
        part = mix[a:b]
        if len(part) < 1024:
            continue
        frames = part[: len(part) // 1024 * 1024].reshape(-1, 1024) * np.hanning(1024).astype(np.float32)
        power = np.square(np.abs(np.fft.rfft(frames, axis=1))).mean(axis=0)
        hz = np.arange(513) * RATE / 1024
        which = np.clip(np.floor(np.log2(np.maximum(hz, 1) / 40)).astype(int), 0, _BANDS - 1)
        result[i] = 10 * np.log10(np.bincount(which, power, _BANDS) + 1e-9)
    return result


def _sounding(bars: Bars) -> np.ndarray:
    """Power of every bar in dB, no lower than 45 dB below the loudest."""
    power = 10 * np.log10(np.sum(10 ** (bars.levels / 10), axis=0) + 1e-10)
    floored: np.ndarray = np.maximum(power, power.max(initial=-100) - _RANGE_DB)
    return floored


def _pitch(bars: Bars) -> np.ndarray:
    normal: np.ndarray = bars.pitch / (np.linalg.norm(bars.pitch, axis=1, keepdims=True) + 1e-9)
    return normal


def _steps(values: np.ndarray, at: int, span: int, floor: float) -> np.ndarray:
    """Of each column, the step at ``at`` over ``span`` bars: 0 to 1, against what the bars vary by themselves."""
    before, after = values[max(0, at - span) : at], values[at : at + span]
    apart = np.abs(after.mean(axis=0) - before.mean(axis=0))
    within = np.sqrt((before.var(axis=0) * len(before) + after.var(axis=0) * len(after)) / (len(before) + len(after)))
    ratio = apart / (2 * within + floor)
    steps: np.ndarray = ratio / (1 + ratio)
    return steps


def _turn(pitch: np.ndarray, at: int, span: int) -> float:
    """The same of the harmony, whose chords go round within a section."""
    before, after = pitch[max(0, at - span) : at], pitch[at : at + span]
    apart = float(np.linalg.norm(after.mean(axis=0) - before.mean(axis=0)))
    within = float(
        np.sqrt(
            (before.var(axis=0).sum() * len(before) + after.var(axis=0).sum() * len(after)) / (len(before) + len(after))
        )
    )
    ratio = apart / (2 * within + 0.15)
    return ratio / (1 + ratio)


def music_ends(bars: Bars) -> int:
    """The bars until the last one that sounds: what rings on behind it begins nothing."""
    sounds = np.flatnonzero(_sounding(bars) > _sounding(bars).max(initial=-100) - _RINGS_DB)
    return int(sounds[-1]) + 1 if len(sounds) else 0


def curve(bars: Bars) -> np.ndarray:
    """(bars,) how much begins at each bar line, about 0 to 3; 0 at the first."""
    total = np.zeros(bars.count)
    ends = music_ends(bars)
    top = np.max(bars.levels, axis=1, initial=-100)
    levels = np.maximum(bars.levels, top[:, None] - _RANGE_DB)[top > _SILENT_DB].T[:ends]
    bands = np.maximum(bars.bands, bars.bands.max(axis=0) - _RANGE_DB)[:ends]
    loud = _sounding(bars)[:ends, None]
    busy = 10 * np.log10(bars.busy[:ends, None] + 0.05)
    pitch = _pitch(bars)[:ends]
    for at in range(1, ends):
        for span in _SPANS:
            stems = np.sort(_steps(levels, at, span, 1.5))[::-1]
            worth = 1.0 * float(stems[:2].mean()) if len(stems) else 0.0
            worth += 0.6 * float(_steps(loud, at, span, 1.0)[0]) + 0.6 * float(
                np.sort(_steps(bands, at, span, 1.5))[-4:].mean()
            )
            worth += 0.3 * float(_steps(busy, at, span, 1.0)[0]) + _HARMONY * _turn(pitch, at, span)
            total[at] += worth / len(_SPANS)
    return total


def beginnings(bars: Bars) -> list[Beginning]:
    """The sections of a song, the first at bar 1. Nothing is offered where all bars are alike."""
    if bars.count < 4:
        return []
    worth = curve(bars)
    scale = max(float(np.quantile(worth[1:], 0.95)), _LEAST)
    chosen = _chosen(worth / scale)
    starts = [0, *chosen]
    likes = _likes(bars, starts)
    return [
        Beginning(
            at + 1,
            round(float(np.clip(worth[at] / scale, 0, 1)), 2) if at else 1.0,
            _reasons(bars, at) if at else (),
            like,
        )
        for at, like in zip(starts, likes, strict=True)
    ]


def _length_toll(length: int) -> float:
    """Sections last whole phrases: eight bars and their multiples cost nothing, odd lengths something, one bar a lot."""
    if length % 8 == 0:
        return 0.0
    if length % 4 == 0:
        return 0.06
    if length < 3:
        return 0.7
    return 0.16 if length % 2 == 0 else 0.24


def _chosen(worth: np.ndarray) -> list[int]:
    """The bars (from 0) whose worth less their tolls is greatest in all: by dynamic programming over where each section ends."""
    n = len(worth)
    best = np.full(n + 1, -np.inf)
    best[0] = 0.0
    came = np.zeros(n + 1, dtype=int)
    gain = np.concatenate((worth - _TOLL, [0.0]))
    for end in range(1, n + 1):
        for start in range(max(0, end - 64), end):
            toll = _length_toll(end - start) * (0.5 if end == n else 1.0)
            value = best[start] + gain[end] - toll
            if value > best[end]:
                best[end], came[end] = value, start
    chosen, at = [], int(came[n])
    while at > 0:
        chosen.append(at)
        at = int(came[at])
    return chosen[::-1]


def _likes(bars: Bars, starts: list[int]) -> list[int]:
    """Sections that sound alike have the same number: same harmony in order, about the same stems."""
    top = np.max(bars.levels, axis=1, initial=-100)
    levels = np.maximum(bars.levels, top[:, None] - _RANGE_DB).T
    pitch = _pitch(bars)
    kinds: list[tuple[np.ndarray, np.ndarray]] = []
    likes = []
    for a, b in zip(starts, [*starts[1:], bars.count], strict=True):
        mine = (pitch[a:b], levels[a:b].mean(axis=0))
        like = next((k for k, other in enumerate(kinds) if _alike(mine, other)), len(kinds))
        if like == len(kinds):
            kinds.append(mine)
        likes.append(like)
    return likes


def _alike(one: tuple[np.ndarray, np.ndarray], other: tuple[np.ndarray, np.ndarray]) -> bool:
    n = min(len(one[0]), len(other[0]))
    if n < 0.6 * max(len(one[0]), len(other[0])):
        return False
    harmony_alike = float((one[0][:n] * other[0][:n]).sum(axis=1).mean())
    return harmony_alike > _SAME and float(np.abs(one[1] - other[1]).max(initial=0)) < 10


def _reasons(bars: Bars, at: int) -> tuple[Reason, ...]:
    """What changes there, most striking first, three at most."""
    span = 4
    before, after = slice(max(0, at - span), at), slice(at, at + span)
    found: list[tuple[float, Reason]] = []
    top = np.max(bars.levels, axis=1)
    for i in range(len(bars.levels)):
        was, now = (float(np.median(bars.levels[i, s])) - top[i] for s in (before, after))
        if top[i] > _SILENT_DB and was < -25 <= now - 6:
            found.append((1.0 + now / 40, Reason("enters", i)))
        elif top[i] > _SILENT_DB and now < -25 <= was - 6:
            found.append((1.0 + was / 40, Reason("leaves", i)))
    power = 10 * np.log10(np.sum(10 ** (bars.levels / 10), axis=0) + 1e-10)
    step = float(power[after].mean() - power[before].mean())
    if abs(step) >= 2:
        found.append(
            (float(min(1.0, abs(step) / 8)), Reason("louder" if step > 0 else "softer", None, round(abs(step), 1)))
        )
    pitch = _pitch(bars)
    was_pitch, now_pitch = pitch[before].mean(axis=0), pitch[after].mean(axis=0)
    chords = 1 - float(was_pitch @ now_pitch) / (
        float(np.linalg.norm(was_pitch)) * float(np.linalg.norm(now_pitch)) + 1e-9
    )
    if chords > 0.04:
        found.append((min(0.9, chords * 6), Reason("chords", None, round(chords, 2))))
    ratio = float((bars.busy[after].mean() + 0.05) / (bars.busy[before].mean() + 0.05))
    if ratio > 1.25 or ratio < 0.8:
        found.append(
            (min(0.8, abs(float(np.log(ratio)))), Reason("busier" if ratio > 1 else "calmer", None, round(ratio, 2)))
        )
    if not found:
        found.append((0.1, Reason("colour")))
    return tuple(r for _, r in sorted(found, key=lambda f: -f[0])[:3])
