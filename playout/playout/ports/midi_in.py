"""A process that hears the MIDI ports of one system: ``python -m playout.ports.midi_in SYSTEM OWN SOCKET``.

``OWN``: JSON with the names of ``boxes``, which have a port that sends and one for their lights, and of ``receivers``, which
have one that others send to. It is a process of its own as :mod:`playout.ports.midi_out` is: listing and opening ports waits
within RtMidi, with the interpreter held, for a server of JACK that hangs.
"""

from __future__ import annotations

import contextlib
import json
import select
import socket
import sys
import time
from collections import deque
from itertools import islice
from typing import Any

import msgspec
import rtmidi

from playout.ports.arrivals import Arrivals
from playout.ports.names import APIS, LIGHTS, OURS, names_of, quiet
from playout.ports.worker import MOST_BYTES, Gone, line_of, looking

REPORT_S = 0.25
#: After something has come it is said more often that nothing more has: what is held is let go by a message.
SOON_S, SOON_FOR_S = 0.02, 1.0
#: How often the ports are asked, and where nothing has come for a while: asking a dozen of them takes a fifth of a millisecond.
READ_S, QUIET_READ_S, QUIET_AFTER_S = 0.001, 0.004, 5.0
QUEUE = 8192  # messages that wait in a port until they are read
AT_ONCE = 256  # messages in a packet
#: MIDI 1.0: quarter frame and clock; and what an instrument sends so that it is known to be there.
TIMING, ACTIVE_SENSING = (0xF1, 0xF8), 0xFE
GRACE_S = 0.1  # between taking a port out of the table and closing it: it may just be read


class Came(msgspec.Struct, frozen=True, array_like=True):
    """A message that came to a ``port`` (``own``: one of ours), and when by the monotonic clock, in seconds."""

    port: str
    own: bool
    data: bytes
    at: float


class Told(msgspec.Struct, frozen=True, array_like=True):
    """What has come, all of it ``until`` then; ``inputs``: the ports that are heard; ``plugged``: those of ours that there are."""

    came: list[Came]
    inputs: list[str]
    plugged: list[str]
    until: float


class _Heard:
    """An input that is open. ``of_others``: timing and system exclusive, which no control is bound to, are left out.

    Timing is left out here: RtMidi gives each message the time since the one before, also where it leaves that one out.
    """

    def __init__(self, into: Any, of_others: bool):
        self._into = into
        self._left_out = (ACTIVE_SENSING, *(TIMING if of_others else ()))
        self._arrivals = Arrivals()
        into.ignore_types(sysex=of_others, timing=False, active_sense=False)

    def received(self, now: float, before: float) -> list[tuple[bytes, float]]:
        """What waits in it, each message with its time."""
        waiting = []
        while (event := self._into.get_message()) is not None:
            waiting.append(event)
        if not waiting:
            return []
        times = self._arrivals.times([since for _, since in waiting], now=now, before=before)
        came = zip(waiting, times, strict=True)
        return [(bytes(data), at) for (data, _), at in came if data and data[0] not in self._left_out]

    def close(self) -> None:
        with contextlib.suppress(Exception):
            self._into.close_port()
        with contextlib.suppress(Exception):
            self._into.delete()


class Inputs:
    """Every MIDI input of a system, open, and ports of our own. ``look`` is for a thread of its own.

    What comes in is asked for: a callback would need the interpreter while the thread that closes its port has it,
    and both would wait for ever.
    """

    def __init__(self, system: str, boxes: list[str], receivers: list[str]):
        self._api = APIS[system]
        with quiet():
            self._lister = rtmidi.MidiIn(self._api, name=OURS)
        self.open: dict[str, Any] = {}
        self._gone = Gone()
        self.own: dict[str, Any] = {}
        self._outs: dict[str, Any] = {}
        self._boxes, self._receivers = list(boxes), list(receivers)  # those that have no port yet
        self._read = time.monotonic()

    def look(self) -> None:
        """Open the ports that are new, close those that are gone."""
        while self._boxes:
            self._plug_box(self._boxes.pop())
        while self._receivers:
            name = self._receivers.pop()
            self.own = {**self.own, name: self._virtual(name, "in")}
        try:
            found = names_of(self._lister.get_ports())
        except rtmidi.InvalidPortError:
            return  # one has gone while they were listed: the next look finds the others
        kept = {name: one for name, one in self.open.items() if name in found}
        gone = {name: one for name, one in self.open.items() if name not in found}
        self._gone.went(gone)
        new = {name: self._opened(found[name]) for name in self._gone.here(found.keys() - kept.keys())}
        self.open = kept | {name: one for name, one in new.items() if one is not None}
        _close_all(list(gone.values()))

    def heard(self) -> list[Came]:
        """What has come in since the last asking."""
        now, before = time.monotonic(), self._read
        self._read = now
        tables = ((False, self.open), (True, self.own))
        return [
            Came(name, own, data, at)
            for own, table in tables
            for name, into in table.items()
            for data, at in into.received(now, before)
        ]

    def send(self, box: str, message: bytes) -> None:
        out = self._outs.get(box)
        if out is not None:
            with contextlib.suppress(rtmidi.RtMidiError, ValueError):
                out.send_message(message)

    def _plug_box(self, name: str) -> None:
        with quiet():
            out = rtmidi.MidiOut(self._api, name=name)
            out.open_virtual_port("out")
        self._outs[name] = out
        # One name is one client, and JACK gives a second one of it another name.
        self.own = {**self.own, name: self._virtual(name + LIGHTS, "lights")}

    def _virtual(self, client: str, port: str) -> Any:
        with quiet():
            into = rtmidi.MidiIn(self._api, name=client, queue_size_limit=QUEUE)
            into.open_virtual_port(port)
        return _Heard(into, of_others=False)

    def _opened(self, index: int) -> Any:
        try:
            with quiet():
                one = rtmidi.MidiIn(self._api, name=OURS, queue_size_limit=QUEUE)
                one.open_port(index, name=OURS)
            return _Heard(one, of_others=True)
        except (rtmidi.RtMidiError, RuntimeError):
            return None


def _close_all(ports: list[Any]) -> None:
    if ports:
        time.sleep(GRACE_S)
    for one in ports:
        one.close()


def main(argv: list[str]) -> int:
    line = line_of("upbeat-midi-in", argv[2])
    try:
        inputs = Inputs(argv[0], **json.loads(argv[1]))
    except (rtmidi.RtMidiError, SystemError, RuntimeError):
        return 1
    looking(inputs.look)
    return _run(line, inputs)


def _run(line: socket.socket, inputs: Inputs) -> int:
    """Tell what comes until the line is closed."""
    decoder, told, backlog = msgspec.msgpack.Decoder(tuple[str, bytes]), 0.0, deque[Came](maxlen=QUEUE)
    heard = now = time.monotonic()
    while True:
        select.select([line], [], [], READ_S if now - heard < QUIET_AFTER_S else QUIET_READ_S)
        with contextlib.suppress(BlockingIOError):
            while True:
                raw = line.recv(MOST_BYTES, socket.MSG_DONTWAIT)
                if not raw:
                    return 0
                inputs.send(*decoder.decode(raw))
        read = time.monotonic()
        new, now = inputs.heard(), time.monotonic()
        backlog += new
        heard = now if new else heard
        report = SOON_S if now - heard < SOON_FOR_S else REPORT_S
        with contextlib.suppress(BlockingIOError):
            while backlog or now - told >= report:
                came = [backlog[i] for i in range(min(AT_ONCE, len(backlog)))]
                until = min((one.at for one in islice(backlog, AT_ONCE, None)), default=read)
                packet = msgspec.msgpack.encode(Told(came, sorted(inputs.open), sorted(inputs.own), until))
                line.send(packet, socket.MSG_DONTWAIT)
                told = now
                for _ in came:
                    backlog.popleft()


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
