"""MIDI ports of this machine (ALSA, JACK), found and lost while the show plays."""

from __future__ import annotations

import contextlib
import json
import os
import time
from collections.abc import Collection
from dataclasses import dataclass, field
from pathlib import Path

import msgspec

from playout.ports.midi_in import Came, Told
from playout.ports.names import APIS
from playout.ports.sender import Sender
from playout.ports.worker import Worker

RETRY_S = 3.0


@dataclass
class _System:
    """One of the systems of MIDI: which server of it that is, and the processes that hear and send there."""

    server: str
    listener: Worker
    sender: Sender
    inputs: frozenset[str] = field(default_factory=frozenset)
    plugged: frozenset[str] = field(default_factory=frozenset)
    read: float = 0.0  # when all that had come was told


class Midi:
    """Every MIDI port of the machine, held by processes of their own, since the libraries of MIDI may hang.

    ``boxes`` and ``receivers``: names of ports of ours, in the first system that there is. ``look`` may take a while, and
    is for a thread of its own.
    """

    def __init__(self, boxes: Collection[str] = (), receivers: Collection[str] = ()) -> None:
        self._own = json.dumps({"boxes": sorted(boxes), "receivers": sorted(receivers)})
        self._systems: dict[str, _System] = {}
        self._tried: dict[str, float] = {}
        self._decoder = msgspec.msgpack.Decoder(Told)

    @property
    def inputs(self) -> set[str]:
        return {name for s in list(self._systems.values()) for name in s.inputs}

    @property
    def outputs(self) -> set[str]:
        return {name for s in list(self._systems.values()) for name in s.sender.outputs}

    @property
    def plugged(self) -> set[str]:
        """The ports of ours that there are."""
        return {name for s in list(self._systems.values()) for name in s.plugged}

    @property
    def handles(self) -> set[int]:
        """What can be waited for: something has come."""
        return {s.listener.line.fileno() for s in list(self._systems.values())} - {-1}

    def look(self) -> None:
        """See which systems there are, and that each is still heard and sent to."""
        for name in APIS:
            server, system = _server_of(name), self._systems.get(name)
            if system is not None and system.server != server:
                self._drop(name)
                system = None
            if system is None:
                self._begin(name, server)
                continue
            system.sender.look()
            if system.listener.look():
                system.inputs = system.plugged = frozenset()

    def heard(self) -> list[Came]:
        """What has come in since the last asking."""
        found: list[Came] = []
        for system in list(self._systems.values()):
            system.sender.read()
            with contextlib.suppress(msgspec.DecodeError):
                for packet in system.listener.packets():
                    told = self._decoder.decode(packet)
                    system.inputs, system.plugged = frozenset(told.inputs), frozenset(told.plugged)
                    system.read = told.until
                    found += told.came
        return found

    def read(self) -> list[tuple[frozenset[str], float]]:
        """The inputs of each system, and until when all that came to them has been told."""
        return [(system.inputs, system.read) for system in list(self._systems.values())]

    def send(self, port: str, message: bytes) -> bool:
        """Send to an output; False where it is gone, or takes nothing now."""
        return any(system.sender.send(port, message) for system in list(self._systems.values()))

    def press(self, box: str, message: bytes) -> bool:
        """Send by the port of a box of ours; False where it has none."""
        packet = msgspec.msgpack.encode((box, message))
        return any(box in s.plugged and s.listener.put(packet) for s in list(self._systems.values()))

    def close(self) -> None:
        for name in list(self._systems):
            self._drop(name)

    # --- one system -------------------------------------------------------------------

    def _begin(self, name: str, server: str | None) -> None:
        if server is None or time.monotonic() - self._tried.get(name, -RETRY_S) < RETRY_S:
            return
        self._tried[name] = time.monotonic()
        own = json.dumps({"boxes": [], "receivers": []}) if self._systems else self._own
        self._systems[name] = _System(server, Worker("playout.ports.midi_in", name, own), Sender(name))

    def _drop(self, name: str) -> None:
        system = self._systems.pop(name)
        system.sender.close()
        system.listener.close()


def _server_of(name: str) -> str | None:
    """What tells one server of a system from the next; None where there is none now."""
    if name == "ALSA":
        return "kernel" if Path("/dev/snd/seq").exists() else None
    end = f"/jack_{os.environ.get('JACK_DEFAULT_SERVER', 'default')}_{os.getuid()}_0"
    try:
        sockets = Path("/proc/net/unix").read_text().splitlines()
    except OSError:
        return None
    bound = (line.split() for line in sockets if line.endswith(end))
    return min((fields[6] for fields in bound if fields[3] == "00010000"), default=None)
