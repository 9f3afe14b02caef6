"""How loud a song is in the house with a line-up: measured in the worker, kept by what it depends on."""

from __future__ import annotations

import hashlib
import json
from dataclasses import asdict
from typing import Any

from django.conf import settings

from outputs.routing import feeds_document
from people.line_ups import missing
from people.models import LineUp
from songs.build import song_document
from songs.models import Measurement, Song
from upbeat.errors import refuse
from upbeat.mix.matching import Loud, Proposal, propose
from upbeat.mix.routing import Routing
from upbeat.show.document import read_routing, read_song
from upbeat.show.loudness import heard_feeds, house_level

_PREFIX = "loud:"
_NOT_HEARD = ("title", "key", "chords", "note", "gain_db", "click", "count_in", "calls")


def _routing(song: Song) -> Routing:
    return read_routing({"feeds": feeds_document(song.band), "rig": {"sockets": []}, "patch": []})


def _asked(song: Song, form: str, line_up: LineUp | None) -> dict[str, Any]:
    return {"form": form, "away": sorted(str(p.pk) for p in missing(line_up))}


def key_of(song: Song, asked: dict[str, Any]) -> str:
    """What a measuring depends on: all that is heard, but for the gain of the whole song."""
    document = song_document(song)
    feeds = _routing(song).feeds
    heard = {k: v for k, v in document.items() if k not in _NOT_HEARD}
    heard["forms"] = [f for f in heard["forms"] if f["id"] == asked["form"]]
    covered = {s["covers"] for s in document["stems"] if s["covers"]}
    parts = [heard, [asdict(f) for f in heard_feeds(feeds)], [p for p in asked["away"] if p in covered]]
    return _PREFIX + hashlib.sha256(json.dumps(parts, sort_keys=True, default=str).encode()).hexdigest()[:56]


def measurement(song: Song, form: str, line_up: LineUp | None) -> tuple[Measurement, bool]:
    """The row for a song in a form with a line-up, and whether it is new and has to be measured."""
    asked = _asked(song, form, line_up)
    return Measurement.objects.get_or_create(
        song=song, key=key_of(song, asked), defaults={"stems": [], "result": {"asked": asked}}
    )


def known(song: Song, form: str, line_up: LineUp | None) -> Measurement | None:
    """The row for a song in a form with a line-up, if it was asked for."""
    return song.measurements.filter(key=key_of(song, _asked(song, form, line_up))).first()


def measure_loudness(row: Measurement) -> None:
    """Play the song into its house feed and keep how loud it was. Raises :class:`Refused`."""
    asked = row.result["asked"]
    files: dict[str, Any] = {}
    document = song_document(row.song, files)
    for stem in document["stems"]:
        stem["file"] = str(files[stem["file"]].relative_to(settings.MEDIA))
    song = read_song({**document, "gain_db": 0.0})
    if not song.stems:
        raise refuse("loud-no-stems", f"“{song.title}” has no stems: there is nothing to be measured.")
    level = house_level(
        song, asked["form"], _routing(row.song).feeds, asked["away"], settings.MEDIA, settings.SAMPLE_RATE
    )
    row.result = {"asked": asked, **asdict(level)}


def gain_of(song: Song, line_up: LineUp | None) -> float:
    """How much louder than its stems the song is set, with a line-up."""
    return float(song.gains.get(str(line_up.pk) if line_up else "", song.gain_db))


def heard(row: Measurement | None, gain_db: float = 0.0) -> Loud:
    """What a row tells, with the song that much louder; nothing while it is not measured."""
    if row is None or row.state != Measurement.State.DONE or row.result.get("lufs") is None:
        return Loud(None, None)
    return Loud(row.result["lufs"] + gain_db, row.result["peak_dbtp"] + gain_db)


def shown_level(song: Song, row: Measurement | None, line_up: LineUp | None, target: float | None) -> dict[str, Any]:
    """A song's loudness as the page draws it, and what would bring it to the target."""
    gain_db = gain_of(song, line_up)
    now = heard(row, gain_db)
    proposed = propose(heard(row), target) if target is not None and now.lufs is not None else None
    result = row.result if row is not None and row.state == Measurement.State.DONE else {}
    return {
        "state": row.state if row else "none",
        "progress": row.progress if row else 0.0,
        "message": row.message if row else "",
        "gain_db": gain_db,
        "own": bool(line_up and str(line_up.pk) in song.gains),
        "lufs": _round(now.lufs),
        "peak_dbtp": _round(now.peak_dbtp),
        "target": target,
        "proposal": _proposal(proposed),
        "seconds": result.get("seconds", 0.0),
        "step_s": result.get("step_s", 0.5),
        "steps": [{"step": i, "at_s": at} for i, at in result.get("steps", [])],
        "short_term": [None if level is None else round(level + gain_db, 2) for level in result.get("short_term", [])],
    }


def _proposal(p: Proposal | None) -> dict[str, Any] | None:
    return (
        None
        if p is None
        else {"gain_db": p.gain_db, "lufs": _round(p.lufs), "peak_dbtp": _round(p.peak_dbtp), "short_db": p.short_db}
    )


def _round(value: float | None) -> float | None:
    return None if value is None else round(value, 2)
