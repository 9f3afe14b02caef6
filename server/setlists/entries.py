"""The entries of a setlist, put in order as a whole."""

from __future__ import annotations

from typing import Any

from api.query import uuid_or_nil
from setlists.models import Entry, Setlist
from songs.prepared import ask_preparation
from upbeat.errors import refuse
from upbeat.limits import ENTRIES
from upbeat.show.running import check_links
from upbeat.song.key_tempo import typed_percent
from upbeat.time.tempo import parse_bpm


def put_entries(setlist: Setlist, entries: list[dict[str, Any]], again: bool = False) -> None:
    """Make these the entries of a setlist, in this order. Raises :class:`Refused`.

    ``again``: they were entries of it before, and have the ids that they had.
    """
    if len(entries) > ENTRIES.high:
        raise refuse("setlist-long", f"A setlist has at most {ENTRIES.high:g} entries.")
    existing = {e.pk: e for e in setlist.entries.all()}
    kept, links = [], []
    for position, raw in enumerate(entries):
        known, tempo = raw.pop("id", None), raw.pop("tempo", None)
        entry = existing.get(known) or (Entry(pk=known, setlist=setlist) if again else Entry(setlist=setlist))
        for name, value in raw.items():
            setattr(entry, name, value)
        song, form = entry.song, entry.form
        if song is None and not entry.interval_minutes and not entry.set_name.strip():
            raise refuse("entry-empty", f"Entry {position + 1} has neither a song nor an interval: choose one.")
        if song is not None and form and not song.forms.filter(pk=uuid_or_nil(form)).exists():
            raise refuse("form-unknown", f"“{song.title}” has no such form: choose one of its own.")
        if tempo is not None and song is not None:
            typed = typed_percent(tempo, parse_bpm(song.tempo[0]["bpm"])) if tempo.strip() else None
            entry.tempo_percent = None if typed is None else float(typed)
        change = entry.change  # raises where it cannot be
        if entry.tempo_percent is not None:
            entry.tempo_percent = float(change.percent)
        entry.position = position
        entry.save()
        if song is not None:
            ask_preparation(song, change)
        kept.append(entry.pk)
        if not entry.is_heading:
            links.append((None if song is None else song.title, entry.link))
    check_links(links)
    setlist.entries.exclude(pk__in=kept).delete()


def stored(entry: Entry) -> dict[str, Any]:
    """What is kept of an entry, as JSON."""
    return {
        "id": str(entry.pk),
        "song": str(entry.song_id) if entry.song_id else None,
        "form": entry.form,
        "link": entry.link,
        "link_seconds": entry.link_seconds,
        "pad": entry.pad,
        "call_title": entry.call_title,
        "timecode": entry.timecode,
        "screen": entry.screen,
        "semitones": entry.semitones,
        "tempo_percent": entry.tempo_percent,
        "note": entry.note,
        "colour": entry.colour,
        "players": entry.players,
        "set_name": entry.set_name,
        "interval_minutes": entry.interval_minutes,
    }
