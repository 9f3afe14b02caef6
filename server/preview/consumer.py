"""Hearing a song in the browser: the show's renderer, streamed over a WebSocket."""

from __future__ import annotations

import asyncio
import json
from typing import Any

import numpy as np
from channels.db import database_sync_to_async
from django.conf import settings

from people.sockets import BandConsumer
from preview.joining import joining
from preview.listening import listening
from upbeat.errors import Refused
from upbeat.play.advance import advance
from upbeat.play.events import BarLine
from upbeat.show.ready import ReadyShow

BLOCK = 4800
AHEAD, AHEAD_LIVE = settings.SAMPLE_RATE * 3 // 2, settings.SAMPLE_RATE * 2 // 5


class ListenConsumer(BandConsumer):
    """In: ``{"hear": song, "bar", "click", "cues", "form"}``, ``{"played": frames}``, ``{"stop": true}``.

    ``"loop"``: so many bars from ``bar`` on, round and round. ``"seam": {"old", "new"}``: the last two
    bars of one section into the first two of another; ``"crossfade_ms"`` and ``"ring_on_s"`` as if they were set.
    With ``"finding": {"stem", "code", "mended"}`` the stem is heard as that mend leaves it, or without
    it, whatever the song has now; ``"alone"``: a stem to be heard without the others, where it is tacet too.
    ``"edges"``: how the recording begins and ends, as if the song had these.
    ``"join": {"setlist", "entry"}``: the last bars of a song into the first of the one that follows it, as they are linked.
    ``"semitones"`` and ``"tempo"`` (``"92 %"`` or beats a minute): in another key and tempo.
    ``"line_up"``: what sounds with those players (``""``: with all of them) instead of every stem.
    ``{"solo": [stems], "mute": [stems]}`` may be sent with it, and while it plays.

    Out: ``{"bars": [{frame, bar, step, frames}]}`` as they are rendered, int16 stereo at the library's rate,
    ``{"ended": frames}``, ``{"problems"}``.
    """

    _stream: asyncio.Task[None] | None = None
    _played = 0
    #: Stems that sound alone, and stems that are silent, while somebody listens.
    _apart: tuple[frozenset[str], frozenset[str]] = (frozenset(), frozenset())

    async def closed(self) -> None:
        if self._stream:
            self._stream.cancel()

    async def message(self, message: dict[str, Any]) -> None:
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
            heard = joining if "join" in message else listening
            ready, state = await database_sync_to_async(heard)(self.band, message)
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
            bars = [{"frame": e.frame, "bar": e.bar, "frames": _bar_frames(ready, e)} for e in span.only(BarLine)]
            if bars:
                await self.send(json.dumps({"bars": bars}))
            await self.send(bytes_data=np.clip(out.T * 32767, -32768, 32767).astype("<i2").tobytes())
            if state.silent:
                await self.send(json.dumps({"ended": state.head}))
                return


def _apart(message: dict[str, Any]) -> tuple[frozenset[str], frozenset[str]]:
    solo, mute = (
        [s for s in message.get(k) or [] if isinstance(s, str)][:200] if isinstance(message.get(k), list) else []
        for k in ("solo", "mute")
    )
    return frozenset(solo), frozenset(mute)


def _bar_frames(ready: ReadyShow, line: BarLine) -> int:
    frames = ready.plan.entries[line.entry].bar_frames
    return int(frames[line.bar] - frames[line.bar - 1])
