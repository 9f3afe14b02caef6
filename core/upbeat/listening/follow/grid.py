"""A song's grid beside what was heard: how far apart they are, what to do about it, and the grid that fits.

``bars`` are the click's bar lines in seconds, the one that closes the last bar included; what was
heard is :class:`upbeat.listening.follow.align.Beats`.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np

from upbeat.errors import refuse
from upbeat.listening.follow.align import Beats
from upbeat.listening.follow.fit import Moments, straight
from upbeat.time.meter import TimeSignature, counted

UNSURE = 0.35  # below this no beat is relied on
BAR_UNSURE = 0.2
DRIFT_MS, AS_GOOD_MS = 5.0, 1.5
SAME_COUNT = 0.2
Way = Literal["both", "follow", "shift"]


@dataclass(frozen=True)
class BarHeard:
    """A bar of the grid: ms that it is heard after the click, and after the grid that fits; None where it is not heard."""

    off_ms: float | None
    fit_ms: float | None
    sure: float


@dataclass(frozen=True, kw_only=True)
class Advice:
    """What is wrong with a grid and what can be taken. Bars count from 1; ``factor``: heard over typed.

    ``metre``: another metre that the chords speak for.
    """

    first_bar: int
    last_bar: int
    first_ms: float
    last_ms: float
    low_ms: float
    high_ms: float
    worst_after_ms: float
    factor: float
    ways: tuple[Way, ...]
    unsure: bool
    bar_unsure: bool
    metre: str | None
    doubtful: tuple[int, ...]


def same_count(found: Beats, typed: float) -> bool:
    """Whether a typed tempo counts the beats that were heard, and not half or double of them."""
    return abs(typed / found.bpm - 1) < SAME_COUNT


def bars_before(found: Beats, bars: Sequence[float], typed: float, music_s: float | None) -> int:
    """How many bars of the grid come before the first that was heard: drums may well enter at bar 9.

    Where bar 1 was placed (``music_s`` None) they are counted from the nearest bar line of the grid;
    where it was not, back to where the music begins, at ``music_s``.
    """
    if not len(found.downbeats) or not same_count(found, typed):
        return 0
    first = float(found.downbeats[0])
    if music_s is None:
        return int(np.argmin(np.abs(np.array(bars[:-1]) - first))) if first > bars[0] else 0
    return max(0, round((first - music_s) / (found.per_bar * 60 / found.bpm)))


def heard_bars(found: Beats) -> np.ndarray:
    """The moment of each bar line that was heard, NaN where nothing begins."""
    return found.heard[found.bar1 :: found.per_bar]


def bars_heard(found: Beats, bars: Sequence[float], typed: float, skipped: int) -> list[BarHeard]:
    """Every bar of the grid beside what was heard of it; nothing where the grid counts otherwise."""
    heard, lines, sure = heard_bars(found), found.downbeats, found.sure[found.bar1 :: found.per_bar]
    counts = same_count(found, typed)
    offsets = [BarHeard(None, None, 0.0)] * skipped
    for i, h in enumerate(heard[: max(0, len(bars) - 1 - skipped)]):
        known = not np.isnan(h)
        off = round((float(h) - bars[skipped + i]) * 1000, 2) if known and counts else None
        offsets.append(BarHeard(off, round(float(h - lines[i]) * 1000, 2) if known else None, round(float(sure[i]), 2)))
    return offsets + [BarHeard(None, None, 0.0)] * (len(bars) - 1 - len(offsets))


def advise(found: Beats, bars: Sequence[float], typed: float, skipped: int, meter: TimeSignature) -> Advice:
    """What to do about a grid: set tempo and bar 1, follow the players, only shift, or nothing."""
    factor = 1.0 if same_count(found, typed) else round(found.bpm / typed, 1)
    under, lines = np.array(bars[skipped:-1]), found.downbeats
    count = min(len(lines), len(under))
    apart = (lines[:count] - under[:count]) * 1000 if count else np.zeros(1)
    off, after = ((heard_bars(found)[:count] - x[:count]) * 1000 for x in (under, lines))
    now, then = (float(np.nanmax(np.abs(x), initial=0)) for x in (off, after))
    first, last = float(apart[0]), float(apart[-1])
    unsure = found.confidence < UNSURE
    ways: list[Way] = []
    if not unsure and (factor != 1 or now > then + AS_GOOD_MS):
        if not found.steady:
            ways.append("follow")
        elif factor != 1 or abs(last - first) >= DRIFT_MS:
            ways.append("both")
        if abs(first) >= 1 and factor == 1:
            ways.append("shift")
    heard = off[np.isfinite(off)] if np.isfinite(off).any() else np.zeros(1)
    return Advice(
        first_bar=skipped + 1,
        last_bar=skipped + count,
        first_ms=round(first, 1),
        last_ms=round(last, 1),
        low_ms=round(float(heard.min()), 1),
        high_ms=round(float(heard.max()), 1),
        worst_after_ms=round(then if ways else now, 1),
        factor=factor,
        ways=tuple(ways),
        unsure=unsure,
        bar_unsure=found.bar_sure < BAR_UNSURE,
        metre=other_metre(meter, found.metre_beats),
        doubtful=tuple(b + skipped for b in silent_bars(found)),
    )


def other_metre(meter: TimeSignature, beats: int | None) -> str | None:
    """A metre of so many of the beats that ``meter`` is counted in: three of 6/8's make 9/8."""
    if beats is None:
        return None
    felt = counted(meter)
    each = 3 if felt.denominator == 8 and set(felt.grouping) == {3} else 1
    return f"{beats * each}/{meter.denominator}"


def silent_bars(found: Beats) -> list[int]:
    """Bars (from 1) of which nothing was heard: they were bridged and are to be looked at."""
    silent = np.isnan(found.heard[found.bar1 :])
    return [
        i // found.per_bar + 1
        for i in range(0, len(silent) - found.per_bar + 1, found.per_bar)
        if silent[i : i + found.per_bar].all()
    ]


def one_tempo(found: Beats, skipped: int) -> tuple[float, float]:
    """One tempo and the time of bar 1; of a recording that breathes, the line that leaves its beats least."""
    line = straight(np.arange(len(found.beats), dtype=float), Moments(found.beats, np.ones(len(found.beats))))
    bpm, first = (found.bpm, found.offset_s) if found.steady else (60 / line.period, float(line.at(found.bar1)))
    return bpm, first - skipped * found.per_bar * 60 / bpm


def followed(found: Beats, skipped: int, starts: Sequence[int], even: float, pins: Mapping[int, float]) -> list[float]:
    """Bar lines that follow the players, evened out within sections and held by pins.

    The last bar is closed at the tempo of the one before; bars before the first go at its tempo.
    Raises :class:`Refused` for too few bars.
    """
    lines = [float(s) for s in found.downbeats]
    if len(lines) < 3:
        raise refuse("grid-short", "There are too few bars to follow: measure a longer recording.")
    first, closing = lines[1] - lines[0], 2 * lines[-1] - lines[-2]
    return pinned(evened([*(lines[0] - first * n for n in range(skipped, 0, -1)), *lines, closing], starts, even), pins)


def pinned(bars: Sequence[float], pins: Mapping[int, float]) -> list[float]:
    """Bar lines with some put by hand (``pins``: index from 0 to seconds), the others moved along between them.

    Before the first pin and after the last, bars move as far as that pin does. Raises
    :class:`Refused` where a pin lies past its neighbours.
    """
    known = {i: s for i, s in pins.items() if 0 <= i < len(bars)}
    if not known:
        return list(bars)
    at = sorted(known)
    moves = np.interp(np.arange(len(bars)), at, [known[i] - bars[i] for i in at])
    moved = [b + float(m) for b, m in zip(bars, moves, strict=True)]
    if any(b - a < 0.05 for a, b in pairwise(moved)):
        raise refuse(
            "pin-order", "A bar line cannot lie before the one ahead of it: put the pin between its neighbours."
        )
    return moved


def evened(bars: Sequence[float], starts: Sequence[int], amount: float) -> list[float]:
    """Bar lines between "as played" (``amount`` 0) and one tempo in each section (1).

    ``starts``: indices of bars that open a section. Section starts stay where they are.
    Raises :class:`Refused` for an ``amount`` outside.
    """
    if not 0 <= amount <= 1:
        raise refuse("even-range", "Evening out goes from 0 (as played) to 1 (one tempo in each section).")
    edges = sorted({0, len(bars) - 1, *(s for s in starts if 0 <= s < len(bars))})
    even = np.interp(np.arange(len(bars)), edges, [bars[e] for e in edges])
    return [float((1 - amount) * b + amount * e) for b, e in zip(bars, even, strict=True)]


def tempo_of_bars(bars: Sequence[float], beats: Sequence[int]) -> list[tuple[int, float]]:
    """(bar from 1, beats a minute) that put bar lines at these times; bars of ``beats`` beats each.

    Only changes are listed. The last bar line closes the last bar.
    Raises :class:`Refused` where one does not come after the one before.
    """
    found: list[tuple[int, float]] = []
    for i, (a, b) in enumerate(pairwise(bars)):
        if b <= a:
            raise refuse("bars-order", "Bar lines have to follow one another: measure the song again.")
        bpm = round(60 * beats[i] / (b - a), 6)
        if not found or abs(found[-1][1] - bpm) > 1e-6:
            found.append((i + 1, bpm))
    return found


def worst_bars(off: Sequence[float | None], count: int, apart: int) -> list[int]:
    """Indices of the bars that are farthest off, at least ``apart`` from each other, in order of time."""
    order = sorted((i for i, o in enumerate(off) if o is not None), key=lambda i: -abs(off[i] or 0))
    chosen: list[int] = []
    for i in order:
        if all(abs(i - c) >= apart for c in chosen):
            chosen.append(i)
        if len(chosen) == count:
            break
    return sorted(chosen)
