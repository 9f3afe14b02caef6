"""Dividing a song into sections: they cover its bars without gaps or overlaps (rule F1).

Every function takes all sections of a song in order and gives them anew; what cannot be done is
refused and nothing is changed. A locked section keeps its length: what moves one of its ends
moves the other as well.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace

from upbeat.errors import Refused, refuse
from upbeat.limits import BARS, SECTIONS
from upbeat.song.forms import Join
from upbeat.song.lines import moved_on
from upbeat.song.song import Section

Sections = tuple[Section, ...]


@dataclass(frozen=True)
class BarSpan:
    """Bars ``first`` to ``last``, both included, counted from 1."""

    first: int
    last: int


def rehearsal_mark(index: int) -> str:
    """A, B … Z, AA, BB … as scores letter them."""
    letter, times = chr(ord("A") + index % 26), index // 26 + 1
    return letter * times


def remarked(sections: Sections) -> Sections:
    """Rehearsal marks A, B, C … in order. Raises :class:`Refused` for too many sections."""
    if len(sections) > SECTIONS.high:
        raise refuse("sections-many", f"A song has at most {SECTIONS.high:g} sections.")
    return tuple(replace(s, mark=rehearsal_mark(i)) for i, s in enumerate(sections))


def place_of(sections: Sections, section_id: str) -> tuple[int, int]:
    """Index and first bar of a section. Raises :class:`Refused` for one that is not there."""
    bar = 1
    for i, s in enumerate(sections):
        if s.id == section_id:
            return i, bar
        bar += s.bars
    raise refuse("section-unknown", "That section is no longer there: reload the song.")


def span_of(sections: Sections, section_id: str) -> BarSpan:
    """The bars of a section."""
    i, first = place_of(sections, section_id)
    return BarSpan(first, first + sections[i].bars - 1)


def bars_of(sections: Sections, join: Join) -> tuple[int, int]:
    """The bar whose line a join leaves at, and the bar it goes to."""
    old, new = span_of(sections, join.old), span_of(sections, join.new)
    left = old.last if join.left is None else min(old.last, old.first + join.left - 1)
    return left + 1, min(new.last, new.first + join.entered - 1)


def straight_on(sections: Sections, join: Join) -> bool:
    """Whether the music goes on there by itself."""
    left, entered = bars_of(sections, join)
    return left == entered


def mark_section(sections: Sections, span: BarSpan, name: str, new_ids: Iterable[str]) -> Sections:
    """Make ``span`` one section; what it cuts through keeps its other bars.

    Neighbours give way (rule F1): the sections still cover the song without gaps. A section
    that is covered whole goes, its words and note to the new one; one that is cut in two keeps
    its id on the left side and takes one from ``new_ids`` on the right. Rehearsal marks are set
    in order again. Raises :class:`Refused` for bars outside the song.
    """
    total = sum(s.bars for s in sections)
    if not 1 <= span.first <= span.last <= total:
        raise refuse(
            "section-span", f"Bars {span.first} to {span.last} do not lie in the song, which has bars 1 to {total}."
        )
    ids = iter(new_ids)
    kept: list[Section] = []
    words, notes = [], []
    start, place = 1, 0
    for s in sections:
        end = start + s.bars - 1
        before = max(0, min(end, span.first - 1) - start + 1)
        after = max(0, end - max(start, span.last + 1) + 1)
        if s.locked and before + after < s.bars and (start, end) != (span.first, span.last):
            raise _locked(s)
        if before:
            kept.append(replace(s, bars=before))
        if start <= span.first <= end:
            place = len(kept)
        if not before and not after:
            words.append(moved_on(s.words, start - span.first))
            notes.append(s.note)
        if after:
            # A new id for the right side of one that is cut in two; its words stay on the left.
            kept.append(replace(s, bars=after, id=next(ids), words="", note="") if before else replace(s, bars=after))
        start = end + 1
    new = Section(
        id=next(ids),
        name=name,
        bars=span.last - span.first + 1,
        colour=place % 6 + 1,
        words=_joined(words),
        note=_joined(notes),
    )
    return remarked((*kept[:place], new, *kept[place:]))


def nearest_bar_line(bar: int, phase: float) -> int:
    """The bar whose line is nearest to a place ``phase`` (0 to 1) into ``bar``; half-way goes to the later one."""
    return bar + math.floor(min(1.0, max(0.0, phase)) + 0.5)


def split_section(sections: Sections, bar: int, name: str, new_id: str) -> Sections:
    """Start a section at ``bar``, within the one that has that bar; it takes the rest of it. No name: the same one. Raises :class:`Refused`."""
    first = 1
    for i, s in enumerate(sections):
        if first < bar < first + s.bars:
            if s.locked:
                raise _locked(s)
            left = replace(s, bars=bar - first)
            right = Section(
                id=new_id,
                name=name or s.name,
                bars=s.bars - left.bars,
                colour=s.colour if not name else (i + 1) % 6 + 1,
                cue="" if name else s.cue,
            )
            return remarked((*sections[:i], left, right, *sections[i + 1 :]))
        if bar == first:
            raise refuse("section-starts-here", f"“{s.name}” starts at bar {bar} already: choose another bar.")
        first += s.bars
    raise refuse("section-span", f"Bar {bar} does not lie in the song, which has bars 1 to {first - 1}.")


def move_boundary(sections: Sections, section_id: str, first_bar: int) -> Sections:
    """Move where a section starts; the nearest sections before and after that are not locked give and take. Raises :class:`Refused`."""
    index, start = place_of(sections, section_id)
    if index == 0:
        raise refuse("section-first", "The first section starts at bar 1: move its end instead.")
    left = next((i for i in range(index - 1, -1, -1) if not sections[i].locked), None)
    right = next((i for i in range(index, len(sections)) if not sections[i].locked), None)
    if left is None or right is None:
        stuck = sections[index - 1] if left is None else sections[index]
        side = "before" if left is None else "after"
        raise refuse(
            "boundary-locked",
            f"“{stuck.name}” is locked to its length and there is nothing {side} it to give way: unlock it first.",
        )
    low, high = start - sections[left].bars + 1, start + sections[right].bars - 1
    if not low <= first_bar <= high:
        raise refuse(
            "boundary-past-neighbour",
            f"“{sections[index].name}” can start at bars {low} to {high}: both sections keep at least one bar.",
        )
    changed = list(sections)
    changed[left] = replace(changed[left], bars=changed[left].bars + first_bar - start)
    changed[right] = replace(changed[right], bars=changed[right].bars + start - first_bar)
    return tuple(changed)


def resize(sections: Sections, section_id: str, bars: int) -> Sections:
    """Give a section so many bars; the next one gives or takes them, after the last the song does. Raises :class:`Refused`."""
    index, first = place_of(sections, section_id)
    if bars < 1:
        raise refuse(
            "section-empty", f"The section “{sections[index].name}” cannot have {bars} bars: give it at least one."
        )
    if sections[index].locked and bars != sections[index].bars:
        raise _locked(sections[index])
    if index + 1 == len(sections):
        return fit_to_bars(sections, first - 1 + bars)
    return move_boundary(sections, sections[index + 1].id, first + bars)


def join_with_next(sections: Sections, section_id: str) -> Sections:
    """Two neighbours become one, under the name of the first, with the words of both. Raises :class:`Refused` after the last."""
    index, _ = place_of(sections, section_id)
    if index + 1 == len(sections):
        raise refuse("section-last", "There is no section after this one to join it with.")
    one, other = sections[index : index + 2]
    if one.locked or other.locked:
        raise _locked(one if one.locked else other)
    joined = replace(
        one,
        bars=one.bars + other.bars,
        words=_joined([one.words, moved_on(other.words, one.bars)]),
        note=_joined([one.note, other.note]),
    )
    return remarked((*sections[:index], joined, *sections[index + 2 :]))


def duplicate(sections: Sections, section_id: str, new_ids: Iterable[str]) -> tuple[Sections, BarSpan]:
    """The bars after a section become the same section once more, as far as the song has them; gives those bars too. Raises :class:`Refused`."""
    index, first = place_of(sections, section_id)
    s = sections[index]
    total = sum(x.bars for x in sections)
    span = BarSpan(first + s.bars, min(total, first + 2 * s.bars - 1))
    if span.first > total:
        raise refuse("section-last", f"There are no bars after “{s.name}”: make the song longer first.")
    marked = mark_section(sections, span, s.name, new_ids)
    i = next(i for i, x in enumerate(marked) if span_of(marked, x.id) == span)
    copy = replace(marked[i], colour=s.colour, cue=s.cue, note=marked[i].note or s.note)
    return (*marked[:i], copy, *marked[i + 1 :]), span


def fit_to_bars(sections: Sections, bars: int) -> Sections:
    """Stretch or shorten the last sections so that the song has ``bars`` bars. Raises :class:`Refused`."""
    if bars not in BARS:
        raise refuse("song-length", f"A song has {BARS} bars, not {bars}.")
    kept: list[Section] = []
    left = bars
    for s in sections:
        if left < 1:
            break
        kept.append(replace(s, bars=min(s.bars, left)))
        left -= kept[-1].bars
    if left > 0:
        kept[-1] = replace(kept[-1], bars=kept[-1].bars + left)
    return remarked(tuple(kept))


def _joined(texts: list[str]) -> str:
    return "\n".join(text for text in texts if text)


def _locked(section: Section) -> Refused:
    return refuse("section-locked", f"“{section.name}” is locked to {section.bars} bars: unlock it first.")
