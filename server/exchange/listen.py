"""Hearing a song in the browser: the same renderer as the show's, streamed over a WebSocket."""

from __future__ import annotations

import asyncio
import json
from dataclasses import replace
from typing import Any

import numpy as np
from channels.db import database_sync_to_async
from channels.generic.websocket import AsyncWebsocketConsumer
from django.conf import settings
from upbeat.play.transport import Place, State, advance, press

from people.models import Band, band_of
from songs.build import song_document
from songs.heard import mend_heard
from songs.models import Song
from songs.sheet import line_up_of, missing
from upbeat.errors import Refused
from upbeat.show.document import FORMAT, VERSION, read_show
from upbeat.show.ready import ReadyShow, make_ready
from upbeat.song.excerpt import joined, looped
from upbeat.song.sections import BarSpan
from upbeat.song.song import Song as CoreSong
from voices.build import with_voice

BLOCK = 4800
EDGES = ("start_s", "fade_in_s", "end_bar", "fade_out_s", "hold_s")
AHEAD, AHEAD_LIVE = settings.SAMPLE_RATE * 3 // 2, settings.SAMPLE_RATE * 2 // 5


class ListenConsumer(AsyncWebsocketConsumer):
    """In: ``{"hear": song, "bar", "click", "cues", "form"}``, ``{"played": frames}``, ``{"stop": true}``.

    ``"loop"``: so many bars from ``bar`` on, round and round. ``"seam": {"old", "new"}``: the last two
    bars of one section into the first two of another; ``"crossfade_ms"`` and ``"ring_on_s"`` as if they were set.
    With ``"finding": {"stem", "code", "mended"}`` the stem is heard as that mend leaves it, or without
    it, whatever the song has now; ``"alone"``: a stem to be heard without the others, where it is tacet too.
    ``"edges"``: how the recording begins and ends, as if the song had these.
    ``"line_up"``: what sounds with those players (``""``: with all of them) instead of every stem.
    ``{"solo": [stems], "mute": [stems]}`` may be sent with it, and while it plays.

    Out: ``{"bars": [{frame, bar, step, frames}]}`` as they are rendered, int16 stereo at the library's rate,
    ``{"ended": frames}``, ``{"problems"}``.
    """

    band: Band
    _stream: asyncio.Task[None] | None = None
    _played = 0
    #: Stems to be heard alone, and stems not to be heard, while somebody listens.
    _apart: tuple[frozenset[str], frozenset[str]] = (frozenset(), frozenset())

    async def connect(self) -> None:
        band = await database_sync_to_async(band_of)(self.scope["user"])
        if band is None:
            await self.close(4401)
            return
        self.band = band
        await self.accept()

    async def disconnect(self, code: int) -> None:
        if self._stream:
            self._stream.cancel()

    async def receive(self, text_data: str | None = None, bytes_data: bytes | None = None) -> None:
        try:
            message = json.loads(text_data or "")
            assert isinstance(message, dict)
        except (ValueError, AssertionError, RecursionError):
            return
        if "played" in message and isinstance(message["played"], int):
            self._played = message["played"]
        elif "hear" not in message and ("solo" in message or "mute" in message):
            self._apart = _apart(message)
        elif "hear" in message or "stop" in message:
            if self._stream:
                self._stream.cancel()
            self._played = 0
            self._apart = _apart(message)
            if "hear" in message:
                self._stream = asyncio.create_task(self._hear(message))

    async def _hear(self, message: dict[str, Any]) -> None:
        try:
            ready, state = await database_sync_to_async(listening)(self.band, message)
        except Refused as refused:
            await self.send(json.dumps({"problems": [p.as_dict() for p in refused.problems]}))
            return
        renderer = ready.renderer()
        out = np.zeros((2, BLOCK), dtype=np.float32)
        # Where the hand is at solo and mute, less is rendered ahead, so that the ear follows it.
        ahead = AHEAD_LIVE if "solo" in message else AHEAD
        stems = frozenset(s.stem.id for e in ready.audio.entries for s in e.stems)
        while True:
            while state.head - self._played > ahead:
                await asyncio.sleep(0.02)
            solo, mute = self._apart
            # One that rests tonight is heard all the same, where somebody wants it alone.
            renderer.set_heard((stems - solo if solo & stems else frozenset()) | mute, solo)
            state, span = advance(ready.plan, state, BLOCK)
            await asyncio.to_thread(renderer.render, span, out)
            bars = [
                {"frame": e["frame"], "bar": e["bar"], "frames": _bar_frames(ready, e)}
                for e in span.events
                if e["kind"] == "bar"
            ]
            if bars:
                await self.send(json.dumps({"bars": bars}))
            await self.send(bytes_data=np.clip(out.T * 32767, -32768, 32767).astype("<i2").tobytes())
            if state.run is None and not state.past:
                await self.send(json.dumps({"ended": state.head}))
                return


def _apart(message: dict[str, Any]) -> tuple[frozenset[str], frozenset[str]]:
    solo, mute = (
        [s for s in message.get(k) or [] if isinstance(s, str)][:200] if isinstance(message.get(k), list) else []
        for k in ("solo", "mute")
    )
    return frozenset(solo), frozenset(mute)


def _bar_frames(ready: ReadyShow, event: dict[str, Any]) -> int:
    frames = ready.plan.entries[event["entry"]].bar_frames
    return int(frames[event["bar"]] - frames[event["bar"] - 1])


def listening(band: Band, message: dict[str, Any]) -> tuple[ReadyShow, State]:
    """A song alone on one stereo feed, ready at a bar. Raises :class:`Refused`."""
    song = Song.objects.filter(pk=_uuid(message.get("hear")), band=band).first()
    if song is None:
        from upbeat.errors import refuse

        raise refuse("song-unknown", "That song is not there any more.")
    files: dict[str, Any] = {}
    line_up = line_up_of(band, str(message["line_up"])[:40]) if message.get("line_up") else None
    document = song_document(song, files, line_up=str(line_up.pk) if line_up else None)
    _as_asked(song, document, message)
    away = [str(p.pk) for p in missing(line_up)] if "line_up" in message else None
    for stem in document["stems"]:
        stem["file"] = str(files[stem["file"]].relative_to(settings.MEDIA))
        if stem["purpose"] == "rehearsal" or (stem["purpose"] == "covers" and away is None):
            # While a song is prepared every stem is heard, whoever is on, unless a line-up is asked for.
            stem["purpose"] = "always"
    for field, most in (("crossfade_ms", 80), ("ring_on_s", 2)):
        if isinstance(message.get(field), int | float):
            document[field] = min(most, max(0, message[field]))
    if isinstance(message.get("edges"), dict):
        document["edges"] = {k: v for k, v in message["edges"].items() if k in EDGES and isinstance(v, int | float)}
    document["count_in"] = {"bars": 0, "aloud": False}
    guides = [{"source": g} for g in ("click", "cues") if message.get(g, True)]
    sends = [{"source": f"group:{g}"} for g in ("rhythm", "tonal", "voices", "effects", "click", "cues", "full_mix")]
    show = read_show(
        with_voice(
            {
                "format": FORMAT,
                "version": VERSION,
                "title": song.title,
                "sample_rate": settings.SAMPLE_RATE,
                "songs": [document],
                "entries": [
                    {"id": "hear", "song": document["id"], "form": None if _excerpt(message) else message.get("form")}
                ],
                "feeds": [{"id": "ears", "name": "Ears", "kind": "monitor", "sends": [*sends, *guides], "gain_db": -3}],
                "rig": {"sockets": [{"number": 1}, {"number": 2}]},
                "patch": [
                    {"feed": "ears", "side": "left", "socket": 1},
                    {"feed": "ears", "side": "right", "socket": 2},
                ],
                "players": [{"id": p, "name": p} for p in away or []],
                "line_up": {"on": []},
            },
            band,
        )
    )
    if _excerpt(message):
        show = replace(show, songs={key: _of(song, message) for key, song in show.songs.items()})
    ready = make_ready(show, settings.MEDIA, words_folder=settings.WORDS)
    entry = ready.plan.entries[0]
    bar = message.get("bar")
    bar = bar if isinstance(bar, int) and 1 <= bar <= entry.bars else 1
    if message.get("seam"):
        bar = entry.steps[0].first_bar
    step = next(
        (i for i in entry.playable if entry.steps[i].first_bar <= bar < entry.steps[i].first_bar + entry.steps[i].bars),
        entry.playable[0],
    )
    state, _ = press(ready.plan, State(place=Place(0, step, bar)), "resume")
    return ready, state


def _excerpt(message: dict[str, Any]) -> bool:
    return isinstance(message.get("seam"), dict) or (isinstance(message.get("loop"), int) and message["loop"] > 0)


def _of(song: CoreSong, message: dict[str, Any]) -> CoreSong:
    """The part of a song that is to be heard: two sections joined, or bars round and round."""
    seam = message.get("seam")
    if isinstance(seam, dict):
        return joined(song, str(seam.get("old")), str(seam.get("new")))
    bar = message["bar"] if isinstance(message.get("bar"), int) else 1
    return looped(song, BarSpan(bar, bar + message["loop"] - 1))


def _as_asked(song: Song, document: dict[str, Any], message: dict[str, Any]) -> None:
    """Change the stems of a document to what is to be heard."""
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


def _uuid(text: Any) -> Any:
    import uuid

    try:
        return uuid.UUID(str(text))
    except ValueError:
        return None
