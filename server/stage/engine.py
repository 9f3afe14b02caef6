"""Talking to the engine."""

from __future__ import annotations

import asyncio
import json
from pathlib import Path
from typing import Any
from weakref import WeakKeyDictionary

import zmq
import zmq.asyncio
from django.conf import settings

from playout.client import AGAIN_MS, EngineClient, EngineSilent
from playout.loading import described_file
from upbeat.errors import Problem, Refused, refuse

ANSWER_MS = 2500
#: Lines to the engine that no press waits on, by their port: a press has not to wait until one is made, behind whoever
#: makes hundreds. A line belongs to its loop.
_IDLE: WeakKeyDictionary[asyncio.AbstractEventLoop, dict[int, list[zmq.asyncio.Socket]]] = WeakKeyDictionary()
_SILENT = "The engine does not answer: look at what ./start prints."


def ask(do: str, **fields: Any) -> dict[str, Any]:
    """One command to the engine. Raises :class:`Refused` if it is silent or refuses."""
    with EngineClient(settings.ENGINE_CONTROL_PORT, settings.ENGINE_STATE_PORT) as client:
        try:
            return _checked(client.ask(do, **fields))
        except EngineSilent:
            raise refuse("engine-silent", _SILENT) from None


async def press(name: str, args: dict[str, Any], by: str, made: float) -> dict[str, Any]:
    """A press, answered with what comes of it; ``made``: when, by the monotonic clock. Raises :class:`Refused`."""
    idle = _IDLE.setdefault(asyncio.get_running_loop(), {}).setdefault(settings.ENGINE_CONTROL_PORT, [])
    line = idle.pop() if idle else _connected()
    try:
        asked = {"do": "press", "press": name, "args": args, "by": by[:200], "made": made}
        await line.send(json.dumps(asked).encode())
        if not await line.poll(ANSWER_MS):
            raise refuse("engine-silent", _SILENT)
        answer: dict[str, Any] = json.loads(await line.recv())
    except BaseException:
        line.close()  # the answer that may come yet belongs to no other press
        raise
    idle.append(line)
    return answer


def _connected() -> zmq.asyncio.Socket:
    line = zmq.asyncio.Context.instance().socket(zmq.REQ)
    line.setsockopt(zmq.LINGER, 0)
    line.setsockopt(zmq.RECONNECT_IVL, AGAIN_MS)
    line.connect(f"tcp://127.0.0.1:{settings.ENGINE_CONTROL_PORT}")
    return line


def load(folder: str, show: str, band: str, onto: bool = False) -> dict[str, Any]:
    """Load a show of a band and wait until it stands by. Raises :class:`Refused`.

    ``onto``: it is the loaded show, changed, and takes its place also while a song plays.
    """
    with EngineClient(settings.ENGINE_CONTROL_PORT, settings.ENGINE_STATE_PORT) as client:
        try:
            return _checked(client.load(folder, show, band=band, onto=onto))
        except EngineSilent:
            raise refuse("engine-silent", _SILENT) from None


def described(show: str, generation: int) -> dict[str, Any]:
    """What the engine holds, as it wrote it down when it made the show ready. Raises :class:`Refused`."""
    return {"show": show, **_written_down(show, generation)["described"]}


def loaded_folder(show: str, generation: int) -> Path:
    """Where the show that the engine holds lies. Raises :class:`Refused`."""
    return Path(_written_down(show, generation)["folder"])


def _written_down(show: str, generation: int) -> dict[str, Any]:
    try:
        path = described_file(Path(settings.VAR) / "engine", generation)
        document: dict[str, Any] = json.loads(path.read_text())
    except (OSError, ValueError):
        document = {}
    if (document.get("show"), document.get("generation")) != (show, generation):
        raise refuse("engine-starting", "The show is just being taken to the stage: ask again in a moment.")
    return document


def _checked(answer: dict[str, Any]) -> dict[str, Any]:
    """An engine's answer, or what it refused, raised."""
    if not answer.get("ok"):
        raise Refused(*(Problem(p["code"], p["message"]) for p in answer.get("problems", [])))
    return answer
