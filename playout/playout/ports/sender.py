"""The process that sends to the MIDI ports of a system (:mod:`playout.ports.midi_out`), from outside."""

from __future__ import annotations

import contextlib
import threading

import msgspec

from playout.ports.midi_out import Report
from playout.ports.worker import Worker

ON_THEIR_WAY = 256  # messages that it was given and has not said to have sent


class Sender:
    """Sends to the outputs of a system; never waits. ``look`` is for the thread that looks for ports."""

    def __init__(self, system: str):
        self._worker = Worker("playout.ports.midi_out", system)
        self._lock = threading.Lock()
        self.outputs: frozenset[str] = frozenset()
        self._given = self._done = 0

    def send(self, port: str, message: bytes) -> bool:
        """Send to an output; False where it is not there, or too much is on its way."""
        with self._lock:
            if port not in self.outputs or self._given - self._done >= ON_THEIR_WAY:
                return False
            if not self._worker.put(msgspec.msgpack.encode((port, message))):
                return False
            self._given += 1
            return True

    def read(self) -> None:
        """Take in what it says."""
        with contextlib.suppress(msgspec.DecodeError):
            for packet in self._worker.packets():
                report = msgspec.msgpack.decode(packet, type=Report)
                with self._lock:
                    self._done, self.outputs = report.done, frozenset(report.outputs)

    def look(self) -> None:
        """Have it started again where it has to be."""
        if self._worker.look():
            with self._lock:
                self.outputs, self._given, self._done = frozenset(), 0, 0

    def close(self) -> None:
        self._worker.close()
