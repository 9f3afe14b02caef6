"""What a person should know of the gate and the echo of a stem before the night."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import pairwise

from upbeat.song.song import Song
from upbeat.song.stems import Stem
from upbeat.song.treatment import PLAIN


def treatment_notes(song: Song, stem: Stem, peak_db: float | None) -> list[str]:
    """Sentences on the treatment of a stem. ``peak_db``: the greatest peak of its file, in dBTP; None where nothing was measured."""
    if not stem.treated:
        return []
    told = [(stem.treatment or PLAIN, ""), *((t, f" in “{song.section(s).name}”") for s, t in stem.treatments.items())]
    notes = []
    for treatment, where in told:
        gate = treatment.gate
        if gate is not None and peak_db is not None and peak_db < gate.opens_db:
            notes.append(
                f"The gate of “{stem.name}” never opens{where}: it opens at {gate.opens_db:g} dBFS, and the file is at most "
                f"at {peak_db:.1f}: lower it."
            )
    echoing = [bar for bar in sliding_bars(song) if stem.treatment_in(_section_at(song, bar)).echo is not None]
    if echoing:
        notes.append(
            f"The tempo slides in {_bars(echoing)}: there the echo of “{stem.name}” keeps each bar's mean tempo, and falls "
            "beside the beats."
        )
    return notes


def sliding_bars(song: Song) -> list[int]:
    """The bars, from 1, in which the tempo slides."""
    meters, points = song.grid.meters, song.grid.tempo.points
    found: set[int] = set()
    for point, following in pairwise(points):
        if point.ramp:
            last = meters.bar_at(following.position)
            whole = meters.bar_start(last) == following.position
            found |= set(range(meters.bar_at(point.position), last + (0 if whole else 1)))
    return sorted(bar for bar in found if bar <= song.total_bars)


def _section_at(song: Song, bar: int) -> str:
    first = 1
    for section in song.sections:
        first += section.bars
        if bar < first:
            return section.id
    return ""


def _bars(bars: Iterable[int]) -> str:
    """``bar 5``, ``bars 5 to 8 and 12``."""
    spans: list[list[int]] = []
    for bar in bars:
        if spans and bar == spans[-1][1] + 1:
            spans[-1][1] = bar
        else:
            spans.append([bar, bar])
    words = [str(a) if a == b else f"{a} to {b}" for a, b in spans]
    listed = words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"
    return f"{'bar' if words == [str(spans[0][0])] else 'bars'} {listed}"
