"""A song's grid beside what was heard: how far apart they are, and the grid that would fit.

Plain arithmetic on times: bars of the recording in seconds, bars of the click in seconds.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import pairwise

import numpy as np

from upbeat.errors import refuse

NOBODY_HEARS_MS = 10.0


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
        raise refuse("pin-order", "A bar line cannot lie before the one ahead of it: put the pin between its neighbours.")
    return moved


def evened(bars: Sequence[float], starts: Sequence[int], amount: float) -> list[float]:
    """Bar lines between "as played" (``amount`` 0) and one tempo in each section (1).

    ``starts``: indices of bars that open a section. Section starts stay where they are.
    """
    if not 0 <= amount <= 1:
        raise refuse("even-range", "Evening out goes from 0 (as played) to 1 (one tempo in each section).")
    edges = sorted({0, len(bars) - 1, *(s for s in starts if 0 <= s < len(bars))})
    even = np.interp(np.arange(len(bars)), edges, [bars[e] for e in edges])
    return [float((1 - amount) * b + amount * e) for b, e in zip(bars, even, strict=True)]


def tempo_of_bars(bars: Sequence[float], beats: Sequence[int]) -> list[tuple[int, float]]:
    """(bar from 1, beats a minute) that put bar lines at these times; bars of ``beats`` beats each.

    Only changes are listed. The last bar line closes the last bar.
    """
    found: list[tuple[int, float]] = []
    for i, (a, b) in enumerate(pairwise(bars)):
        if b <= a:
            raise refuse("bars-order", "Bar lines have to follow one another: measure the song again.")
        bpm = round(60 * beats[i] / (b - a), 6)
        if not found or abs(found[-1][1] - bpm) > 1e-6:
            found.append((i + 1, bpm))
    return found


def off_by(bars: Sequence[float], heard: Sequence[float | None]) -> list[float | None]:
    """Milliseconds that each bar is heard after (positive) the click; None where nothing is heard."""
    return [None if h is None else round((h - b) * 1000, 2) for b, h in zip(bars, heard, strict=False)]


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
