"""When the messages of a port came, though the process that reads it may have stood still since."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import accumulate


class Arrivals:
    """The clock of a port: each message has the time since the one before, the reader has the times of its readings.

    Where the reader is held up, what it finds came at some time since its last reading. The messages' own times say when, once
    one reading has shown how the port's clock lies to the reader's; each further one corrects that, so that the two may drift.
    """

    def __init__(self) -> None:
        self._clock = 0.0  # sum of all times between messages
        self._ahead: float | None = None  # of the reader's clock before that sum

    def times(self, since: Iterable[float], *, now: float, before: float) -> list[float]:
        """When messages came, in seconds by the reader's clock.

        ``since``: of each message of this reading the time since the one before; ``before``, ``now``: when the reading before
        and this one were.
        """
        came = list(accumulate(since, initial=self._clock))[1:]
        if not came:
            return []
        self._clock = came[-1]
        latest = now if self._ahead is None else came[-1] + self._ahead
        self._ahead = min(max(latest, before), now) - came[-1]
        return [min(max(at + self._ahead, before), now) for at in came]
