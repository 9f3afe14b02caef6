"""Delays of sockets."""

from __future__ import annotations

import numpy as np

from upbeat.mix.routing import Routing


class DelayLine:
    """One socket, ``frames`` later."""

    def __init__(self, frames: int):
        self._line = np.zeros(frames, dtype=np.float32)

    def saved(self) -> np.ndarray:
        """What is on its way, to be restored."""
        return self._line

    def restore(self, saved: np.ndarray) -> None:
        self._line = saved

    def push(self, block: np.ndarray) -> np.ndarray:
        """The frames that are due, as many as ``block`` has."""
        if not len(self._line):
            return block
        line = np.concatenate((self._line, block))
        self._line = line[len(block) :].copy()
        return line[: len(block)]


def socket_delays(routing: Routing, sample_rate: int) -> dict[int, DelayLine]:
    """A delay line for each row (in the order of the sockets) that has a delay."""
    row = {s.number: i for i, s in enumerate(routing.sockets)}
    wanted = {row[p.socket]: p.delay_ms for p in routing.patches if p.socket in row and p.delay_ms > 0}
    return {r: DelayLine(round(ms * sample_rate / 1000)) for r, ms in wanted.items()}
