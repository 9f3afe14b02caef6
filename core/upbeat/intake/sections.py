"""Sections proposed from moments in the sound: each on the bar line nearest to it."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass

from upbeat.errors import refuse
from upbeat.limits import SECTIONS
from upbeat.time.grid import Grid

UNNAMED, OPENING = "Section", "Opening"


@dataclass(frozen=True)
class Moment:
    """A named span in seconds of the stems; a bare point ends where it starts."""

    start_s: float
    end_s: float
    name: str


@dataclass(frozen=True)
class Proposed:
    """A section that starts at ``bar``. ``off_ms``: how far the moment lies from that bar line, late positive."""

    bar: int
    name: str
    off_ms: float = 0.0


def on_bar_lines(moments: Sequence[Moment], grid: Grid, bars: int) -> list[Proposed]:
    """Sections of a song of ``bars`` bars. They cover it without gaps (rule F1).

    Of two moments on one bar line the longer counts; what lies between a span's end and the next
    start, and before the first, is a section of its own where it has a bar. Moments past the end
    are left out. Raises :class:`Refused` for more sections than a song has.
    """
    lines = [float(grid.bar_seconds(b)) for b in range(1, bars + 2)]

    def nearest(seconds: float) -> int:
        at = min(max(1, bisect_left(lines, seconds)), len(lines) - 1)
        return at if seconds - lines[at - 1] <= lines[at] - seconds else at + 1

    found: dict[int, tuple[Moment, float]] = {}
    for m in sorted(moments, key=lambda m: m.start_s):
        bar = nearest(m.start_s)
        if bar > bars:
            continue
        held = found.get(bar)
        if held is None or (m.end_s - m.start_s, bool(m.name)) > (held[0].end_s - held[0].start_s, bool(held[0].name)):
            found[bar] = (m, (m.start_s - lines[bar - 1]) * 1000)
    starts = sorted(found)
    if not starts:
        return []
    placed = [] if starts[0] == 1 else [Proposed(1, OPENING)]
    for i, bar in enumerate(starts):
        m, off = found[bar]
        placed.append(Proposed(bar, m.name or UNNAMED, round(off, 1)))
        end = nearest(m.end_s)
        following = starts[i + 1] if i + 1 < len(starts) else bars + 1
        if m.end_s > m.start_s and bar < end < following:
            placed.append(Proposed(end, UNNAMED))
    if len(placed) > SECTIONS.high:
        raise refuse("sections-many", f"A song has at most {SECTIONS.high:g} sections; this lists {len(placed):,}.")
    return placed


def marks_on_bars(marks: Sequence[tuple[int, float, str]], grid: Grid, bars: int) -> list[Proposed]:
    """Sections from (bar, beat, name) as MIDI files mark them; one within a bar belongs to the nearer bar line."""
    found: dict[int, str] = {}
    for bar, beat, name in marks:
        at = bar + (1 if beat - 1 > grid.meters.at_bar(bar).numerator / 2 else 0)
        if at <= bars:
            found.setdefault(at, name)
    opening = [] if 1 in found or not found else [Proposed(1, OPENING)]
    return [*opening, *(Proposed(bar, name) for bar, name in sorted(found.items()))]
