"""A song alone as a show: to be heard in a page, given away as guides, or measured."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.conf import settings

from people.models import Band
from upbeat.show.document import FORMAT, VERSION, Show, read_show
from upbeat.song.key_tempo import AS_RECORDED, KeyTempo
from voices.build import with_voice


def show_of(
    document: dict[str, Any],
    band: Band,
    form: str | None,
    *,
    feeds: Sequence[dict[str, Any]] = (),
    sockets: int = 0,
    patch: Sequence[dict[str, Any]] = (),
    away: Sequence[str] = (),
    change: KeyTempo = AS_RECORDED,
) -> Show:
    """A song's document as a show of one entry. ``away``: the players who are not on. Raises :class:`Refused`."""
    entry = {"id": "one", "song": document["id"], "form": form, **change.document}
    return show_of_entries([entry], [document], band, feeds=feeds, sockets=sockets, patch=patch, away=away)


def show_of_entries(
    entries: Sequence[dict[str, Any]],
    documents: Sequence[dict[str, Any]],
    band: Band,
    *,
    feeds: Sequence[dict[str, Any]] = (),
    sockets: int = 0,
    patch: Sequence[dict[str, Any]] = (),
    away: Sequence[str] = (),
) -> Show:
    """Songs' documents as a show of these entries. Raises :class:`Refused`."""
    whole: dict[str, Any] = {
        "format": FORMAT,
        "version": VERSION,
        "title": documents[0]["title"] or "Song",
        "sample_rate": settings.SAMPLE_RATE,
        "songs": list(documents),
        "entries": list(entries),
        "feeds": list(feeds),
        "rig": {"sockets": [{"number": n + 1} for n in range(sockets)]},
        "patch": list(patch),
        "players": [{"id": p, "name": p} for p in away],
        "line_up": {"on": []},
    }
    return read_show(with_voice(whole, band))
