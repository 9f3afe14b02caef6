"""Talking to the engine from another process."""

from __future__ import annotations

import json
import time
from types import TracebackType
from typing import Any

import zmq

from playout.wire import STATE

AGAIN_MS = 20  # until a line to a feeder that was started anew is tried again


class EngineSilent(Exception):
    """The engine does not answer."""


class EngineClient:
    """One control connection, kept from command to command. Not for use by two threads at once."""

    def __init__(self, control_port: int, state_port: int, timeout_ms: int = 2000):
        self._context = zmq.Context()
        self._control_port, self._state_port, self._timeout = control_port, state_port, timeout_ms
        self._line: zmq.Socket[bytes] | None = None

    def ask(self, do: str, **fields: Any) -> dict[str, Any]:
        """Send a command and give its answer. Raises :class:`EngineSilent`."""
        line = self._line or self._connected()
        self._line = None
        try:
            line.send(json.dumps({"do": do, **fields}).encode())
            if not line.poll(self._timeout):
                raise EngineSilent("The engine does not answer.")
            answer: dict[str, Any] = json.loads(line.recv())
        except BaseException:
            line.close()  # the answer that may come yet belongs to nobody
            raise
        self._line = line
        return answer

    def _connected(self) -> zmq.Socket[bytes]:
        line = self._context.socket(zmq.REQ)
        line.setsockopt(zmq.LINGER, 0)
        line.setsockopt(zmq.RECONNECT_IVL, AGAIN_MS)
        line.connect(f"tcp://127.0.0.1:{self._control_port}")
        return line

    def press(self, name: str, **args: Any) -> dict[str, Any]:
        return self.ask("press", press=name, args=args)

    def load(self, folder: str, show: str, timeout_s: float = 60, **more: Any) -> dict[str, Any]:
        """Load a show and wait until it stands by; gives the answer to the loading."""
        asked = self.ask("load", folder=folder, show=show, **more)
        until = time.monotonic() + timeout_s
        while asked["ok"] and time.monotonic() < until:
            state = self.ask("state").get("state") or {}
            answer: dict[str, Any] = state.get("load_answer") or {}
            mine = answer.get("generation") == asked["generation"]
            if mine and (not answer["ok"] or state.get("loads", 0) >= asked["generation"]):
                return answer
            time.sleep(0.02)
        return asked

    def subscribe(self, *topics: bytes) -> zmq.Socket[bytes]:
        """A SUB socket on the engine's states (or the topics given)."""
        socket = self._context.socket(zmq.SUB)
        socket.connect(f"tcp://127.0.0.1:{self._state_port}")
        for topic in topics or (STATE,):
            socket.setsockopt(zmq.SUBSCRIBE, topic)
        return socket

    def close(self) -> None:
        self._context.destroy(linger=0)

    def __enter__(self) -> EngineClient:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()
