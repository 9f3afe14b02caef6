"""Peaks for drawing: least and greatest sample of every 256 frames, and of powers of two of them."""

from __future__ import annotations

import numpy as np

from upbeat.audio.kernels import extremes

BASE = 256


class Extremes:
    """Least and greatest of every ``size`` frames of a stream of so many channels, whatever the blocks it comes in."""

    def __init__(self, channels: int, size: int):
        self._size, self._held = size, 0
        self._least, self._greatest = _none(channels), -_none(channels)

    def pairs(self, planar: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """(least, greatest) of the groups that are whole with (channels, frames) float32, each (channels, groups)."""
        shape = (len(planar), (self._held + planar.shape[1]) // self._size)
        low, high = np.empty(shape, dtype=np.float32), np.empty(shape, dtype=np.float32)
        self._held = extremes(planar, self._size, self._held, self._least, self._greatest, low, high)
        return low, high

    def push(self, planar: np.ndarray) -> np.ndarray:
        """The greatest absolute values of the groups that are whole now, (channels, groups)."""
        low, high = self.pairs(planar)
        return np.maximum(high, -low)

    @property
    def rest_pair(self) -> tuple[float, float] | None:
        """Least and greatest, over all channels, of the group that is not whole; None where there is nothing of it."""
        return (float(self._least.min()), float(self._greatest.max())) if self._held else None

    @property
    def rest(self) -> np.ndarray:
        """The greatest absolute value of the group that is not whole, (channels, 1), or (channels, 0) without one."""
        values = np.maximum(self._greatest, -self._least)[:, None]
        return values if self._held else values[:, :0]


def _none(channels: int) -> np.ndarray:
    return np.full(channels, 3.4e38, dtype=np.float32)


class PeakBuilder:
    """Gathers peaks from blocks of any length; channels are drawn as one."""

    def __init__(self) -> None:
        self._groups: Extremes | None = None
        self._parts: list[np.ndarray] = []

    def push(self, planar: np.ndarray) -> None:
        """Add (channels, frames) of float32."""
        if self._groups is None:
            self._groups = Extremes(len(planar), BASE)
        low, high = self._groups.pairs(planar)
        if low.shape[1]:
            self._parts.append(np.stack((low.min(axis=0), high.max(axis=0)), axis=1))

    def result(self) -> np.ndarray:
        """int8 (groups, 2): least and greatest in steps of 1/127, rounded outwards."""
        parts = list(self._parts)
        rest = self._groups.rest_pair if self._groups is not None else None
        if rest is not None:
            parts.append(np.array([rest], dtype=np.float32))
        pairs = np.concatenate(parts) if parts else np.zeros((0, 2), dtype=np.float32)
        outwards = np.stack((np.floor(pairs[:, 0] * 127), np.ceil(pairs[:, 1] * 127)), axis=1)
        result: np.ndarray = np.clip(outwards, -127, 127).astype(np.int8)
        return result


def peaks_level(base: np.ndarray, power: int) -> np.ndarray:
    """Peaks of ``2**power`` base groups each, shaped as ``base`` with fewer groups."""
    step = 1 << power
    if step == 1 or not len(base):
        return base
    edges = np.arange(0, len(base), step)
    return np.stack((np.minimum.reduceat(base[:, 0], edges), np.maximum.reduceat(base[:, 1], edges)), axis=1)


def loudest(base: np.ndarray) -> np.ndarray:
    """int16 (groups,): the greatest absolute peak of each group, in steps of 1/127."""
    result: np.ndarray = np.abs(base.astype(np.int16)).max(axis=1) if len(base) else np.zeros(0, dtype=np.int16)
    return result


def envelope(base: np.ndarray, edges: np.ndarray) -> np.ndarray:
    """Loudest absolute peak, 0 to 1, between each two frames of ``edges`` (n+1 values to n).

    ``base`` is what :meth:`Peaks.result` gives, or :func:`loudest` of it.
    """
    loud = np.append(loudest(base) if base.ndim == 2 else base, np.int16(0))
    last = len(loud) - 1
    groups = np.floor(np.asarray(edges, dtype=np.float64)).astype(np.int64) // BASE
    starts, ends = np.clip(groups[:-1], 0, last), np.clip(np.maximum(groups[:-1] + 1, groups[1:]), 0, last)
    # Spans outside the sound look at the nought that was put behind it.
    outside = ends <= starts
    starts, ends = np.where(outside, last, starts), np.where(outside, last, ends)
    if not len(starts):
        return np.zeros(0, dtype=np.float32)
    result: np.ndarray = np.maximum.reduceat(loud, np.stack((starts, ends), axis=1).ravel())[::2].astype(
        np.float32
    ) / np.float32(127)
    return result
