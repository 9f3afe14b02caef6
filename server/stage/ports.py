"""Talking to the process of the ports (``playout.ports``)."""

from __future__ import annotations

import json
from typing import Any

import zmq
import zmq.asyncio
from django.conf import settings

from upbeat.errors import Problem, Refused, refuse

ANSWER_MS = 1000


async def ask(do: str, **fields: Any) -> dict[str, Any]:
    """One command to the process of the ports. Raises :class:`Refused` if it is silent or refuses."""
    socket = zmq.asyncio.Context.instance().socket(zmq.REQ)
    try:
        socket.setsockopt(zmq.LINGER, 0)
        socket.connect(f"tcp://127.0.0.1:{settings.HANDS_PORT}")
        await socket.send(json.dumps({"do": do, **fields}).encode())
        if not await socket.poll(ANSWER_MS):
            raise refuse("ports-silent", "The process of the ports does not answer: it is started again by itself.")
        answer: dict[str, Any] = json.loads(await socket.recv())
    finally:
        socket.close()
    if not answer.get("ok"):
        raise Refused(*(Problem(p["code"], p["message"]) for p in answer.get("problems", [])))
    return answer


def signals() -> zmq.asyncio.Socket:
    """A socket on which ``hands``, ``signals`` and ``answer`` come in."""
    socket = zmq.asyncio.Context.instance().socket(zmq.SUB)
    socket.setsockopt(zmq.RCVHWM, 100)
    socket.connect(f"tcp://127.0.0.1:{settings.HANDS_SIGNALS_PORT}")
    socket.setsockopt(zmq.SUBSCRIBE, b"")
    return socket
