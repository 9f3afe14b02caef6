"""MIDI ports of this machine (ALSA, JACK), found and lost while the show plays."""

from __future__ import annotations

import contextlib
import os
import time
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import rtmidi

from playout.ports.names import APIS, LIGHTS, OURS, names_of, quiet
from playout.ports.sender import Sender

RETRY_S = 3.0
QUEUE = 8192  # messages that wait in a port until they are read
GRACE_S = 0.1  # between taking a port out of the table and closing it: it may just be read


@dataclass
class _System:
    """One of the systems of MIDI: what lists its ports, and which server of it that was."""

    name: str
    server: str
    into: Any
    sender: Sender
    ins: dict[str, Any] = field(default_factory=dict)


class Midi:
    """Every MIDI port of the machine, open.

    ``look`` may take a while, and is for a thread of its own. What comes in is asked for: a callback would need the
    interpreter while the thread that closes its port has it, and both would wait for ever.
    """

    def __init__(self) -> None:
        self._read = time.monotonic()
        self._systems: dict[str, _System] = {}
        self._tried: dict[str, float] = {}

    @property
    def inputs(self) -> set[str]:
        return {name for s in list(self._systems.values()) for name in s.ins}

    @property
    def outputs(self) -> set[str]:
        return {name for s in list(self._systems.values()) for name in s.sender.outputs}

    def look(self) -> None:
        """Open the ports that are new, close those that are gone."""
        for name in APIS:
            self._look_at(name)

    def heard(self) -> list[tuple[str, bytes, float]]:
        """What has come in since the last asking: port, bytes, seconds of the monotonic clock."""
        now, before = time.monotonic(), self._read
        self._read = now
        found: list[tuple[str, bytes, float]] = []
        for system in list(self._systems.values()):
            system.sender.read()
            for name, into in system.ins.items():
                found += [(name, data, at) for data, at in received(into, now, before)]
        return found

    def send(self, port: str, message: bytes) -> bool:
        """Send to an output; False where it is gone, or takes nothing now."""
        return any(system.sender.send(port, message) for system in list(self._systems.values()))

    def virtual(self, name: str) -> tuple[Any, Any] | None:
        """A port of ours that others see as an instrument of this name: what it sends by, and what it hears by."""
        for system in self._systems.values():
            with contextlib.suppress(rtmidi.RtMidiError, RuntimeError), quiet():
                out = rtmidi.MidiOut(APIS[system.name], name=name)
                out.open_virtual_port("out")
                # One name is one client, and JACK gives a second one of it another name.
                into = rtmidi.MidiIn(APIS[system.name], name=name + LIGHTS, queue_size_limit=QUEUE)
                into.open_virtual_port("lights")
                return out, into
        return None

    def listening(self, name: str) -> Any:
        """A port of ours that others can send to by this name; None where there is no system of MIDI."""
        for system in self._systems.values():
            with contextlib.suppress(rtmidi.RtMidiError, RuntimeError), quiet():
                into = rtmidi.MidiIn(APIS[system.name], name=name, queue_size_limit=QUEUE)
                into.open_virtual_port("in")
                return into
        return None

    def servers(self) -> dict[str, str]:
        """The systems that there are, each with what tells one server of it from the next."""
        return {name: system.server for name, system in self._systems.items()}

    def close(self) -> None:
        for name in list(self._systems):
            self._drop(name)

    # --- one system -------------------------------------------------------------------

    def _look_at(self, name: str) -> None:
        server = _server_of(name)
        system = self._systems.get(name)
        if system is not None and system.server != server:
            self._drop(name)
            system = None
        if system is None:
            system = self._begun(name, server)
        if system is None:
            return
        try:
            system.sender.look()
            before = system.ins
            system.ins = self._matched(system, before)
            _close_all([one for name, one in before.items() if name not in system.ins])
        except (rtmidi.RtMidiError, RuntimeError, UnicodeDecodeError):
            self._drop(name)

    def _begun(self, name: str, server: str | None) -> _System | None:
        if server is None or time.monotonic() - self._tried.get(name, -RETRY_S) < RETRY_S:
            return None
        self._tried[name] = time.monotonic()
        try:
            with quiet():
                into = rtmidi.MidiIn(APIS[name], name=OURS)
        except (rtmidi.RtMidiError, SystemError, RuntimeError):
            return None
        self._systems[name] = _System(name, server, into, Sender(name))
        return self._systems[name]

    def _matched(self, system: _System, known: dict[str, Any]) -> dict[str, Any]:
        """The inputs that are open then, in a table of its own: another thread reads the one before."""
        found = names_of(system.into.get_ports())
        kept = {name: one for name, one in known.items() if name in found}
        new = {name: _opened(system, index) for name, index in found.items() if name not in kept}
        return kept | {name: one for name, one in new.items() if one is not None}

    def _drop(self, name: str) -> None:
        system = self._systems.pop(name)
        system.sender.close()
        with quiet():
            _close_all([*system.ins.values(), system.into])


def _opened(system: _System, index: int) -> Any:
    try:
        with quiet():
            one = rtmidi.MidiIn(APIS[system.name], name=OURS, queue_size_limit=QUEUE)
            one.open_port(index, name=OURS)
        return one
    except (rtmidi.RtMidiError, RuntimeError):
        return None


def _close_all(ports: list[Any]) -> None:
    if ports:
        time.sleep(GRACE_S)
    for one in ports:
        with contextlib.suppress(Exception):
            one.close_port()
        with contextlib.suppress(Exception):
            one.delete()


def received(into: Any, now: float, before: float) -> list[tuple[bytes, float]]:
    """What waits in a port, each message with its time: the last came now, at the latest, the others so long before it."""
    waiting = []
    while (event := into.get_message()) is not None:
        waiting.append(event)
    at, found = now, []
    for data, since in reversed(waiting):
        found.append((bytes(data), at))
        at = max(before, at - since)
    return found[::-1]


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
