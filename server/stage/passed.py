"""WebSockets of the stage's process: opened by a pass, closed once it is over. They need no database to answer."""

from __future__ import annotations

import asyncio
import contextlib
import json
import time
from http.cookies import CookieError, SimpleCookie
from typing import Any

from channels.db import database_sync_to_async
from channels.generic.websocket import AsyncWebsocketConsumer
from django.db import DatabaseError

from people.passes import COOKIE, Pass, is_ended, read_pass
from people.sockets import GONE, NOT_IN
from stage.members import as_now

RECHECK_S = 2.0
PHONE = 0  # in place of a user, for a joined phone


class PassedConsumer(AsyncWebsocketConsumer):  # type: ignore[misc]  # channels has no types
    """One JSON object a message in. ``opened``, ``message`` and ``closed`` are for the consumers that derive from it."""

    owner: Pass

    def joined_as(self) -> Pass | None:
        """The pass of a joined phone, for consumers that let them in."""
        return None

    async def opened(self) -> list[Any]:
        """The socket is accepted; gives what is to run until it is closed."""
        return []

    async def message(self, message: dict[str, Any]) -> None:
        """A message came in."""

    async def closed(self) -> None:
        """The socket is closed."""

    async def connect(self) -> None:
        owner = read_pass(_cookie(self.scope, COOKIE)) or self.joined_as()
        if owner is None:
            await self.close(NOT_IN)
            return
        self.owner = owner
        await self.accept()
        running = [*await self.opened(), self._until_out()]
        self._tasks = [asyncio.create_task(one) for one in running]

    async def disconnect(self, code: int) -> None:
        if hasattr(self, "_tasks"):
            for task in self._tasks:
                task.cancel()
            await self.closed()

    async def receive(self, text_data: str | None = None, bytes_data: bytes | None = None) -> None:
        try:
            message = json.loads(text_data or "")
        except (ValueError, RecursionError):
            return
        if not isinstance(message, dict):
            return
        if is_ended(self.owner):
            await self.close(GONE)
            return
        await self.message(message)

    async def _until_out(self) -> None:
        """Close once the person is out of the band. A database that does not answer turns nobody out."""
        while True:
            await asyncio.sleep(RECHECK_S)
            if self.owner.user == PHONE:
                now = self.joined_as()
                if now is None:
                    await self.close(GONE)
                    return
                self.owner = now
                continue
            out = is_ended(self.owner) or self.owner.until < time.time()
            with contextlib.suppress(DatabaseError, OSError):
                now = await database_sync_to_async(as_now)(self.owner)
                self.owner, out = now or self.owner, out or now is None
            if out:
                await self.close(GONE)
                return


def _cookie(scope: dict[str, Any], name: str) -> str | None:
    raw = dict(scope.get("headers", [])).get(b"cookie", b"").decode("latin-1")
    try:
        found = SimpleCookie(raw).get(name)
    except CookieError:
        return None
    return found.value if found else None
