"""Lines of a section's words, and where each of them comes (rule B4).

A line may begin with its place in the section: ``@3`` is its bar 3, ``@3.2`` beat 2 of that bar. What has no place shares the bars
between its neighbours evenly. A place with nothing behind it ends the line before.
"""

from __future__ import annotations

import re
from typing import NamedTuple

from upbeat.errors import refuse
from upbeat.song.song import Section
from upbeat.time.meter import MeterMap, counted

_PLACE = re.compile(r"@(\d{1,5})(?:\.(\d{1,2}))?(?:[ \t]+|$)")


class Line(NamedTuple):
    """A line without its place, chords and all. ``bar`` (None where it has none) and ``beat`` count from 1, in its section."""

    text: str
    bar: int | None = None
    beat: int = 1


def lines_of(words: str) -> list[Line]:
    """The lines of some words in order, empty ones too."""
    return [_line(line) for line in words.splitlines()]


def _line(text: str) -> Line:
    found = _PLACE.match(text)
    if found is None:
        return Line(text)
    return Line(text[found.end() :], int(found[1]), int(found[2] or 1))


def without_places(words: str) -> str:
    """The words as they are read."""
    return "\n".join(line.text for line in lines_of(words))


def moved_on(words: str, bars: int) -> str:
    """The words with every place so many bars later."""
    return "\n".join(
        text
        if line.bar is None
        else f"@{line.bar + bars}{'' if line.beat == 1 else f'.{line.beat}'} {line.text}".rstrip()
        for text, line in zip(words.splitlines(), lines_of(words), strict=True)
    )


def check_places(section: Section, first_bar: int, meters: MeterMap) -> None:
    """Raise :class:`Refused` for a place that the section, which begins at ``first_bar`` of its song, does not have."""
    before = 1, 1
    for number, line in enumerate(lines_of(section.words), 1):
        if line.bar is None:
            continue
        which = f"Line {number} of the words of “{section.name}” stands at bar {line.bar}"
        if not 1 <= line.bar <= section.bars:
            raise refuse(
                "line-place", f"{which}, and the section has bars 1 to {section.bars}: count from its beginning."
            )
        beats = len(counted(meters.at_bar(first_bar + line.bar - 1)).felt_beats)
        if not 1 <= line.beat <= beats:
            raise refuse("line-place", f"{which}, beat {line.beat}, and that bar has {beats} beats: give one of them.")
        if (line.bar, line.beat) < before:
            raise refuse("line-place", f"{which}, before the line above it: put the lines in order.")
        before = line.bar, line.beat
