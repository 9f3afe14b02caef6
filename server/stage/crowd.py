"""Every joined phone of this process: one relay of the engine's states, one text for all of them."""

from __future__ import annotations

import asyncio
import contextlib
import time
from typing import Any, Protocol

import msgspec
import zmq
import zmq.asyncio
from django.conf import settings

from stage import engine
from stage.joining import joining
from upbeat.errors import Refused
from upbeat.show.for_band import BandShow, moment_of, show_for_band, state_for_band

TURN_S = 0.04  # with every state of the engine, of which there are twenty a second
SILENT_MS = 1000


class Member(Protocol):
    """A phone as the crowd sees it."""

    def newest(self, state: str) -> None:
        """A state to be sent; one that was not sent yet is left out."""

    def shown(self, show: str) -> None:
        """What is loaded, to be sent once."""

    def gone(self) -> None:
        """The show is over, or another one."""


class Crowd:
    """The phones that have contact, told by a task that runs while there are any."""

    def __init__(self) -> None:
        self._members: set[Member] = set()
        self._task: asyncio.Task[None] | None = None
        self._show: str | None = None
        self.band_show: BandShow = {"title": "", "entries": [], "mixes": []}

    def add(self, member: Member) -> None:
        self._members.add(member)
        if self._show is not None:
            member.shown(self._show)
        if self._task is None or self._task.done():
            self._task = asyncio.create_task(self._relay())

    def remove(self, member: Member) -> None:
        self._members.discard(member)
        if not self._members and self._task is not None:
            self._task.cancel()
            self._task, self._show = None, None

    async def _relay(self) -> None:
        socket = zmq.asyncio.Context.instance().socket(zmq.SUB)
        socket.setsockopt(zmq.RCVHWM, 20)
        socket.setsockopt(zmq.SUBSCRIBE, b"state")
        socket.connect(f"tcp://127.0.0.1:{settings.ENGINE_STATE_PORT}")
        told, moment, which = 0.0, None, None
        try:
            while True:
                if not await socket.poll(SILENT_MS):
                    self._tell('{"state": {"status": "silent"}}')
                    continue
                body = (await socket.recv_multipart())[1]
                state = msgspec.json.decode(body)
                joining().loaded(state.get("show") or "", state.get("band", "") if state.get("show") else "")
                if not state.get("show"):
                    which, self._show = None, None
                    for member in list(self._members):
                        member.gone()
                    continue
                if which != (state["show"], state["loads"]):
                    which = await self._describe(state["show"], state["loads"], which)
                now = state_for_band(state)
                if moment_of(now) != moment or time.monotonic() - told >= TURN_S:
                    told, moment = time.monotonic(), moment_of(now)
                    self._tell(f'{{"state": {msgspec.json.encode(now).decode()}}}')
        finally:
            socket.close(linger=0)

    async def _describe(self, show: str, loads: int, before: Any) -> Any:
        with contextlib.suppress(Refused):
            described = await asyncio.to_thread(engine.described, show, loads)
            self.band_show = show_for_band(described)
            self._show = f'{{"show": {msgspec.json.encode(self.band_show).decode()}}}'
            for member in list(self._members):
                member.shown(self._show)
            return show, loads
        return before

    def _tell(self, text: str) -> None:
        for member in list(self._members):
            member.newest(text)


_crowd: Crowd | None = None


def crowd() -> Crowd:
    """The crowd of this process."""
    global _crowd
    if _crowd is None:
        _crowd = Crowd()
    return _crowd
