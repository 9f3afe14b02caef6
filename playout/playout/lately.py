"""The presses of the last second: more than hands make are not taken."""

from __future__ import annotations

import time
from collections import deque

from upbeat.errors import refuse
from upbeat.limits import PRESSES_A_SECOND

MOST_OF_ONE, MOST_OF_ALL = PRESSES_A_SECOND, 2 * PRESSES_A_SECOND  # in a second


class Lately:
    """When which client has pressed. ``held_s``: how long a press may have been on its way."""

    def __init__(self, held_s: float):
        self._held_s = held_s
        self._pressed: deque[tuple[float, bytes]] = deque()

    def take(self, client: bytes, made: float) -> None:
        """Raise :class:`Refused` for more presses than hands make: each has sound rendered anew.

        ``made``: when this one was. Presses that were held up on their way and come together are no flood.
        """
        now = time.monotonic()
        while self._pressed and self._pressed[0][0] < now - 1 - self._held_s:
            self._pressed.popleft()
        lately = [one for at, one in self._pressed if made - 1 < at <= made]
        if lately.count(client) >= MOST_OF_ONE or len(lately) >= MOST_OF_ALL:
            raise refuse("presses-many", "Too many presses at once: the last ones were not taken.")
        self._pressed.append((made, client))
