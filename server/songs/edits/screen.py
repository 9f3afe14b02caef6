"""The edit of what screens show with a song."""

from __future__ import annotations

import msgspec

from songs.edits import arguments
from songs.edits.registry import edit
from songs.models import Song
from songs.rows import held
from upbeat.errors import refuse
from upbeat.song.screen import read_screen


@edit(arguments.SetScreen)
def set_screen(song: Song, args: arguments.SetScreen) -> None:
    """What screens for the audience show with the song: a film, pictures by section or time (rule B4)."""
    plain = msgspec.json.decode(msgspec.json.encode(args["screen"]))
    sections = {s.id for s in held(song).sections}
    for still in read_screen(plain, song.title).stills:
        if still.section is not None and still.section not in sections:
            raise refuse("section-unknown", "The song has no such section any more: choose another one.")
    song.screen = plain
