"""The one matrix applied to sources as they lie in their files.

A stem's frames are interleaved (left, right, left …). Taking its channels apart costs five times
as much as turning 16-bit samples into floats, so the matrix is taken apart instead: for stems of
``c`` channels, row ``r`` at frame ``i`` is the sum over channels of ``m[r, stem, channel]`` times
``f[stem, c * i + channel]``. One product gives every ``m[r, :, channel] @ f``, of which each
``c``-th sample is wanted.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class Lane:
    """Stems of one number of channels: which ones (by their place in the song)."""

    channels: int
    stems: tuple[int, ...]


def lanes_of(channels: Sequence[int], heard: Sequence[bool]) -> tuple[Lane, ...]:
    """Stems that are heard, put together by their number of channels."""
    kinds = sorted({c for c, h in zip(channels, heard, strict=True) if h})
    return tuple(Lane(k, tuple(i for i, (c, h) in enumerate(zip(channels, heard, strict=True)) if h and c == k)) for k in kinds)


def packed(matrix: np.ndarray, lanes: Sequence[Lane], starts: Sequence[int]) -> tuple[np.ndarray, ...]:
    """For each lane its part of ``matrix`` (rows, columns) as (channels * rows, stems).

    ``starts``: the first column of each stem.
    """
    return tuple(
        np.ascontiguousarray(np.vstack([matrix[:, [starts[i] + c for i in lane.stems]] for c in range(lane.channels)]), dtype=np.float32)
        for lane in lanes
    )  # fmt: skip


def product(parts: Sequence[np.ndarray], lanes: Sequence[Lane], blocks: Sequence[np.ndarray], rows: int, frames: int) -> np.ndarray:
    """(rows, frames) of packed parts and their blocks, each (stems, channels * frames) float32."""
    sides = [
        whole[c * rows : (c + 1) * rows, c :: lane.channels]
        for whole, lane in zip((p @ b for p, b in zip(parts, blocks, strict=True)), lanes, strict=True)
        for c in range(lane.channels)
    ]
    if len(sides) < 2:
        return sides[0].copy() if sides else np.zeros((rows, frames), dtype=np.float32)
    total: np.ndarray = sides[0] + sides[1]
    for side in sides[2:]:
        total += side
    return total


class Ramped:
    """A matrix (rows, columns) that reaches each new value in a straight line (rule M1).

    ``channels``: of each stem, in the order of the columns.
    """

    def __init__(self, matrix: np.ndarray, channels: Sequence[int]):
        self.channels = channels
        self.starts = [sum(channels[:i]) for i in range(len(channels))]
        self.now = self.target = matrix
        self.done = self.length = 0
        self._pack()

    def follow(self, before: Ramped) -> None:
        """Go on where another one is."""
        self.now, self.target, self.done, self.length = before.now, before.target, before.done, before.length
        self._pack()

    def to(self, matrix: np.ndarray, frames: int) -> None:
        """Head for ``matrix``, to be there after ``frames``."""
        if matrix is self.target:
            return
        if self.done < self.length:
            part = np.float32(self.done / self.length)
            self.now = self.now + (self.target - self.now) * part
        else:
            self.now = self.target
        self.target, self.done, self.length = matrix, 0, max(1, frames)
        self._pack()

    def _pack(self) -> None:
        moving = self.done < self.length
        kept = [self.target, self.now] if moving else [self.target]
        heard = [any(bool(m[:, s : s + c].any()) for m in kept) for s, c in zip(self.starts, self.channels, strict=True)]
        self.lanes = lanes_of(self.channels, heard)
        self._target = packed(self.target, self.lanes, self.starts)
        self._now = packed(self.now, self.lanes, self.starts) if moving else self._target

    def skip(self, frames: int) -> None:
        """Let time pass without sound."""
        if self.done < self.length:
            self.done = min(self.length, self.done + frames)
            self._arrived()

    def _arrived(self) -> None:
        if self.done >= self.length:
            self.now = self.target
            self._pack()

    def mix(self, blocks: Sequence[np.ndarray], frames: int) -> np.ndarray:
        """(rows, frames) of what ``lanes`` named, a block for each lane: (stems, channels * frames) float32."""
        rows = len(self.target)
        k = min(frames, self.length - self.done)
        if k <= 0:
            return product(self._target, self.lanes, blocks, rows, frames)
        new = product(self._target, self.lanes, blocks, rows, frames)
        heads = [b[:, : k * lane.channels] for b, lane in zip(blocks, self.lanes, strict=True)]
        old = product(self._now, self.lanes, heads, rows, k)
        up = np.arange(self.done + 1, self.done + k + 1, dtype=np.float32) / np.float32(self.length)
        new[:, :k] = old + (new[:, :k] - old) * up
        self.done += k
        self._arrived()
        return new
