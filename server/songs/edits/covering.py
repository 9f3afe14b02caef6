"""Songs that stay as long as their stems through an edit (``upbeat.song.covering``)."""

from __future__ import annotations

from songs.build import core_grid, longest_seconds
from songs.edits.sections import write
from songs.models import Song
from songs.rows import held
from upbeat.song.covering import covered, covers


def covering(song: Song) -> bool:
    """Whether the song is as long as its stems make it, and should stay so."""
    return covers(held(song).sections, core_grid(song), longest_seconds(song))


def cover(song: Song) -> None:
    """Let the last section reach to the end of the longest stem."""
    sections = held(song).sections
    now = covered(sections, core_grid(song), longest_seconds(song))
    if now != sections:
        write(song, now)
