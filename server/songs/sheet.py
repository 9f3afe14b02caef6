"""The tacet sheet as it is drawn, and what a line-up makes of a song."""

from __future__ import annotations

from bisect import bisect_right
from itertools import accumulate
from typing import Any

import numpy as np
from django.conf import settings

from people.line_ups import missing
from people.models import LineUp
from songs.build import core_song, loud_of
from songs.loops import core_layer
from songs.models import Song, Stem
from songs.rows import held
from upbeat.audio.peaks import envelope
from upbeat.mix.line_up import Person, gaps, looks
from upbeat.mix.sounding import standing
from upbeat.song.laying import stretches
from upbeat.song.song import Song as CoreSong

POINTS_OF_BAR, MOST_POINTS = 4, 64
SILENT_DBFS = -60.0


def levels_in(song: Song) -> dict[str, dict[str, np.ndarray]]:
    """What the file of each stem holds in each section: peaks, 0 to 1, of equal parts of it."""
    core, rate = core_song(song, stems=False), settings.SAMPLE_RATE
    sections = held(song).sections
    lines = core.grid.bar_lines(accumulate((s.bars for s in sections), initial=0), rate)
    counts = [min(MOST_POINTS, POINTS_OF_BAR * s.bars) for s in sections]
    edges = np.concatenate(
        [np.linspace(a, b, n, endpoint=False) for a, b, n in zip(lines, lines[1:], counts, strict=False)]
        + [np.array(lines[-1:], dtype=float)]
    )
    found = {}
    for stem in held(song).stems:
        loud = loud_of(stem.audio)
        if stem.layer is not None:
            found[str(stem.pk)] = dict(
                zip((s.id for s in sections), _layer_cells(stem, core, loud, counts), strict=True)
            )
            continue
        own = edges - stem.delay_ms * rate / 1000
        level = envelope(loud, own) if len(loud) else np.zeros(len(edges) - 1)
        # Before it starts, and after its end, a stem holds nothing.
        outside = (own[:-1] < stem.start_s * rate - rate / 100) | (own[1:] > (stem.end_s or 1e9) * rate + rate / 100)
        level = np.where(outside, 0.0, np.minimum(1.0, level))
        found[str(stem.pk)] = dict(zip((s.id for s in sections), np.split(level, np.cumsum(counts)[:-1]), strict=True))
    return found


def _layer_cells(stem: Stem, core: CoreSong, loud: np.ndarray, counts: list[int]) -> list[np.ndarray]:
    """The peaks of a loop as it lies under each section."""
    layer, rate = core_layer(stem), settings.SAMPLE_RATE
    cells: list[list[float]] = [[] for _ in core.sections]
    if layer.kind == "held":
        return [np.full(n, float(loud.max(initial=0)) / 127) for n in counts]
    firsts = list(accumulate((s.bars for s in core.sections), initial=1))
    starts = [core.grid.meters.bar_start(bar) for bar in firsts]
    for one in stretches(layer, core):
        section = bisect_right(starts, one.position, hi=len(cells)) - 1
        quarter = float(60 / layer.bpm * rate)
        edges = (float(one.loop) + np.linspace(0, float(one.length * layer.pace), POINTS_OF_BAR + 1)) * quarter
        cells[section] += list(envelope(loud, edges)) if len(loud) else [0.0] * POINTS_OF_BAR
    return [
        np.minimum(1.0, [max(part) if len(part) else 0.0 for part in np.array_split(np.array(cell), n)])
        for cell, n in zip(cells, counts, strict=True)
    ]


def _silent(cell: np.ndarray) -> bool:
    """Whether a file is silent in a cell, but for what rings over from the neighbours."""
    return bool((cell[1:-1] < 10 ** (SILENT_DBFS / 20)).all())


def shown_sheet(song: Song) -> dict[str, Any]:
    """A small picture for each cell, of what its file really holds there; 0 to 100, the stem's loudest 100."""
    shown = []
    for stem, cells in levels_in(song).items():
        top = max((float(c.max(initial=0)) for c in cells.values()), default=0.0) or 1.0
        shown.append(
            {"stem": stem, "cells": [np.round(100 * (c / top) ** 0.6).astype(int).tolist() for c in cells.values()]}
        )
    return {"revision": song.revision, "pictures": shown}


def shown_tonight(song: Song, line_up: LineUp | None) -> dict[str, Any]:
    """What sounds with a line-up, what would be missing, and what is worth a look."""
    core = core_song(song)
    away = missing(line_up)
    ids = {str(p.pk) for p in away}
    empty = {(stem, section) for stem, cells in levels_in(song).items() for section, c in cells.items() if _silent(c)}
    return {
        "standing": {s.id: standing(s, ids) for s in core.stems},
        "gaps": gaps(core, [Person(str(p.pk), p.name, p.part) for p in away]),
        "looks": [{"code": x.code, "section": x.section, "stem": x.stem} for x in looks(core, ids, empty)],
        "empty": [{"stem": stem, "section": section} for stem, section in sorted(empty)],
    }
