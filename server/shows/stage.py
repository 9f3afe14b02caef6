"""The stage's WebSocket: engine states out, presses in, and any feed to listen to."""

from __future__ import annotations

import asyncio
import json
from typing import Any

import zmq
import zmq.asyncio
from channels.db import database_sync_to_async
from channels.generic.websocket import AsyncWebsocketConsumer
from django.conf import settings

from people.models import Band, band_of
from playout.wire import unpack_tap
from shows import engine
from upbeat.errors import Refused

IN_FLIGHT = 2
_LISTENING: dict[str, int] = {}  # feed to how many pages of this server listen to it


class StageConsumer(AsyncWebsocketConsumer):
    """In: ``{"press", "args", "id"}``, ``{"listen": feed or null}``, ``{"seen": true}``. Out: ``{"state"}``, ``{"answer", "id"}``, and int16 stereo.

    A page says when it has shown a state; a slow one gets fewer, and never an old one.
    """

    band: Band
    listening: str | None = None
    _unseen = 0
    _newest: dict[str, Any] | None = None

    async def connect(self) -> None:
        band = await database_sync_to_async(band_of)(self.scope["user"])
        if band is None:
            await self.close(4401)
            return
        self.band = band
        self._shows: dict[Any, str | None] = {}
        self._own_show = False
        await self.accept()
        self._states = asyncio.create_task(self._relay())

    async def disconnect(self, code: int) -> None:
        if hasattr(self, "_states"):
            self._states.cancel()
            await self._listen(None)

    async def receive(self, text_data: str | None = None, bytes_data: bytes | None = None) -> None:
        try:
            message = json.loads(text_data or "")
            assert isinstance(message, dict)
        except (ValueError, AssertionError, RecursionError):
            return
        if "press" in message:
            answer = await database_sync_to_async(self._press)(str(message["press"]), message.get("args"))
            await self.send(json.dumps({"answer": answer, "id": message.get("id")}))
        elif "seen" in message:
            self._unseen = max(0, self._unseen - 1)
            await self._show()
        elif "listen" in message:
            await self._listen(message["listen"])

    def _press(self, name: str, args: Any) -> dict[str, Any]:
        try:
            state = engine.ask("state")["state"]
            if engine.loaded_show(state, self.band) is None:
                return {
                    "ok": False,
                    "problems": [
                        {"code": "no-show", "message": "No show of your band is loaded: take one to the stage first."}
                    ],
                }
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
                if not await socket.poll(3000):
                    await self.send(json.dumps({"state": {"status": "silent"}}))
                    continue
                topic, body = await socket.recv_multipart()
                if topic == b"state":
                    self._newest = json.loads(body)
                    await self._show()
                elif self._own_show and self.listening and topic == b"tap:" + self.listening.encode():
                    _, sound = unpack_tap(body)
                    await self.send(bytes_data=(sound if sound.shape[1] == 2 else sound.repeat(2, axis=1)).tobytes())
        finally:
            socket.close(linger=0)

    async def _show(self) -> None:
        """Send the newest state, unless the page is still busy with two others."""
        if self._newest is None or self._unseen >= IN_FLIGHT:
            return
        newest, self._newest = self._newest, None
        self._unseen += 1
        await self.send(json.dumps({"state": await self._told(newest)}))

    async def _told(self, state: dict[str, Any]) -> dict[str, Any]:
        name = state.get("show")
        if name not in self._shows:
            show = await database_sync_to_async(engine.loaded_show)(state, self.band) if name else None
            self._shows[name] = show.title if show else None
        self._own_show = self._shows[name] is not None
        if not self._own_show:
            return {
                "status": "empty" if name is None else "other",
                "show": None,
                "dropouts": state["dropouts"],
                "device": state["device"],
                "loading": None,
            }
        return {**state, "show_title": self._shows[name]}

    async def _listen(self, feed: Any) -> None:
        wanted = str(feed) if feed else None
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
        pass  # an engine that does not answer has nothing to be heard
