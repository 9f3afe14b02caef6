"""What comes in at a port: bytes become signals of controls (MIDI 1.0, detailed specification 4.2)."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Literal, NamedTuple

import msgspec

from upbeat.limits import NAME

Kind = Literal["note", "controller", "program", "bend", "key"]
PAGE_KEYS = "Keys of a page"  # the port of the keys that are pressed in pages
BENDS = 1 << 14  # values of a bend, and of a controller in two parts
_DATA = {0x80: 2, 0x90: 2, 0xA0: 2, 0xB0: 2, 0xC0: 1, 0xD0: 1, 0xE0: 2}
_EXCLUSIVE, _REAL_TIME = 0xF0, 0xF8


_Name = Annotated[str, msgspec.Meta(max_length=NAME)]


class Control(msgspec.Struct, frozen=True):
    """A control is known by its port, kind, channel (from 1; 0 for keys) and number, or by the name of its key."""

    port: _Name
    kind: Kind
    channel: Annotated[int, msgspec.Meta(ge=0, le=16)] = 0
    number: Annotated[int, msgspec.Meta(ge=0, le=127)] = 0
    key: _Name = ""


class Signal(NamedTuple):
    """``value``: 0 to 127, of a bend 0 to 16383; ``down``: pressed rather than let go (notes, keys and programs)."""

    control: Control
    value: int
    down: bool = True


class Reader:
    """Turns the bytes of one port into signals, wherever they are cut.

    Running status goes on; aftertouch, system messages and what is broken off pass by without a signal.
    """

    def __init__(self, port: str):
        self._port = port
        self._status = 0
        self._exclusive = False
        self._data: list[int] = []

    def feed(self, data: Iterable[int]) -> list[Signal]:
        """The signals that are whole with these bytes (0 to 255), in order."""
        found = []
        for byte in data:
            if byte >= _REAL_TIME:
                continue  # may stand in the middle of another message
            if byte & 0x80:
                self._data.clear()
                self._exclusive = byte == _EXCLUSIVE
                self._status = byte if byte < _EXCLUSIVE else 0
            elif self._status and not self._exclusive:
                self._data.append(byte)
                if len(self._data) == _DATA[self._status & 0xF0]:
                    signal = self._signal(*self._data)
                    found += [signal] if signal is not None else []
                    self._data.clear()
        return found

    def _signal(self, first: int, second: int = 0) -> Signal | None:
        channel = (self._status & 0x0F) + 1
        match self._status & 0xF0:
            case 0x80:
                return Signal(Control(self._port, "note", channel, first), second, False)
            case 0x90:
                return Signal(Control(self._port, "note", channel, first), second, second > 0)
            case 0xB0:
                return Signal(Control(self._port, "controller", channel, first), second)
            case 0xC0:
                return Signal(Control(self._port, "program", channel, first), 127)
            case 0xE0:
                return Signal(Control(self._port, "bend", channel), first | second << 7)
        return None
