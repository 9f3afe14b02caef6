"""Whether JACK's server goes on: what is written to a port of one that stands still is waited for without an end.

RtMidi gives each port a ring of 16 KiB, which the server empties in each of its cycles, and waits within the library where
it is full. A message to ourselves that comes back says that everything written before it is gone.
"""

from __future__ import annotations

from collections import Counter
from typing import Any

PULSE = "pulse"
BEAT_S = 0.02
ROOM = 8192  # bytes of a port that are on their way at most: half of its ring
_FRAMING = 8  # bytes that a message takes besides its own
_MESSAGE = (0xFE,)


class Pulse:
    """``out`` and ``into``: a port that we write to and hear ourselves."""

    def __init__(self, out: Any, into: Any):
        self.ends = (out, into)
        into.ignore_types(active_sense=False)
        self._sent = 0.0
        self._away = False
        self._before: Counter[str] = Counter()  # bytes that were written before the beat that is on its way
        self._since: Counter[str] = Counter()

    def beat(self, now: float) -> None:
        """Hear a beat that has come back; send the next when it is time."""
        out, into = self.ends
        if self._away and into.get_message() is not None:
            self._away = False
            self._before.clear()
        if not self._away and now - self._sent >= BEAT_S:
            self._sent, self._away = now, True
            self._before, self._since = self._since, Counter()
            out.send_message(_MESSAGE)

    def may_send(self, port: str, size: int) -> bool:
        """Whether a port has room for a message; then it counts."""
        size += _FRAMING
        if self._before[port] + self._since[port] + size > ROOM:
            return False
        self._since[port] += size
        return True
