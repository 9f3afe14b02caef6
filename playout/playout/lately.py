"""The presses of the last second: more than hands make are not taken."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Hashable

from upbeat.errors import refuse
from upbeat.limits import AT_ONCE_S, PRESSES_A_SECOND, PRESSES_AT_ONCE

#: Presses of one in so many seconds; of all together twice as many. Sixty within sixty milliseconds would have both renderers busy for as long, and
#: whoever carries presses and answers waiting.
WINDOWS = ((1.0, PRESSES_A_SECOND), (AT_ONCE_S, PRESSES_AT_ONCE))


class Lately:
    """When who has pressed. ``held_s``: how long a press may have been on its way."""

    def __init__(self, held_s: float):
        self._held_s = held_s
        self._pressed: deque[tuple[float, Hashable]] = deque()

    def take(self, who: Hashable, made: float) -> None:
        """Raise :class:`Refused` for more presses than hands make: each has sound rendered anew.

        ``made``: when this one was. Presses that were held up on their way and come together are no flood.
        """
        now = time.monotonic()
        while self._pressed and self._pressed[0][0] < now - 1 - self._held_s:
            self._pressed.popleft()
        for seconds, most in WINDOWS:
            lately = [one for at, one in self._pressed if made - seconds < at <= made]
            if lately.count(who) >= most or len(lately) >= 2 * most:
                raise refuse("presses-many", "Too many presses at once: the last ones were not taken.")
        self._pressed.append((made, who))
