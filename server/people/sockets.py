"""WebSockets of a band's members: opened by those who are signed in, closed when they no longer are."""

from __future__ import annotations

import asyncio
import json
from typing import Any

from channels.db import database_sync_to_async
from channels.generic.websocket import AsyncWebsocketConsumer

from people.models import Band, band_of

RECHECK_S = 2.0
NOT_IN, GONE = 4401, 4403


class BandConsumer(AsyncWebsocketConsumer):  # type: ignore[misc]  # channels has no types
    """One JSON object a message in. ``opened`` and ``message`` are for the consumers that derive from it."""

    band: Band

    async def opened(self) -> None:
        """The socket is accepted."""

    async def message(self, message: dict[str, Any]) -> None:
        """A message came in."""

    async def closed(self) -> None:
        """The socket is closed."""

    async def connect(self) -> None:
        band = await database_sync_to_async(band_of)(self.scope["user"])
        if band is None:
            await self.close(NOT_IN)
            return
        self.band = band
        await self.accept()
        self._watch = asyncio.create_task(self._until_out())
        await self.opened()

    async def disconnect(self, code: int) -> None:
        if hasattr(self, "_watch"):
            self._watch.cancel()
            await self.closed()

    async def receive(self, text_data: str | None = None, bytes_data: bytes | None = None) -> None:
        try:
            message = json.loads(text_data or "")
        except (ValueError, RecursionError):
            return
        if isinstance(message, dict):
            await self.message(message)

    async def still_in(self) -> bool:
        """Whether the person is still signed in, active, and in the band."""
        return bool(await database_sync_to_async(self._still_in)())

    def _still_in(self) -> bool:
        session, user = self.scope["session"], self.scope["user"]
        if session.session_key is None or not session.exists(session.session_key):
            return False
        user.refresh_from_db(fields=["is_active"])
        band = band_of(user) if user.is_active else None
        return band is not None and band.pk == self.band.pk

    async def _until_out(self) -> None:
        while True:
            await asyncio.sleep(RECHECK_S)
            if not await self.still_in():
                await self.close(GONE)
                return
