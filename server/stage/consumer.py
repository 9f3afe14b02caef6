"""The stage's WebSocket: engine states out, presses in, and any feed to listen to."""

from __future__ import annotations

import asyncio
import json
from typing import Any

import zmq
import zmq.asyncio
from channels.db import database_sync_to_async
from django.conf import settings

from people.sockets import GONE, BandConsumer
from playout.wire import unpack_tap
from stage import engine
from stage.shows import loaded_show, own_state
from upbeat.errors import Refused

IN_FLIGHT = 2
SILENT_MS = 3000
_LISTENING: dict[str, int] = {}  # feed to how many pages of this server listen to it


class StageConsumer(BandConsumer):
    """In: ``{"press", "args", "id"}``, ``{"listen": feed or null}``, ``{"seen": true}``.
    Out: ``{"state"}``, ``{"answer", "id"}``, and int16 stereo.

    A page says when it has drawn a state; a slow one gets fewer, and never an old one.
    """

    listening: str | None = None
    _unseen = 0
    _newest: dict[str, Any] | None = None

    async def opened(self) -> None:
        self._titles: dict[Any, str | None] = {}
        self._own_show = False
        self._states = asyncio.create_task(self._relay())

    async def closed(self) -> None:
        self._states.cancel()
        await self._listen(None)

    async def message(self, message: dict[str, Any]) -> None:
        if "press" in message:
            if not await self.still_in():
                await self.close(GONE)
                return
            answer = await database_sync_to_async(self._press)(str(message["press"]), message.get("args"))
            await self.send(json.dumps({"answer": answer, "id": message.get("id")}))
        elif "seen" in message:
            self._unseen = max(0, self._unseen - 1)
            await self._send_newest()
        elif "listen" in message:
            await self._listen(message["listen"])

    def _press(self, name: str, args: Any) -> dict[str, Any]:
        try:
            own_state(self.band)
            return engine.ask("press", press=name, args=args if isinstance(args, dict) else {})
        except Refused as refused:
            return {"ok": False, "problems": [p.as_dict() for p in refused.problems]}

    async def _relay(self) -> None:
        context = zmq.asyncio.Context.instance()
        socket = context.socket(zmq.SUB)
        socket.setsockopt(zmq.RCVHWM, 100)
        socket.connect(f"tcp://127.0.0.1:{settings.ENGINE_STATE_PORT}")
        socket.setsockopt(zmq.SUBSCRIBE, b"")
        try:
            while True:
                if not await socket.poll(SILENT_MS):
                    await self.send(json.dumps({"state": {"status": "silent"}}))
                    continue
                topic, body = await socket.recv_multipart()
                if topic == b"state":
                    self._newest = json.loads(body)
                    await self._send_newest()
                elif self._own_show and self.listening and topic == b"tap:" + self.listening.encode():
                    _, sound = unpack_tap(body)
                    stereo = sound if sound.shape[1] == 2 else sound.repeat(2, axis=1)
                    await self.send(bytes_data=stereo.tobytes())
        finally:
            socket.close(linger=0)

    async def _send_newest(self) -> None:
        """Send the newest state, unless the page is still busy with two others."""
        if self._newest is None or self._unseen >= IN_FLIGHT:
            return
        newest, self._newest = self._newest, None
        self._unseen += 1
        await self.send(json.dumps({"state": await self._for_band(newest)}))

    async def _for_band(self, state: dict[str, Any]) -> dict[str, Any]:
        """The state as this band may see it: nothing of another band's show."""
        name = state.get("show")
        if name not in self._titles:
            show = await database_sync_to_async(loaded_show)(state, self.band) if name else None
            self._titles[name] = show.title if show else None
        title = self._titles[name]
        self._own_show = title is not None
        if title is None:
            status = "empty" if name is None else "other"
            return {"status": status, "show": None, "dropouts": state["dropouts"], "device": state["device"]}
        return {**state, "show_title": title}

    async def _listen(self, feed: Any) -> None:
        wanted = str(feed)[:200] if feed else None
        if wanted and not self._own_show:
            return
        for name, change in ((self.listening, -1), (wanted, 1)):
            if name:
                _LISTENING[name] = _LISTENING.get(name, 0) + change
        if self.listening != wanted:
            self.listening = wanted
            await asyncio.to_thread(_tap, [f for f, n in _LISTENING.items() if n > 0])


def _tap(feeds: list[str]) -> None:
    try:
        engine.ask("taps", feeds=feeds)
    except Refused:
        pass  # an engine that does not answer has no feeds to listen to
