"""The process that sends to the MIDI ports of a system (:mod:`playout.ports.midi_out`), from outside."""

from __future__ import annotations

import contextlib
import socket
import subprocess
import sys
import threading
import time

import msgspec

from playout.ports.midi_out import MOST_BYTES, Report

STARTING_S, SILENT_S, AGAIN_S = 15.0, 1.5, 3.0
ON_THEIR_WAY = 256  # messages that it was given and has not said to have sent


class Sender:
    """Sends to the outputs of a system; never waits. ``look`` is for the thread that looks for ports."""

    def __init__(self, system: str):
        self._system = system
        self._lock = threading.Lock()
        self.outputs: frozenset[str] = frozenset()
        self._begin()

    def _begin(self) -> None:
        ours, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        command = [sys.executable, "-m", "playout.ports.midi_out", self._system, str(theirs.fileno())]
        self._process = subprocess.Popen(command, pass_fds=[theirs.fileno()])
        theirs.close()
        ours.setblocking(False)
        self._line, self._given, self._done = ours, 0, 0
        self._begun = self._heard = time.monotonic()
        self._patience = STARTING_S

    def send(self, port: str, message: bytes) -> bool:
        """Send to an output; False where it is not there, or too much is on its way."""
        with self._lock:
            if port not in self.outputs or self._given - self._done >= ON_THEIR_WAY:
                return False
            try:
                self._line.send(msgspec.msgpack.encode((port, message)))
            except OSError:
                return False
            self._given += 1
            return True

    def read(self) -> None:
        """Take in what it says."""
        with contextlib.suppress(OSError, msgspec.DecodeError):
            while raw := self._line.recv(MOST_BYTES):
                report = msgspec.msgpack.decode(raw, type=Report)
                self._heard, self._patience = time.monotonic(), SILENT_S
                with self._lock:
                    self._done, self.outputs = report.done, frozenset(report.outputs)

    def look(self) -> None:
        """Start it again where it has ended, or says nothing any more."""
        now = time.monotonic()
        silent = now - self._heard > self._patience
        if silent or (self._process.poll() is not None and now - self._begun > AGAIN_S):
            self.close()
            with self._lock:
                self.outputs = frozenset()
                self._begin()

    def close(self) -> None:
        self._process.kill()
        self._process.wait()
        self._line.close()
