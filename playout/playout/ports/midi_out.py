"""A process that sends to the MIDI ports of one system: ``python -m playout.ports.midi_out SYSTEM SOCKET``.

RtMidi keeps what is sent to a port of JACK in a ring, and waits within the library, holding the interpreter, for room in one that
nobody empties: where JACK's server hangs, or has thrown the client out. So sending has a process of its own, which the process of
the ports ends and starts again where it says nothing any more.
"""

from __future__ import annotations

import contextlib
import select
import socket
import sys
from typing import Any

import msgspec
import rtmidi

from playout.ports.names import APIS, OURS, names_of, quiet
from playout.ports.worker import MOST_BYTES, Gone, line_of, looking

REPORT_S = 0.25


class Report(msgspec.Struct, frozen=True, array_like=True):
    """``done``: messages that were sent so far; ``outputs``: the ports that there are."""

    done: int
    outputs: list[str]


class Outputs:
    """Every MIDI output of a system, open. ``look`` opens those that are new, and is for a thread of its own."""

    def __init__(self, system: str):
        self._api = APIS[system]
        with quiet():
            self._lister = rtmidi.MidiOut(self._api, name=OURS)
        self.open: dict[str, Any] = {}
        self._gone = Gone()

    def look(self) -> None:
        try:
            found = names_of(self._lister.get_ports())
        except rtmidi.InvalidPortError:
            return  # one has gone while they were listed: the next look finds the others
        kept = {name: one for name, one in self.open.items() if name in found}
        gone = {name: one for name, one in self.open.items() if name not in found}
        self._gone.went(gone)
        new = {name: self._opened(found[name]) for name in self._gone.here(found.keys() - kept.keys())}
        self.open = kept | {name: one for name, one in new.items() if one is not None}
        for one in gone.values():
            with contextlib.suppress(Exception):
                one.close_port()

    def send(self, port: str, message: bytes) -> None:
        out = self.open.get(port)
        if out is not None:
            with contextlib.suppress(rtmidi.RtMidiError, ValueError):
                out.send_message(message)

    def _opened(self, index: int) -> Any:
        try:
            with quiet():
                one = rtmidi.MidiOut(self._api, name=OURS)
                one.open_port(index, name=OURS)
            return one
        except (rtmidi.RtMidiError, RuntimeError):
            return None


def main(argv: list[str]) -> int:
    line = line_of("upbeat-midi", argv[1])
    try:
        outputs = Outputs(argv[0])
    except (rtmidi.RtMidiError, SystemError, RuntimeError):
        return 1
    looking(outputs.look)
    decoder, done = msgspec.msgpack.Decoder(tuple[str, bytes]), 0
    while True:
        select.select([line], [], [], REPORT_S)
        with contextlib.suppress(BlockingIOError):
            while True:
                raw = line.recv(MOST_BYTES, socket.MSG_DONTWAIT)
                if not raw:
                    return 0
                outputs.send(*decoder.decode(raw))
                done += 1
        with contextlib.suppress(BlockingIOError):
            line.send(msgspec.msgpack.encode(Report(done, sorted(outputs.open))), socket.MSG_DONTWAIT)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
