"""What a page wants to hear, as a show of one song that is ready to be rendered."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from django.conf import settings

from api.query import uuid_or_nil
from outputs.routing import feeds_document
from people.line_ups import line_up_of, missing
from people.models import Band
from preview.keys import asked_change, open_heard, put_heard_files
from songs.alone import show_of
from songs.build import song_document
from songs.heard import mend_heard
from songs.loops import chosen, of_stack, tried_documents
from songs.models import Song
from upbeat.errors import refuse
from upbeat.limits import CROSSFADE_MS, RING_ON_S
from upbeat.play.plan import EntryPlan
from upbeat.play.presses import press
from upbeat.play.state import Place, State, stopped_at
from upbeat.show.ready import ReadyShow, make_ready
from upbeat.song.excerpt import joined, looped
from upbeat.song.key_tempo import KeyTempo
from upbeat.song.sections import BarSpan
from upbeat.song.song import Song as CoreSong
from upbeat.song.stems import GROUPS

EDGES = ("start_s", "fade_in_s", "end_bar", "fade_out_s", "hold_s")
EARS_DB = -3
PATCH = ({"feed": "ears", "side": "left", "socket": 1}, {"feed": "ears", "side": "right", "socket": 2})


def ears(guides: Sequence[dict[str, str]]) -> list[dict[str, Any]]:
    """The one feed of who listens: all music, with these guides."""
    sends = [*({"source": f"group:{g}"} for g in GROUPS), *guides]
    return [{"id": "ears", "name": "Ears", "kind": "monitor", "sends": sends, "gain_db": EARS_DB}]


def listening(band: Band, message: dict[str, Any]) -> tuple[ReadyShow, State]:
    """A song alone on one stereo feed, ready at a bar (:class:`preview.consumer.ListenConsumer`).

    Raises :class:`Refused`.
    """
    song = Song.objects.filter(pk=uuid_or_nil(message.get("hear")), band=band).first()
    if song is None:
        raise refuse("song-unknown", "That song is not there any more.")
    line_up = line_up_of(band, str(message["line_up"])[:40]) if message.get("line_up") else None
    away = [str(p.pk) for p in missing(line_up)] if "line_up" in message else None
    change = asked_change(message, song)
    guides = [{"source": g} for g in ("click", "cues") if message.get(g, True)]
    feeds, patch = _fed(band, message["feed"]) if isinstance(message.get("feed"), str) else (ears(guides), PATCH)
    show = show_of(
        _document(song, message, str(line_up.pk) if line_up else None, away, change),
        band,
        None if _excerpt(message) else message.get("form"),
        feeds=feeds,
        sockets=2,
        patch=patch,
        away=away or (),
        change=change,
    )
    if _excerpt(message):
        show = replace(show, songs={key: _part(song, message) for key, song in show.songs.items()})
    ready = make_ready(show, settings.MEDIA, words_folder=settings.WORDS, open_stem=open_heard)
    state, _ = press(ready.plan, stopped_at(_place(ready.plan.entries[0], message)), "resume")
    return ready, state


def _fed(band: Band, wanted: str) -> tuple[list[dict[str, Any]], Sequence[dict[str, Any]]]:
    """The band's feeds, and one of them on both ears: what leaves on it, with its tone and its ceiling. Raises :class:`Refused`."""
    feeds = feeds_document(band)
    feed = next((f for f in feeds if f["id"] == wanted), None)
    if feed is None:
        raise refuse("feed-unknown", "That feed is not there any more: choose another.")
    sides = ("left", "right") if feed["channels"] == 2 else ("mono", "mono")
    return feeds, [{"feed": wanted, "side": side, "socket": n} for n, side in enumerate(sides, 1)]


def _document(
    song: Song, message: dict[str, Any], line_up: str | None, away: list[str] | None, change: KeyTempo
) -> dict[str, Any]:
    """The song's document with everything that the page asks for in place of what the song has."""
    files: dict[str, Any] = {}
    document = song_document(song, files, line_up=line_up)
    _as_asked(song, document, message)
    for stem in document["stems"]:
        stem["file"] = str(files[stem["file"]].relative_to(settings.MEDIA))
        if stem["purpose"] == "rehearsal" or (stem["purpose"] == "covers" and away is None):
            # While a song is prepared every stem sounds, whoever is on, unless a line-up is asked for.
            stem["purpose"] = "always"
    put_heard_files(song, document, change)
    document["stems"] += _tried(song, message)
    for field, allowed in (("crossfade_ms", CROSSFADE_MS), ("ring_on_s", RING_ON_S)):
        if isinstance(message.get(field), int | float):
            document[field] = min(allowed.high, max(allowed.low, message[field]))
    if isinstance(message.get("edges"), dict):
        edges = message["edges"]
        document["edges"] = {k: edges[k] for k in EDGES if isinstance(edges.get(k), int | float)}
    document["count_in"] = {"bars": 0, "aloud": False}
    return document


def _tried(song: Song, message: dict[str, Any]) -> list[dict[str, Any]]:
    """Loops of the shelf that are heard under a song before they are taken. Raises :class:`Refused`."""
    if isinstance(message.get("stack"), str):
        laid = of_stack(song, message["stack"])
    elif isinstance(message.get("layer"), str):
        laid = [chosen(song, message["layer"])]
    else:
        return []
    files: dict[str, Any] = {}
    stems = tried_documents(song, laid, files)
    return [{**s, "file": str(files[s["file"]].relative_to(settings.MEDIA))} for s in stems]


def _place(entry: EntryPlan, message: dict[str, Any]) -> Place:
    """Where it begins: at the bar that is asked for, an excerpt of a seam at its top."""
    bar = message.get("bar")
    bar = bar if isinstance(bar, int) and 1 <= bar <= entry.bars else 1
    if message.get("seam"):
        bar = entry.steps[0].first_bar
    with_bar = (i for i in entry.playable if 0 <= bar - entry.steps[i].first_bar < entry.steps[i].bars)
    return Place(0, next(with_bar, entry.playable[0]), bar)


def _excerpt(message: dict[str, Any]) -> bool:
    return isinstance(message.get("seam"), dict) or (isinstance(message.get("loop"), int) and message["loop"] > 0)


def _part(song: CoreSong, message: dict[str, Any]) -> CoreSong:
    """Two sections joined, or bars round and round."""
    seam = message.get("seam")
    if isinstance(seam, dict):
        return joined(song, str(seam.get("old")), str(seam.get("new")))
    bar = message["bar"] if isinstance(message.get("bar"), int) else 1
    return looped(song, BarSpan(bar, bar + message["loop"] - 1))


def _as_asked(song: Song, document: dict[str, Any], message: dict[str, Any]) -> None:
    """The stems of a document as a finding leaves them, or one of them alone."""
    finding, alone = message.get("finding"), message.get("alone")
    if isinstance(finding, dict):
        changes = mend_heard(song, str(finding.get("stem")), str(finding.get("code")), bool(finding.get("mended")))
        for stem in document["stems"]:
            if stem["id"] == str(finding.get("stem")):
                # The full mix sounds by itself, or everything would sound twice.
                alone = alone or (stem["id"] if stem["purpose"] == "full_mix" else None)
                stem.update({k: v for k, v in changes.items() if k not in ("purpose", "group")}, muted=False)
    if alone:
        document["stems"] = [
            {**s, "muted": False, "purpose": "always", "tacet": []} for s in document["stems"] if s["id"] == str(alone)
        ]
