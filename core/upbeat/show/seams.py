"""The joins of a song's sections, measured in what its stems hold there."""

from __future__ import annotations

from collections.abc import Sequence

from upbeat.listening.seam.score import AFTER_S, BEFORE_S, Measures, Sides, measure
from upbeat.mix.stem_audio import StemAudio
from upbeat.mix.together import one_line
from upbeat.song.forms import Join
from upbeat.song.sections import bars_of
from upbeat.song.song import Song


def places(song: Song, join: Join, sample_rate: int, shift_ms: float = 0.0) -> tuple[int, int]:
    """The frames of the bar line left and of the one gone to, both ``shift_ms`` later."""
    shift = round(shift_ms * sample_rate / 1000)
    grid = song.grid
    left, gone_to = (grid.frame(grid.meters.bar_start(bar), sample_rate) for bar in bars_of(song.sections, join))
    return left + shift, gone_to + shift


def measured_join(stems: Sequence[StemAudio], join: Join, old: int, new: int, sample_rate: int) -> Measures:
    """Measures of a join at the frames of :func:`places`; a stem that is tacet in a section is silent there."""
    before, frames = round(BEFORE_S * sample_rate), round((BEFORE_S + AFTER_S) * sample_rate)
    sides = []
    for s in stems:
        left, gone_to = (
            one_line([s], at - before, frames) * (0.0 if section in s.stem.tacet else 1.0)
            for at, section in ((old, join.old), (new, join.new))
        )
        sides.append(Sides(left, gone_to))
    return measure(sides, sample_rate)
