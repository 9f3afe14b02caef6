"""How long forms last."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from fractions import Fraction
from itertools import accumulate

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
    firsts = {s.id: first for s, first in zip(song.sections, accumulate((s.bars for s in song.sections), initial=1))}
    bars_of = {s.id: s.bars for s in song.sections}
    asked: list[list[tuple[int, int, int]]] = []
    for form in forms:
        spans = []
        for step in form.steps:
            if step.ending.kind == "cut":
                continue
            if step.section not in firsts:
                song.section(step.section)
            first, last = step.bars_in(bars_of[step.section])
            before = firsts[step.section] - 1
            times = step.ending.times if step.ending.kind == "repeat" else 1
            spans.append((before + first - 1, before + last, times))
            if step.ending.kind == "fine":
                break
        asked.append(spans)
    lines = sorted({line for spans in asked for start, end, _ in spans for line in (start, end)})
    moments = dict(zip(lines, song.grid.bar_lines(lines, NANOSECONDS), strict=True))
    return [
        Length(
            sum(times * (end - start) for start, end, times in spans),
            sum(
                (times * Fraction(moments[end] - moments[start], NANOSECONDS) for start, end, times in spans),
                Fraction(0),
            ),
        )
        for spans in asked
    ]
