"""How long forms last."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from fractions import Fraction
from itertools import accumulate, pairwise

from upbeat.song.forms import Form
from upbeat.song.song import Song

NANOSECONDS = 1_000_000_000


@dataclass(frozen=True)
class Length:
    """How long a form lasts: bars, and seconds of one pass (a vamp counts once), section by section to the nanosecond."""

    bars: int
    seconds: Fraction


def form_length(song: Song, form: Form) -> Length:
    """Bars and seconds of a form, repeats included, a vamp counted once."""
    return form_lengths(song, [form])[0]


def form_lengths(song: Song, forms: Iterable[Form]) -> list[Length]:
    """Bars and seconds of several forms of a song, each as :func:`form_length` gives it."""
    ends = list(accumulate((s.bars for s in song.sections), initial=0))
    moments = song.grid.bar_lines(ends, NANOSECONDS)
    lasting = {
        s.id: (s.bars, Fraction(until - at, NANOSECONDS))
        for s, (at, until) in zip(song.sections, pairwise(moments), strict=True)
    }
    lengths = []
    for form in forms:
        bars, seconds = 0, Fraction(0)
        for step in form.steps:
            if step.ending.kind == "cut":
                continue
            if step.section not in lasting:
                song.section(step.section)
            count, length = lasting[step.section]
            times = step.ending.times if step.ending.kind == "repeat" else 1
            bars += times * count
            seconds += times * length
            if step.ending.kind == "fine":
                break
        lengths.append(Length(bars, seconds))
    return lengths
