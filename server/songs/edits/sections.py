"""Edits of sections: what the core's rules of dividing give is what the song has."""

from __future__ import annotations

import uuid
from collections.abc import Iterator
from dataclasses import replace
from itertools import accumulate
from typing import Any

from api.query import uuid_or_none
from songs.build import core_grid
from songs.edits import arguments
from songs.edits.registry import edit
from songs.models import Section as SectionRow
from songs.models import Song
from songs.rows import held
from upbeat.errors import refuse
from upbeat.limits import COLOURS, NAME, NOTE, WORDS
from upbeat.song import sections as rules
from upbeat.song.forms import Ending
from upbeat.song.lines import check_places
from upbeat.song.song import Section

UNNAMED = "Section"


def write(song: Song, sections: tuple[Section, ...]) -> None:
    """Put sections in a song; endings of those that are gone go with them, and new ones have the cells of the bars they take."""
    was = held(song).sections
    held(song).sections = sections
    known = {s.id for s in sections}
    new = known - {s.id for s in was}
    if new and was and song.stems.exclude(tacet=[], levels={}, treatments={}).exists():
        copy_cells(song, {one: old for one, old in _parents(was, sections).items() if one in new})
    song.endings = {k: v for k, v in song.endings.items() if k in known}


def _parents(was: tuple[Section, ...], now: tuple[Section, ...]) -> dict[str, str]:
    """For each section the one that its first bar was in before."""
    bars = [s.id for s in was for _ in range(s.bars)]
    starts = accumulate((s.bars for s in now), initial=0)
    return {s.id: bars[min(start, len(bars) - 1)] for s, start in zip(now, starts, strict=False)}


def copy_cells(song: Song, sources: dict[str, str]) -> None:
    """Let every stem do in the sections named what it does in their sources."""
    for stem in held(song).stems:
        stem.tacet = [
            *(s for s in stem.tacet if s not in sources),
            *(one for one, old in sources.items() if old in stem.tacet),
        ]
        stem.levels = {
            **{s: db for s, db in stem.levels.items() if s not in sources},
            **{one: stem.levels[old] for one, old in sources.items() if old in stem.levels},
        }
        stem.treatments = {
            **{s: own for s, own in stem.treatments.items() if s not in sources},
            **{one: stem.treatments[old] for one, old in sources.items() if old in stem.treatments},
        }


def new_ids() -> Iterator[str]:
    while True:
        yield str(uuid.uuid4())


def chosen_ids(song: Song, asked: list[str | int] | None) -> Iterator[str]:
    """Ids that the page drew the new sections under, as far as they are UUIDs and free; then fresh ones."""
    taken = {s.id for s in held(song).sections}
    wanted = [name for one in asked or [] if (name := uuid_or_none(one)) is not None]
    # An id is free if no section of any song, whoever's it is, has it.
    taken |= {str(pk) for pk in SectionRow.objects.filter(pk__in=wanted).values_list("pk", flat=True)}
    for name in dict.fromkeys(wanted):
        if name not in taken:
            yield name
    yield from new_ids()


def known(song: Song, section_id: Any) -> Section:
    """A section of the song by id. Raises :class:`Refused`."""
    for section in held(song).sections:
        if section.id == str(section_id):
            return section
    raise refuse("section-unknown", "That section is no longer there: reload the song.")


@edit(arguments.MarkSection)
def mark_section(song: Song, args: arguments.MarkSection) -> None:
    span = rules.BarSpan(int(args["first"]), int(args["last"]))
    name = str(args.get("name") or "").strip() or UNNAMED
    write(song, rules.mark_section(held(song).sections, span, name[:NAME], chosen_ids(song, args.get("ids"))))


@edit(arguments.SplitSection)
def split_section(song: Song, args: arguments.SplitSection) -> None:
    """Start a section at ``bar``; with ``phase`` at the bar line nearest to that place in it."""
    bar = rules.nearest_bar_line(int(args["bar"]), float(args.get("phase", 0)))
    name = str(args.get("name") or "").strip()[:NAME]
    write(song, rules.split_section(held(song).sections, bar, name, next(new_ids())))


@edit(arguments.RenameSection)
def rename_section(song: Song, args: arguments.RenameSection) -> None:
    """Name, spoken name, colour, words, note or lock of a section."""
    section = known(song, args["section"])
    name = str(args.get("name", section.name)).strip()
    if not name:
        raise refuse("section-nameless", "A section needs a name: type one, such as Verse.")
    changed = replace(
        section,
        name=name[:NAME],
        cue=str(args.get("cue", section.cue)).strip()[:NAME],
        colour=int(min(COLOURS.high, max(COLOURS.low, args.get("colour", section.colour)))),
        locked=bool(args.get("locked", section.locked)),
        called=bool(args.get("called", section.called)),
        lead=_lead(args.get("lead", section.lead)),
        words=_text(args.get("words", section.words), WORDS),
        note=_text(args.get("note", section.note), NOTE),
    )
    if changed.words != section.words:
        sections = held(song).sections
        check_places(changed, rules.span_of(sections, section.id).first, core_grid(song).meters)
    held(song).sections = tuple(changed if s.id == section.id else s for s in held(song).sections)


def _lead(value: Any) -> int | None:
    """Bars that a section is called before; nothing for what the song says."""
    return None if value in (None, "", 0, "0") else int(value)


def _text(value: Any, most: int) -> str:
    text = str(value).replace("\r\n", "\n").strip("\n")
    if len(text) > most:
        raise refuse("text-long", f"This text has {len(text):,} characters: at most {most:,} are kept here.")
    return text


@edit(arguments.MoveBoundary)
def move_boundary(song: Song, args: arguments.MoveBoundary) -> None:
    write(song, rules.move_boundary(held(song).sections, str(args["section"]), int(args["first"])))


@edit(arguments.ResizeSection)
def resize_section(song: Song, args: arguments.ResizeSection) -> None:
    write(song, rules.resize(held(song).sections, str(args["section"]), int(args["bars"])))


@edit(arguments.OneSection)
def join_section(song: Song, args: arguments.OneSection) -> None:
    write(song, rules.join_with_next(held(song).sections, str(args["section"])))


@edit(arguments.OneSection)
def duplicate_section(song: Song, args: arguments.OneSection) -> None:
    """The bars after a section become it once more, with its chords."""
    sections = held(song).sections
    first = rules.span_of(sections, str(args["section"])).first
    marked, span = rules.duplicate(sections, str(args["section"]), new_ids())
    write(song, marked)
    starts = accumulate((s.bars for s in marked), initial=0)
    twin = next(s for s, start in zip(marked, starts, strict=False) if start + 1 == span.first)
    copy_cells(song, {twin.id: str(args["section"])})
    copied = {
        str(span.first + i): song.chords[str(first + i)]
        for i in range(span.last - span.first + 1)
        if str(first + i) in song.chords
    }
    kept = {bar: text for bar, text in song.chords.items() if not span.first <= int(bar) <= span.last}
    song.chords = {**kept, **copied} if copied else song.chords
    spoken = [
        {**c, "bar": span.first + c["bar"] - first}
        for c in song.cues
        if first <= c["bar"] < first + span.last - span.first + 1
    ]
    song.cues = sorted(
        [*(c for c in song.cues if not span.first <= c["bar"] <= span.last), *spoken],
        key=lambda c: (c["bar"], c["beat"]),
    )


@edit(arguments.SetEnding)
def set_ending(song: Song, args: arguments.SetEnding) -> None:
    section = known(song, args["section"])
    ending = Ending(args["kind"], int(args.get("times", 2)) if args["kind"] == "repeat" else 1)
    song.endings = {**song.endings, section.id: {"kind": ending.kind, "times": ending.times}}


@edit(arguments.SetLength)
def set_length(song: Song, args: arguments.SetLength) -> None:
    write(song, rules.fit_to_bars(held(song).sections, int(args["bars"])))


@edit(arguments.SetSections)
def set_sections(song: Song, args: arguments.SetSections) -> None:
    """Replace all sections, each with the bar it starts at; the song keeps its length."""
    put(song, [(int(s["bar"]), str(s["name"])) for s in args["sections"]])


def put(song: Song, places: list[tuple[int, str]]) -> None:
    """Divide a song at these bars. The same name has the same colour."""
    total = sum(s.bars for s in held(song).sections)
    starts = sorted({bar: name.strip()[:NAME] or UNNAMED for bar, name in places if 1 <= bar <= total}.items())
    if not starts or starts[0][0] != 1:
        raise refuse("sections-first", "The first section starts at bar 1: say what begins there.")
    ends = [bar for bar, _ in starts[1:]] + [total + 1]
    colours: dict[str, int] = {}
    for _, name in starts:
        colours.setdefault(name.casefold(), len(colours) % 6 + 1)
    ids = new_ids()
    made = [
        Section(id=next(ids), name=name, bars=end - bar, colour=colours[name.casefold()])
        for (bar, name), end in zip(starts, ends, strict=True)
    ]
    write(song, rules.remarked(tuple(made)))
