"""What the running order shows of an entry, even where its song is broken."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from django.conf import settings

from setlists.models import Entry
from songs.build import core_song
from songs.models import Song
from songs.prepared import preparing
from upbeat.errors import Refused
from upbeat.play.compile import count_in_beats
from upbeat.show.running import Lasting
from upbeat.song.lengths import form_length
from upbeat.song.played_in import played_in


@dataclass(frozen=True)
class Facts:
    lasting: Lasting
    shown: dict[str, Any]


_NOTHING: dict[str, Any] = {
    "title": "",
    "bpm": "",
    "unit": "1",
    "meter": "",
    "key": "",
    "recorded_bpm": "",
    "recorded_key": "",
    "played_semitones": 0,
    "played_percent": 100.0,
    "preparing": None,
    "bars": 0,
    "seconds": 0.0,
    "forms": [],
    "problem": None,
    "wrong": 0,
    "look": 0,
}


def entry_facts(entry: Entry) -> Facts:
    """Length, tempo, metre and the forms to choose from."""
    if entry.song is None:
        seconds = 60.0 * (entry.interval_minutes or 0)
        return Facts(Lasting(seconds, 0.0, "wait"), {**_NOTHING, "seconds": seconds})
    row = entry.song
    shown: dict[str, Any] = {
        "title": row.title,
        "bpm": str(row.tempo[0]["bpm"]),
        "unit": str(row.tempo[0].get("unit", "1")),
        "key": row.key,
        "recorded_bpm": str(row.tempo[0]["bpm"]),
        "recorded_key": row.key,
        "played_semitones": entry.change.semitones,
        "played_percent": float(entry.change.percent),
        "preparing": preparing(row, entry.change) if entry.change.changes else None,
        "meter": " · ".join(dict.fromkeys(m["meter"] for m in row.meters)),
        "bars": 0,
        "seconds": 0.0,
        "forms": [],
        "problem": None,
        **left_of(row),
    }
    try:
        song = played_in(replace(core_song(row), stems=()), entry.change)
        form = song.form(entry.form or None)
        length = form_length(song, form)
        first = next(s for s in form.steps if s.ending.kind != "cut")
        _, _, frames = count_in_beats(song, song.first_bar(first.section) + first.first - 1, settings.SAMPLE_RATE)
    except Refused as refused:
        return Facts(Lasting(0.0), {**shown, "problem": str(refused)})
    shown.update(
        bars=length.bars,
        key=song.key,
        bpm=f"{float(song.grid.tempo.points[0].bpm):.2f}".rstrip("0").rstrip("."),
        seconds=round(float(length.seconds), 3),
        forms=[{"id": f.id, "name": f.name} for f in song.forms],
    )
    return Facts(Lasting(float(length.seconds), frames / settings.SAMPLE_RATE, entry.link, entry.link_seconds), shown)


def left_of(song: Song) -> dict[str, int]:
    """How many things of a song are wrong, and how many nobody has looked at."""
    severities = [one["severity"] for one in song.summary.get("to_do", [])]
    return {"wrong": severities.count("wrong"), "look": severities.count("look")}
