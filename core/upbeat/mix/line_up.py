"""Who is on, what then sounds, and what would be missing (rule M2)."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Literal

from upbeat.mix.sounding import standing
from upbeat.song.song import Section, Song
from upbeat.song.stems import Stem, is_music, is_performed, is_tonal


@dataclass(frozen=True)
class Person:
    """A player, and what they play: ``part`` is a word such as bass, or nothing."""

    id: str
    name: str
    part: str = ""


def gaps(song: Song, away: Sequence[Person]) -> list[str]:
    """What would be missing of a song without these players, each in a sentence; nothing of a song of layers alone."""
    if song.stems and all(s.layer for s in song.stems):
        return []
    sentences = []
    for person in away:
        own = [s for s in song.stems if s.purpose == "covers" and s.covers == person.id]
        if not own:
            what = (
                f"no {person.part.lower()} stem"
                if person.part and "," not in person.part
                else f"no stem that covers {person.name}"
            )
            sentences.append(f"{person.name} is away and {song.title} has {what}.")
        elif all(s.muted for s in own):
            sentences.append(
                f"{person.name} is away and “{own[0].name}” of {song.title}, which covers {person.name}, is muted."
            )
        elif all(section.id in s.tacet for s in own for section in song.sections):
            sentences.append(f"{person.name} is away and “{own[0].name}” of {song.title} is tacet from start to end.")
    return sentences


def heard_in(song: Song, section: str, away: Collection[str]) -> list[Stem]:
    """The parts that the audience hears in a section: from their stems, or from the player whom they would cover."""
    return [
        s
        for s in song.stems
        if (standing(s, away) == "sounds" and section not in s.tacet) or standing(s, away) == "rests"
    ]


@dataclass(frozen=True)
class Look:
    """Something about the sheet that is worth a look; ``stem`` or ``section`` say where."""

    code: Literal["silent-file", "nothing", "no-tonal"]
    section: str
    stem: str = ""


def looks(song: Song, away: Collection[str], empty: Collection[tuple[str, str]]) -> list[Look]:
    """What is worth a look. ``empty``: (stem, section) in which the file itself is silent."""
    found: list[Look] = []
    music = [s for s in song.stems if s.layer is None and is_performed(s)]
    tonal = any(is_tonal(s) for s in music)
    for section in song.sections:
        here = [s for s in heard_in(song, section.id, away) if is_music(s)]
        sounding = [s for s in here if (s.id, section.id) not in empty or standing(s, away) == "rests"]
        if not sounding and music:
            found.append(Look("nothing", section.id))
        elif tonal and music and not any(is_tonal(s) for s in sounding):
            found.append(Look("no-tonal", section.id))
    by_stem = {s.id: s for s in song.stems}
    for stem, section_id in sorted(empty, key=lambda cell: (_place(song.sections, cell[1]), cell[0])):
        s = by_stem.get(stem)
        asked = s is not None and (section_id in s.levels or section_id in s.fades)
        if asked and s is not None and section_id not in s.tacet:
            found.append(Look("silent-file", section_id, stem))
    return found


def _place(sections: Sequence[Section], section: str) -> int:
    return next((i for i, s in enumerate(sections) if s.id == section), len(sections))
