"""Songs that are as long as their stems."""

from __future__ import annotations

from upbeat.limits import BARS
from upbeat.song.sections import Sections, fit_to_bars
from upbeat.time.grid import Grid


def covers(sections: Sections, grid: Grid, seconds: float) -> bool:
    """Whether a song is as long as stems of ``seconds`` make it, and should stay so.

    A song without stems (``seconds`` 0) grows with its first one unless it was divided into sections.
    """
    if not seconds:
        return len(sections) <= 1
    return sum(s.bars for s in sections) == grid.bars_to_cover(seconds)


def covered(sections: Sections, grid: Grid, seconds: float) -> Sections:
    """The last section extended to the end of stems of ``seconds``; a locked one, and all others, stay."""
    if not seconds or not sections or sections[-1].locked:
        return sections
    needed = min(int(BARS.high), grid.bars_to_cover(seconds))
    before = sum(s.bars for s in sections[:-1])
    if needed <= before or needed - before == sections[-1].bars:
        return sections
    return fit_to_bars(sections, needed)
