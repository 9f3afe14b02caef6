"""The line to the engine: what is the case on the stage, and presses into it."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import msgspec
import zmq

from playout.loading import described_file
from playout.wire import STATE
from upbeat.controls.bindings import Act
from upbeat.controls.night import Now, now_of

MOST_WAITING = 64


@dataclass
class _Line:
    """The engine's line of one port. It answers in the order in which it is asked: many presses may be on their way."""

    socket: zmq.Socket[bytes]
    asked: deque[str] = field(default_factory=lambda: deque(maxlen=MOST_WAITING))


class Night:
    """The newest state of the engine, and its show. ``folder``: the engine's."""

    def __init__(self, context: zmq.Context[Any], *, control: int, state: int, folder: Path):
        self._folder = folder
        self.states = context.socket(zmq.SUB)
        self.states.setsockopt(zmq.RCVHWM, 50)
        self.states.setsockopt(zmq.SUBSCRIBE, STATE)
        self.states.connect(f"tcp://127.0.0.1:{state}")
        self._context, self._control = context, control
        self._lines: dict[str, _Line] = {}
        self._described: dict[str, Any] | None = None
        self._which: tuple[Any, Any] = (None, None)
        self.band = ""
        self.now = Now()
        self.generation: int | None = None  # of the show that is loaded

    def look(self) -> None:
        """Take in the newest state."""
        newest = None
        while True:
            try:
                newest = self.states.recv_multipart(zmq.NOBLOCK)[1]
            except zmq.Again:
                break
        if newest is None:
            return
        state = msgspec.json.decode(newest)
        which = (state.get("show"), state.get("loads"))
        if which != self._which:
            described = self._read(*which)
            if described is None and which[0] is not None:
                return  # it is being written down
            self._which, self._described = which, described
        self.band = state.get("band", "") if which[0] is not None else ""
        self.now = now_of(state, self._described)
        self.generation = which[1] if which[0] is not None else None

    def press(self, port: str, act: Act, by: str, made: float) -> bool:
        """Send a press of a port; false where the engine takes no more of it."""
        line = self._lines.get(port)
        if line is None:
            line = self._lines[port] = _Line(self._context.socket(zmq.DEALER))
            line.socket.setsockopt(zmq.LINGER, 0)
            line.socket.setsockopt(zmq.SNDHWM, MOST_WAITING)
            line.socket.connect(f"tcp://127.0.0.1:{self._control}")
        message = {"do": "press", "press": act.press, "args": act.args, "by": by, "made": made}
        try:
            line.socket.send_multipart([b"", msgspec.json.encode(message)], zmq.NOBLOCK)
        except zmq.Again:
            return False
        line.asked.append(act.binding)
        return True

    def hang_up(self, port: str) -> None:
        """A port is gone."""
        line = self._lines.pop(port, None)
        if line is not None:
            line.socket.close()

    @property
    def waits(self) -> bool:
        """Whether an answer is to come."""
        return any(line.asked for line in self._lines.values())

    def answers(self) -> list[tuple[str, dict[str, Any]]]:
        """What came of presses: the binding, and the answer."""
        found: list[tuple[str, dict[str, Any]]] = []
        for line in self._lines.values():
            while line.asked:
                try:
                    body = line.socket.recv_multipart(zmq.NOBLOCK)[-1]
                except zmq.Again:
                    break
                found.append((line.asked.popleft(), msgspec.json.decode(body)))
        return found

    def _read(self, show: str | None, generation: int | None) -> dict[str, Any] | None:
        if show is None or generation is None:
            return None
        try:
            document = msgspec.json.decode(described_file(self._folder, generation).read_bytes())
        except (OSError, msgspec.DecodeError):
            return None
        if (document.get("show"), document.get("generation")) != (show, generation):
            return None
        found: dict[str, Any] = document["described"]
        return found
