"""The one matrix that is applied to sources.

Stems of one number of channels are mixed together. Most of a matrix is 0, and nothing is done for that.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from copy import copy
from dataclasses import dataclass, replace
from functools import cached_property
from typing import NamedTuple

import numpy as np

from upbeat.audio.stem_kernels import add_pairs, add_rows


@dataclass(frozen=True)
class Lane:
    """Stems of one number of channels: which ones (by their place in the song)."""

    channels: int
    stems: tuple[int, ...]

    @cached_property
    def places(self) -> np.ndarray:
        """``stems`` as int64."""
        return np.array(self.stems, dtype=np.int64)


def lanes_of(channels: Sequence[int], heard: Sequence[bool]) -> tuple[Lane, ...]:
    """Stems that are heard, put together by their number of channels."""
    kinds = sorted({c for c, h in zip(channels, heard, strict=True) if h})
    return tuple(
        Lane(k, tuple(i for i, (c, h) in enumerate(zip(channels, heard, strict=True)) if h and c == k)) for k in kinds
    )


class Weights(NamedTuple):
    """What a matrix has for a lane, but for 0, as :func:`upbeat.audio.stem_kernels.add_rows` takes it.

    The channels of a lane follow one another, stem after stem.
    """

    rows: np.ndarray
    first: np.ndarray
    of: np.ndarray
    gains: np.ndarray


def lane_weights(matrix: np.ndarray, lanes: Sequence[Lane], starts: Sequence[int]) -> tuple[Weights, ...]:
    """The weights of each lane. ``starts``: the first column of each stem."""
    return tuple(
        _weights(matrix[:, [starts[i] + channel for i in lane.stems for channel in range(lane.channels)]])
        for lane in lanes
    )


def _weights(matrix: np.ndarray) -> Weights:
    taken = matrix != 0
    rows = np.lexsort(taken.T)
    rows = rows[taken[rows].any(axis=1)]
    at, of = (np.ascontiguousarray(places) for places in np.nonzero(taken[rows]))
    return Weights(rows, np.searchsorted(at, np.arange(len(rows) + 1)), of, matrix[rows[at], of].astype(np.float32))


def add_mixed(
    weights: Sequence[Weights],
    blocks: Sequence[np.ndarray],
    at: int,
    out: np.ndarray,
    columns: slice,
    peaks: Sequence[np.ndarray],
) -> None:
    """Add the block of each lane (:meth:`Ramped.mix`), from its column ``at`` on, to ``columns`` of ``out``, float32 (rows, frames)."""
    first, count = columns.start, columns.stop - columns.start
    for own, block, loud in zip(weights, blocks, peaks, strict=True):
        (add_pairs if block.dtype == np.int32 else add_rows)(block, at, *own, out, first, count, loud)


def times(matrix: np.ndarray, sound: np.ndarray) -> np.ndarray:
    """``matrix`` (rows, k) @ ``sound`` (k, frames), float32: every column the same, whatever stands beside it.

    Not so by BLAS, which works through whole tiles of columns and treats those left over otherwise.
    """
    made = np.zeros((len(matrix), sound.shape[1]), dtype=np.float32)
    add_rows(sound, 0, *_weights(matrix), made, 0, sound.shape[1], np.zeros(len(sound), dtype=np.float32))
    return made


def _rows_of(matrix: np.ndarray, old: np.ndarray) -> np.ndarray:
    return np.where((old < 0)[:, None], np.float32(0), matrix[old])


@dataclass
class _Rest:
    """What is still left of a change: ``diff`` (rows, columns) sinks to nothing over ``length`` frames.

    ``done``: frames of it that are over; below 0 it has yet to begin, and all of it is left.
    """

    diff: np.ndarray
    length: int
    done: int = 0
    weights: tuple[Weights, ...] = ()

    def left(self, frames: int) -> np.ndarray:
        """The part that is left, 0 to 1, at each of the next ``frames``: (frames,)."""
        over = np.arange(self.done + 1, self.done + frames + 1, dtype=np.float32) / np.float32(self.length)
        return 1 - np.clip(over, 0, 1)


class Going(NamedTuple):
    """A change under way: it set out from ``before`` (rows, columns), and ``done`` of its ``frames`` are over."""

    before: np.ndarray
    frames: int
    done: int


class Ramped:
    """A matrix (rows, columns) that reaches each new value in straight lines (rule M1).

    ``channels``: of each stem, in the order of the columns. At any time the value is the target
    and what is left of each change, so that stems may take different times.
    """

    def __init__(self, matrix: np.ndarray, channels: Sequence[int]):
        self.channels = channels
        self.starts = [sum(channels[:i]) for i in range(len(channels))]
        self.target = matrix
        self._rests: list[_Rest] = []
        self._new_rows: np.ndarray | None = None
        self._pack()

    def copy(self) -> Ramped:
        """Another one that is where this one is."""
        made = copy(self)
        made._rests = [replace(r) for r in self._rests]
        return made

    def with_rows(self, old: np.ndarray) -> None:
        """Go on with other rows: ``old`` has the place of each among the rows so far, -1 for one out of silence."""
        self.target = _rows_of(self.target, old)
        for r in self._rests:
            r.diff = _rows_of(r.diff, old)
        self._rests = [r for r in self._rests if r.diff.any()]
        self._new_rows = old < 0
        self._pack()

    def with_columns(self, old: np.ndarray, matrix: np.ndarray, channels: Sequence[int]) -> None:
        """Go on with other columns: ``old`` has the place of each among those so far, -1 for one that begins as in ``matrix``."""
        new = old < 0
        self.target = np.where(new, matrix, self.target[:, old])
        for r in self._rests:
            r.diff = np.where(new, np.float32(0), r.diff[:, old])
        self._rests = [r for r in self._rests if r.diff.any()]
        self.channels = channels
        self.starts = [sum(channels[:i]) for i in range(len(channels))]
        self._pack()

    def follow(self, before: Ramped) -> None:
        """Go on where another one is."""
        self.target = before.target
        self._rests = [replace(r) for r in before._rests]
        self._pack()

    def to(
        self,
        matrix: np.ndarray,
        frames: int,
        slow: Mapping[int, int] | None = None,
        rows: np.ndarray | None = None,
        going: Sequence[Going] = (),
    ) -> None:
        """Head for ``matrix``, to be there after ``frames``; ``slow``: stems (by their place) that take longer.

        What was under way is given up, from where it is, wherever the matrix changes and in ``rows``
        (boolean), and goes on elsewhere; what is ``going`` on goes on there too, at the levels of ``matrix``.
        """
        if matrix is self.target:
            return
        diff = self.target - matrix
        fresh, self._new_rows = self._new_rows, None
        if rows is None and fresh is not None and not diff[~fresh].any():
            rows = fresh
        given_up = diff != 0
        if rows is not None:
            given_up |= rows[:, None]
        for r in self._rests:
            left = np.float32(1 - max(0.0, min(1.0, r.done / r.length)))
            diff += np.where(given_up, r.diff * left, np.float32(0))
            r.diff = np.where(given_up, np.float32(0), r.diff)
        for g in going:
            rest = _Rest(np.where(given_up, g.before - matrix, np.float32(0)), g.frames, g.done)
            diff -= rest.diff * np.float32(1 - g.done / g.frames)
            self._rests.append(rest)
        self._rests = [r for r in self._rests if r.diff.any()]
        self._change(diff, frames, slow or {}, 0)
        self.target = matrix
        self._pack()

    def come_from(self, matrix: np.ndarray, slow: Mapping[int, int], wait: int) -> None:
        """Let the stems of ``slow`` begin where ``matrix`` (rows, columns) has them, and set out after ``wait`` frames."""
        diff = np.zeros_like(self.target)
        for i in slow:
            own = slice(self.starts[i], self.starts[i] + self.channels[i])
            diff[:, own] = matrix[:, own] - self.target[:, own]
        self._change(diff, 1, slow, wait)
        self._pack()

    def under_way(self, going: Going) -> None:
        """Be on the way to the target."""
        diff = going.before - self.target
        if diff.any():
            self._rests.append(_Rest(diff, going.frames, going.done))
            self._pack()

    def _change(self, diff: np.ndarray, frames: int, slow: Mapping[int, int], wait: int) -> None:
        rest = diff.copy()
        for length in sorted(set(slow.values())):
            part = np.zeros_like(diff)
            for i in (i for i, n in slow.items() if n == length):
                own = slice(self.starts[i], self.starts[i] + self.channels[i])
                part[:, own], rest[:, own] = diff[:, own], 0
            self._left_over(part, length, wait)
        self._left_over(rest, frames, wait)

    def _left_over(self, diff: np.ndarray, length: int, wait: int) -> None:
        if diff.any():
            self._rests.append(_Rest(diff, max(1, length), -wait))

    def _pack(self) -> None:
        kept = [self.target, *(r.diff for r in self._rests)]
        heard = [
            any(bool(m[:, s : s + c].any()) for m in kept) for s, c in zip(self.starts, self.channels, strict=True)
        ]
        self.lanes = lanes_of(self.channels, heard)
        self._target = lane_weights(self.target, self.lanes, self.starts)
        for r in self._rests:
            r.weights = lane_weights(r.diff, self.lanes, self.starts)

    @property
    def changes(self) -> bool:
        """Whether it is not there yet."""
        return bool(self._rests)

    def skip(self, frames: int) -> None:
        """Let time pass without sound."""
        if self._rests:
            for r in self._rests:
                r.done += frames
            self._arrived()

    def _arrived(self) -> None:
        going = [r for r in self._rests if r.done < r.length]
        if len(going) < len(self._rests):
            self._rests = going
            self._pack()

    def mix(
        self, blocks: Sequence[np.ndarray], frames: int, at: int = 0, peaks: Sequence[np.ndarray] | None = None
    ) -> np.ndarray:
        """float32 (rows, frames) of what ``lanes`` named, from column ``at`` of a block for each lane on.

        A block is float32 (channels of its stems, columns), or int32 (stems, columns) of pairs of int16
        (:func:`upbeat.audio.stem_kernels.add_pairs`). ``peaks``: of each lane (stems,) float32, raised to how loud they are.
        """
        new = np.zeros((len(self.target), frames), dtype=np.float32)
        self.add(blocks, at, new, slice(0, frames), peaks)
        return new

    def add(
        self,
        blocks: Sequence[np.ndarray],
        at: int,
        out: np.ndarray,
        columns: slice,
        peaks: Sequence[np.ndarray] | None = None,
    ) -> None:
        """Add what :meth:`mix` gives to ``columns`` of ``out``, float32 (rows, frames) in one piece."""
        frames = columns.stop - columns.start
        loud = peaks or [np.zeros(len(lane.stems), dtype=np.float32) for lane in self.lanes]
        add_mixed(self._target, blocks, at, out, columns, loud)
        for r in self._rests:
            k = min(frames, r.length - r.done)
            rest = np.zeros((len(out), k), dtype=np.float32)
            add_mixed(r.weights, blocks, at, rest, slice(0, k), loud)
            out[:, columns.start : columns.start + k] += rest * r.left(k)
        self.skip(frames)
