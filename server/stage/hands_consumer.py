"""The WebSocket of the page Hands: what is plugged in and pressed out; simulated boxes, keys and ports of the page in."""

from __future__ import annotations

import contextlib
import json
import math
from typing import Any

import msgspec

from stage import ports
from stage.passed import PassedConsumer
from upbeat.errors import Refused
from upbeat.play.rights import has

SILENT_MS = 2500


class HandsConsumer(PassedConsumer):
    """In: ``{"box", "data"}``, ``{"port", "data"}``, ``{"key", "down"}``, ``{"quiet": port}`` (these three with ``since_ms``),
    ``{"try": true or false}``.
    Out: ``{"hands"}``, ``{"devices"}``, ``{"stand_ins"}``, ``{"signals"}``, ``{"out"}``, ``{"answer"}``, ``{"problems"}``, ``{"silent": true}``.

    Ports belong to the machine: they are shown to those who may do everything, while no other band's show is loaded.
    """

    _mine = False

    async def opened(self) -> list[Any]:
        with contextlib.suppress(Refused):
            now = await ports.ask("tell")
            await self._tell(b"hands", now)
            for topic in ("devices", "stand_ins"):
                await self._tell(topic.encode(), now[topic])
        return [self._relay()]

    async def closed(self) -> None:
        try:
            await ports.ask("try", band=self.owner.band, on=False)
        except Refused:
            pass

    async def message(self, message: dict[str, Any]) -> None:
        try:
            if not has(self.owner.right, "everything"):
                return
            if "try" in message:
                await ports.ask("try", band=self.owner.band, on=message["try"] is True)
            else:
                await play(message, self.owner.person, self._mine)
        except Refused as refused:
            await self.send(json.dumps({"problems": [p.as_dict() for p in refused.problems]}))

    async def _relay(self) -> None:
        socket = ports.signals()
        try:
            while True:
                if not await socket.poll(SILENT_MS):
                    await self.send(json.dumps({"silent": True}))
                    continue
                topic, body = await socket.recv_multipart()
                await self._tell(topic, msgspec.json.decode(body))
        finally:
            socket.close(linger=0)

    async def _tell(self, topic: bytes, what: Any) -> None:
        if topic == b"hands":
            self._mine = what["band"] in ("", self.owner.band)
            if not self._mine:
                await self.send(json.dumps({"other": True}))
        if self._mine and has(self.owner.right, "everything"):
            await self.send(json.dumps({topic.decode(): what}))


async def play(message: dict[str, Any], person: str, mine: bool) -> None:
    """Send what a page's box, port or key does to the process of the ports. Raises :class:`Refused`.

    ``mine``: no other band's show is loaded.
    """
    if not mine:
        return
    since = message.get("since_ms")
    since = float(since) if isinstance(since, int | float) and 0 <= since < math.inf else None
    if isinstance(message.get("box"), str):
        await ports.ask("box", box=message["box"][:80], data=message.get("data"))
    elif isinstance(message.get("port"), str):
        await ports.ask(
            "bytes",
            port=message["port"][:80],
            data=message.get("data"),
            by=person[:80],
            out=message.get("out") is True,
            since_ms=since,
        )
    elif isinstance(message.get("quiet"), str) and since is not None:
        await ports.ask("quiet", port=message["quiet"][:80], since_ms=since)
    elif isinstance(message.get("key"), str):
        key, down = message["key"][:80], message.get("down") is True
        await ports.ask("key", key=key, down=down, by=person[:80], since_ms=since)
