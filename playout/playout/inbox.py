"""What comes to the control socket, in the order in which it is answered: presses before questions, and few of one client."""

from __future__ import annotations

from collections import Counter, deque
from collections.abc import Iterator

import zmq

from playout.commands import is_press

READ_AT_ONCE = 256  # messages taken off the socket between two blocks: some ten microseconds each
PRESSES_AT_ONCE, QUESTIONS_AT_ONCE = 8, 16
# More are dropped: who waits for an answer before asking again has one. Of all: presses, and questions beside them.
MOST_OF_ONE, MOST_OF_ALL = 16, 4096


class Inbox:
    """Messages that wait for their answer, as (client, message)."""

    def __init__(self) -> None:
        self._presses: deque[tuple[bytes, bytes]] = deque()
        self._questions: deque[tuple[bytes, bytes]] = deque()
        self._of: Counter[bytes] = Counter()

    def __len__(self) -> int:
        return len(self._presses) + len(self._questions)

    def read(self, control: zmq.Socket[bytes]) -> bool:
        """Take in what has come, or the first of it where that is much; whether it was so much."""
        for _ in range(READ_AT_ONCE):
            try:
                parts = control.recv_multipart(zmq.NOBLOCK)
            except zmq.Again:
                return False
            if len(parts) != 3 or parts[1]:
                continue  # no question: nobody waits for an answer
            client, raw = parts[0], parts[2]
            waiting = self._presses if is_press(raw) else self._questions
            if self._of[client] < MOST_OF_ONE and len(waiting) < MOST_OF_ALL:
                self._of[client] += 1
                waiting.append((client, raw))
        return True

    def next(self) -> Iterator[tuple[bytes, bytes]]:
        """Those that are answered now."""
        for waiting, most in ((self._presses, PRESSES_AT_ONCE), (self._questions, QUESTIONS_AT_ONCE)):
            for _ in range(min(most, len(waiting))):
                client, raw = waiting.popleft()
                self._of[client] -= 1
                if not self._of[client]:
                    del self._of[client]
                yield client, raw
