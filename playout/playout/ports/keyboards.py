"""Keyboards of this machine, and pedals that speak as keyboards, read without any page (Linux ``input_event``)."""

from __future__ import annotations

import contextlib
import fcntl
import os
import struct
import time
from pathlib import Path
from typing import NamedTuple

from upbeat.limits import NAME

_EVENT = struct.Struct("llHHi")  # seconds, microseconds, type, code, value (linux/input.h)
_KEYS, _DOWN, _UP = 1, 1, 0
_SET_CLOCK = 0x400445A0  # EVIOCSCLOCKID (linux/input.h)
#: Key codes (linux/input-event-codes.h) under the names that pages give them (UI Events, ``KeyboardEvent.key``).
NAMES = {
    1: "Escape", 14: "Backspace", 15: "Tab", 28: "Enter", 57: " ", 102: "Home", 103: "ArrowUp", 104: "PageUp",
    105: "ArrowLeft", 106: "ArrowRight", 107: "End", 108: "ArrowDown", 109: "PageDown", 110: "Insert", 111: "Delete",
    **dict(zip(range(2, 12), "1234567890", strict=True)),
    **dict(zip(range(16, 26), "qwertyuiop", strict=True)),
    **dict(zip(range(30, 39), "asdfghjkl", strict=True)),
    **dict(zip(range(44, 51), "zxcvbnm", strict=True)),
    **{59 + i: f"F{i + 1}" for i in range(10)}, 87: "F11", 88: "F12",
}  # fmt: skip


class Key(NamedTuple):
    """A key of a ``keyboard`` that went down or up, and when by the monotonic clock, in seconds."""

    keyboard: str
    key: str
    down: bool
    at: float


class Keyboards:
    """The keyboards that this user may read, by the names their makers gave them.

    ``listed``: where the kernel describes its inputs, ``files``: where they are read.
    """

    def __init__(self, listed: Path = Path("/sys/class/input"), files: Path = Path("/dev/input")):
        self._listed, self._files = listed, files
        self._open: dict[str, int] = {}
        self._rest: dict[str, bytes] = {}
        self._timed: set[str] = set()  # those whose events have times of the monotonic clock

    @property
    def names(self) -> set[str]:
        return set(self._open)

    @property
    def handles(self) -> list[int]:
        """What to wait on."""
        return list(self._open.values())

    def look(self) -> None:
        """Open the keyboards that are new."""
        for event in sorted(self._listed.glob("event*")):
            with contextlib.suppress(OSError, ValueError):
                name = (event / "device" / "name").read_text().strip()[: NAME - 4]
                keys = _bits((event / "device" / "capabilities" / "key").read_text())
                if name and name not in self._open and any(keys >> code & 1 for code in NAMES):
                    self._open[name] = os.open(self._files / event.name, os.O_RDONLY | os.O_NONBLOCK)
                    self._rest[name] = b""
                    fcntl.ioctl(self._open[name], _SET_CLOCK, struct.pack("i", time.CLOCK_MONOTONIC))
                    self._timed.add(name)

    def heard(self) -> list[Key]:
        """The keys that went down or up, in order. Repeats are none."""
        found, now = [], time.monotonic()
        for name, file in list(self._open.items()):
            try:
                data = self._rest[name] + os.read(file, 4096)
            except BlockingIOError:
                continue
            except OSError:  # pulled out
                self._forget(name)
                continue
            whole = len(data) // _EVENT.size * _EVENT.size
            self._rest[name] = data[whole:]
            for seconds, micro, kind, code, value in _EVENT.iter_unpack(data[:whole]):
                if kind == _KEYS and code in NAMES and value in (_DOWN, _UP):
                    at = seconds + micro / 1e6 if name in self._timed else now
                    found.append(Key(name, NAMES[code], value == _DOWN, min(at, now)))
        return found

    def close(self) -> None:
        for name in list(self._open):
            self._forget(name)

    def _forget(self, name: str) -> None:
        os.close(self._open.pop(name))
        del self._rest[name]
        self._timed.discard(name)


def _bits(text: str) -> int:
    """A bitmap as the kernel writes it: words of 64 bits in hexadecimal, the highest first."""
    bits = 0
    for word in text.split():
        bits = bits << 64 | int(word, 16)
    return bits
