"""Parts of a song as songs of their own form, to be heard by the same renderer as the whole.

The bars stay where they are; only sections and form are others. What is silent in a section stays
silent in its parts.
"""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

from upbeat.errors import refuse
from upbeat.song.forms import Ending, Form, Step, played
from upbeat.song.guides import CountIn
from upbeat.song.sections import BarSpan, span_of
from upbeat.song.song import Section, Song


def looped(song: Song, span: BarSpan) -> Song:
    """Some bars, round and round, and the song after them."""
    first = min(max(1, span.first), song.total_bars)
    last = min(max(first, span.last), song.total_bars)
    parts, starts = _cut(song, {first, last + 1})
    steps = []
    for part, start in zip(parts.sections, starts, strict=True):
        if start >= first:
            steps.append(Step(part.id))
    inside = [i for i, start in enumerate(s for s in starts if s >= first) if start <= last]
    if len(inside) == 1:
        steps[0] = replace(steps[0], ending=Ending("vamp"))
        return _with_form(parts, steps)
    # A vamp is one step: the bars become one section where several lie in them.
    whole = Section(id="loop", name="Loop", bars=last - first + 1)
    kept = [s for s, start in zip(parts.sections, starts, strict=True) if not first <= start <= last]
    at = sum(1 for start in starts if start < first)
    sections = (*kept[:at], whole, *kept[at:])
    stems = tuple(
        replace(
            s, tacet=s.tacet - {p.id for p, start in zip(parts.sections, starts, strict=True) if first <= start <= last}
        )
        for s in parts.stems
    )
    return _with_form(
        replace(parts, sections=sections, stems=stems), [Step("loop", Ending("vamp")), *steps[len(inside) :]]
    )


def joined(song: Song, old: str, new: str, bars: int = 2) -> Song:
    """The last bars of one section straight into the first bars of another. Raises :class:`Refused`."""
    left, right = span_of(song.sections, old), span_of(song.sections, new)
    before = BarSpan(max(left.first, left.last - bars + 1), left.last)
    after = BarSpan(right.first, min(right.last, right.first + bars - 1))
    parts, starts = _cut(song, {before.first, before.last + 1, after.first, after.last + 1})

    def within(span: BarSpan) -> list[Step]:
        return [Step(p.id) for p, start in zip(parts.sections, starts, strict=True) if span.first <= start <= span.last]

    steps = [*within(before), *within(after)]
    if not steps:
        raise refuse("seam-empty", "There are no bars to be heard there.")
    return _with_form(parts, [*steps[:-1], replace(steps[-1], ending=Ending("fine"))])


def _cut(song: Song, cuts: set[int]) -> tuple[Song, list[int]]:
    """Sections divided further at some bars, and the first bar of each part."""
    sections: list[Section] = []
    starts: list[int] = []
    parent: dict[str, str] = {}
    first = 1
    for s in song.sections:
        edges = [first, *sorted(c for c in cuts if first < c < first + s.bars), first + s.bars]
        for k, (a, b) in enumerate(pairwise(edges)):
            sections.append(replace(s, id=f"{s.id}:{k}", bars=b - a))
            starts.append(a)
            parent[sections[-1].id] = s.id
        first += s.bars
    stems = tuple(
        replace(
            stem,
            tacet=frozenset(p for p, s in parent.items() if s in stem.tacet),
            levels={p: stem.levels[s] for p, s in parent.items() if s in stem.levels},
            fades={f"{s}:0": beats for s, beats in stem.fades.items()},
            treatments={p: stem.treatments[s] for p, s in parent.items() if s in stem.treatments},
        )
        for stem in song.stems
    )
    parts = {p: song.click.parts[s] for p, s in parent.items() if s in song.click.parts}
    click = replace(song.click, parts=parts, silent=tuple(p for p, s in parent.items() if s in song.click.silent))
    return replace(song, sections=tuple(sections), stems=stems, forms=(), click=click), starts


def _with_form(song: Song, steps: list[Step]) -> Song:
    return replace(song, forms=(Form("excerpt", "Excerpt", tuple(steps)),), calls=False)


def ending(song: Song, form: Form, bars: int) -> Song:
    """The last bars of a form, repeats left out. Raises :class:`Refused` for a form of nothing."""
    parts: list[Step] = []
    for step in reversed(_through(song, form)):
        count = min(bars, step.bars or 0)
        parts.insert(0, replace(step, first=step.first + (step.bars or 0) - count, bars=count))
        bars -= count
        if not bars:
            break
    return replace(_with_form(song, _fine(parts)), count_in=CountIn(0, False))


def beginning(song: Song, form: Form, bars: int) -> Song:
    """The first bars of a form after its count-in, repeats left out. Raises :class:`Refused` for a form of nothing."""
    parts: list[Step] = []
    for step in _through(song, form):
        count = min(bars, step.bars or 0)
        parts.append(replace(step, bars=count))
        bars -= count
        if not bars:
            break
    return replace(_with_form(song, _fine(parts)), calls=song.calls)


def _through(song: Song, form: Form) -> list[Step]:
    """The steps that a form is played through, each once, with the bars they play."""
    steps = []
    for step in played(form):
        first, last = step.bars_in(song.section(step.section).bars)
        steps.append(replace(step, ending=Ending(), first=first, bars=last - first + 1))
        if step.ending.kind == "fine":
            break
    return steps


def _fine(steps: list[Step]) -> list[Step]:
    if not steps:
        raise refuse("seam-empty", "There are no bars to be heard there.")
    return [*steps[:-1], replace(steps[-1], ending=Ending("fine"))]
