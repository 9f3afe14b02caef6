"""The echo of a stem, sample by sample (rule M8)."""

from __future__ import annotations

from copy import copy
from typing import NamedTuple

import numpy as np

from upbeat.audio.stem_kernels import echoes

CROSS_S = 0.02  # over which echoes at other times take over
BACK_S = 10.0  # that a copy of a line may be put back by
_CHUNK = 4096  # frames at a time


class Repeats(NamedTuple):
    """An echo in frames: one ``every`` so many, each with its factor."""

    every: int
    gains: tuple[float, ...]

    @property
    def frames(self) -> int:
        return self.every * len(self.gains)


class _Level:
    """A factor that reaches each new value in a straight line."""

    def __init__(self) -> None:
        self.now = self._was = 0.0
        self._begun, self._length = 0, 0

    def to(self, now: float, frame: int, ramp: int) -> None:
        if now != self.now:
            self._was = float(self.at(frame, 1)[0])
            self.now, self._begun, self._length = now, frame, ramp

    def at(self, frame: int, frames: int) -> np.ndarray:
        """(frames,) float32 from an output frame on."""
        if frame >= self._begun + self._length:
            return np.full(frames, self.now, np.float32)
        x = np.clip((frame - self._begun + np.arange(1, frames + 1)) / self._length, 0, 1)
        return (self._was + (self.now - self._was) * x).astype(np.float32)


class EchoLine:
    """What was sent comes back by the repeats of now. It is finite: what sounds depends on the last ``memory_frames`` alone.

    Copies (``deepcopy``) are made often and put back seldom: they share the line, which is only written ahead, and hold
    as long as no more than ``BACK_S`` has been written since.
    """

    def __init__(self, channels: int, sample_rate: int, memory_frames: int):
        self.memory_frames = memory_frames
        self._cross = round(CROSS_S * sample_rate)
        rows = memory_frames + _CHUNK + round(BACK_S * sample_rate) if memory_frames else 0
        self._line = np.zeros((channels, rows), np.float32)
        self._at = 0
        self._sent = 0  # frames until nothing of what was sent is left
        self._repeats: list[tuple[Repeats, int]] = []  # each with the output frame from which on it takes over
        self._send, self._heard_at = _Level(), _Level()

    def to(self, repeats: Repeats | None, *, send: float, heard: float, frame: int, ramp: int) -> None:
        """From output frame ``frame`` on send so much, hear so much of what comes back, both reached over ``ramp`` frames.

        ``repeats``: by which it comes back; None: as it does.
        """
        if repeats is not None and (not self._repeats or self._repeats[-1][0] != repeats):
            self._repeats.append((repeats, frame))
        ramp = ramp if self._repeats else 0
        self._send.to(send, frame, ramp)
        self._heard_at.to(heard, frame, ramp)

    def __deepcopy__(self, memo: object) -> EchoLine:
        made = copy(self)
        made._repeats, made._send, made._heard_at = [*self._repeats], copy(self._send), copy(self._heard_at)
        return made

    def process(self, block: np.ndarray, frame: int) -> np.ndarray:
        """``block``, float32 (channels, frames) from an output frame on, with its echoes."""
        if not self._repeats:
            return block
        out = block.copy()
        for a in range(0, block.shape[1], _CHUNK):
            self._part(block[:, a : a + _CHUNK], frame + a, out[:, a : a + _CHUNK])
        return out

    def _part(self, block: np.ndarray, frame: int, out: np.ndarray) -> None:
        frames, rows = block.shape[1], self._line.shape[1]
        level = self._send.at(frame, frames)
        sends = bool(level.any())
        where = (self._at + np.arange(frames)) % rows
        self._line[:, where] = block * level
        if not sends and self._sent <= 0:
            # All that is left in the line is older than any repeat.
            self._at = (self._at + frames) % rows
            return
        self._sent = self.memory_frames if sends else self._sent - frames
        over = [i for i, (_, begun) in enumerate(self._repeats) if frame >= begun + self._cross]
        self._repeats = self._repeats[max(over, default=0) :]
        heard = self._heard(self._repeats[0][0], block.shape)
        for repeats, begun in self._repeats[1:]:
            x = np.clip((frame - begun + np.arange(frames) + 0.5) / self._cross, 0, 1).astype(np.float32)
            heard = heard * (1 - x) + self._heard(repeats, block.shape) * x
        out += heard * self._heard_at.at(frame, frames)
        self._at = (self._at + frames) % rows

    def _heard(self, repeats: Repeats, shape: tuple[int, ...]) -> np.ndarray:
        made = np.zeros(shape, np.float32)
        echoes(self._line, self._at, repeats.every, np.array(repeats.gains, np.float32), made)
        return made
