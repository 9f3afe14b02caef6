"""Delays of sockets."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from upbeat.mix.routing import Routing


class SavedDelay(NamedTuple):
    """What is on its way in a line, and where its delay is on the way to."""

    line: np.ndarray
    frames: int
    to: int
    done: int
    ramp: int


class DelayLine:
    """One socket, ``frames`` later. A change of the delay is a ramp from one to the other (rule M1)."""

    def __init__(self, frames: int):
        self._line = np.zeros(frames, dtype=np.float32)
        self._frames = self._to = frames
        self._done = 0
        self._ramp = 1

    def saved(self) -> SavedDelay:
        """What is on its way, to be restored."""
        return SavedDelay(self._line, self._frames, self._to, self._done, self._ramp)

    def restore(self, saved: SavedDelay) -> None:
        self._line, self._frames, self._to, self._done, self._ramp = saved

    def to(self, frames: int, ramp: int) -> None:
        """Head for another delay over ``ramp`` frames, once as much sound as that needs has come in."""
        if frames == self._to:
            return
        self._to, self._ramp = frames, ramp
        more = max(0, frames - len(self._line))
        self._line = np.concatenate((np.zeros(more, dtype=np.float32), self._line))
        self._done = -more

    def push(self, block: np.ndarray) -> np.ndarray:
        """The frames that are due, as many as ``block``, (frames,) float32, has."""
        if not len(self._line):
            return block
        line, size = np.concatenate((self._line, block)), len(block)
        due = self._due(line, self._frames, size)
        if self._to != self._frames:
            there = np.clip(np.arange(self._done + 1, self._done + size + 1) / self._ramp, 0, 1).astype(np.float32)
            due = due * (1 - there) + self._due(line, self._to, size) * there
            self._done += size
            if self._done >= self._ramp:
                self._frames = self._to
        kept = max(self._frames, self._to)
        self._line = line[len(line) - kept :].copy()
        return due

    @staticmethod
    def _due(line: np.ndarray, frames: int, size: int) -> np.ndarray:
        first = len(line) - size - frames
        return line[first : first + size]


def socket_delays(routing: Routing, sample_rate: int) -> dict[int, DelayLine]:
    """A delay line for each row (in the order of the sockets) that has a delay."""
    row = {s.number: i for i, s in enumerate(routing.sockets)}
    wanted = {row[p.socket]: p.delay_ms for p in routing.patches if p.socket in row and p.delay_ms > 0}
    return {r: DelayLine(round(ms * sample_rate / 1000)) for r, ms in wanted.items()}


def followed(now: dict[int, DelayLine], before: dict[int, DelayLine], ramp: int) -> dict[int, DelayLine]:
    """Lines (by row) that go on from lines before, in their rows, to the delays of ``now`` over ``ramp`` frames."""
    lines = {}
    for row in sorted({*now, *before}):
        line, wanted = DelayLine(0), now.get(row)
        if row in before:
            line.restore(before[row].saved())
        line.to(0 if wanted is None else wanted.saved().to, ramp)
        lines[row] = line
    return lines
