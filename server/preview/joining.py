"""The join of two songs of a setlist, to be heard: the end of one, what is between them, the beginning of the next."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from django.conf import settings

from api.query import uuid_or_nil
from people.models import Band
from preview.keys import open_heard, put_heard_files
from preview.listening import PATCH, ears
from setlists.models import Entry
from songs.alone import show_of_entries
from songs.build import song_document
from upbeat.errors import refuse
from upbeat.play.presses import press
from upbeat.play.state import State, standing_by
from upbeat.show.ready import ReadyShow, make_ready
from upbeat.song.excerpt import beginning, ending

BARS_BEFORE, BARS_AFTER = 4, 4
TALK_S, PAD_HEARD_S, MOST_SILENCE_S = 1.0, 5.0, 8.0  # nobody listens to minutes of talk


def joining(band: Band, message: dict[str, Any]) -> tuple[ReadyShow, State]:
    """The end of an entry and the beginning of the next song, ready to be heard. Raises :class:`Refused`."""
    asked = message["join"] if isinstance(message["join"], dict) else {}
    entries = list(
        Entry.objects.filter(
            setlist=uuid_or_nil(asked.get("setlist")), setlist__band=band, song__isnull=False
        ).select_related("song")
    )
    at = next((i for i, e in enumerate(entries) if str(e.pk) == str(asked.get("entry"))), None)
    if at is None or at + 1 >= len(entries):
        raise refuse("join-none", "No song follows that one any more.")
    one, next_one = entries[at], entries[at + 1]
    # The same song twice in a row is two songs here: each has a form of its own.
    documents = [_document(one, "one"), _document(next_one, "next")]
    show = show_of_entries(
        [
            {"id": "one", "song": "one", "form": None, "link": _link(one), **one.change.document},
            {
                "id": "next",
                "song": "next",
                "form": None,
                "call_title": next_one.call_title,
                **next_one.change.document,
            },
        ],
        documents,
        band,
        feeds=ears([{"source": "click"}, {"source": "cues"}]),
        sockets=2,
        patch=PATCH,
    )
    names = [e.song for e in show.entries]
    first, second = (show.songs[name] for name in names)
    parts = [
        ending(first, first.form(one.form or None), BARS_BEFORE),
        beginning(second, second.form(next_one.form or None), BARS_AFTER),
    ]
    songs = dict(zip(names, parts, strict=True))
    ready = make_ready(replace(show, songs=songs), settings.MEDIA, words_folder=settings.WORDS, open_stem=open_heard)
    state, _ = press(ready.plan, standing_by(), "go")
    return ready, state


def _document(entry: Entry, name: str) -> dict[str, Any]:
    song = entry.song
    assert song is not None
    files: dict[str, Any] = {}
    document = song_document(song, files)
    for stem in document["stems"]:
        stem["file"] = str(files[stem["file"]].relative_to(settings.MEDIA))
        if stem["purpose"] == "covers":
            stem["purpose"] = "always"
    put_heard_files(song, document, entry.change)
    return {**document, "id": name}


def _link(entry: Entry) -> dict[str, Any]:
    if entry.link == Entry.Link.WAIT:
        seconds = PAD_HEARD_S if entry.pad else TALK_S
        return {"kind": "after", "seconds": seconds, "pad": entry.pad}
    return {"kind": entry.link, "seconds": min(entry.link_seconds, MOST_SILENCE_S), "pad": entry.pad}
