"""Edits of what a song sends to devices."""

from __future__ import annotations

import uuid

from devices.changes import KEPT
from songs.build import core_grid
from songs.edits import arguments
from songs.edits.registry import edit
from songs.messages import keep, spans_of, written
from songs.models import Song
from upbeat.messages.written import copied, put, without
from upbeat.time.meter import counted


@edit(arguments.SetMessage)
def set_message(song: Song, args: arguments.SetMessage) -> None:
    """Put a message to a place of the song, new or in place of the one of its id (rule S1)."""
    meters = core_grid(song).meters
    changed = put(
        written(song),
        args["message"],
        devices=KEPT.of(song.band),
        spans=spans_of(song),
        beats=lambda bar: len(counted(meters.at_bar(bar)).felt_beats),
        title=song.title,
    )
    keep(song, changed)


@edit(arguments.RemoveMessages)
def remove_messages(song: Song, args: arguments.RemoveMessages) -> None:
    """Take messages out."""
    keep(song, without(written(song), args["messages"]))


@edit(arguments.CopyMessages)
def copy_messages(song: Song, args: arguments.CopyMessages) -> None:
    """The messages of a section into others too, in place of what these send to the same devices."""
    spans = spans_of(song)
    keep(song, copied(written(song), args["section"], args["to"], spans, lambda: uuid.uuid4().hex[:12]))
