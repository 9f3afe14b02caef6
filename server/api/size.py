"""How much a request may bring: refused before it is read, where it says so itself, and as soon as it is more."""

from __future__ import annotations

import json
from typing import Any

from upbeat.limits import FILM_BYTES

FILMS, MOST_BYTES = "/api/screen-files/", 96 << 20  # a piece of an upload, a sound by hand, a show as a zip in pieces


class NotTooLarge:
    """ASGI: requests of at most :data:`MOST_BYTES`, films of their own limit."""

    def __init__(self, application: Any):
        self._application = application

    async def __call__(self, scope: dict[str, Any], receive: Any, send: Any) -> None:
        if scope["type"] != "http":
            await self._application(scope, receive, send)
            return
        most = FILM_BYTES if scope["path"] == FILMS else MOST_BYTES
        told = dict(scope.get("headers", [])).get(b"content-length", b"0")
        if not told.isdigit() or int(told) > most:
            await _refuse(send, most)
            return
        came = 0

        async def counted() -> Any:
            nonlocal came
            message = await receive()
            came += len(message.get("body", b""))
            return {"type": "http.disconnect"} if came > most else message

        await self._application(scope, counted, send)


async def _refuse(send: Any, most: int) -> None:
    size = f"{most >> 30} GB" if most >= 1 << 30 else f"{most >> 20} MB"
    message = f"That is more than {size}, which is the most that can be sent here at once: make it smaller."
    body = json.dumps({"problems": [{"code": "request-big", "message": message}]}).encode()
    headers = [(b"content-type", b"application/json"), (b"connection", b"close")]
    await send({"type": "http.response.start", "status": 413, "headers": headers})
    await send({"type": "http.response.body", "body": body})
