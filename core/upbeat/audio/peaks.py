"""Peaks for drawing: least and greatest sample of every 256 frames, and of powers of two of them."""

from __future__ import annotations

import numpy as np

from upbeat.audio.kernels import extremes

BASE = 256


class PeakBuilder:
    """Gathers peaks from blocks of any length; channels are drawn as one."""

    def __init__(self) -> None:
        self._rest: np.ndarray | None = None
        self._parts: list[np.ndarray] = []

    def push(self, planar: np.ndarray) -> None:
        """Add (channels, frames) of float32."""
        line = planar if self._rest is None else np.concatenate((self._rest, planar), axis=1)
        whole = line.shape[1] // BASE * BASE
        if whole:
            low, high = (np.empty((len(line), whole // BASE), dtype=np.float32) for _ in range(2))
            extremes(np.ascontiguousarray(line[:, :whole]), BASE, low, high)
            self._parts.append(np.stack((low.min(axis=0), high.max(axis=0)), axis=1))
        self._rest = line[:, whole:]

    def result(self) -> np.ndarray:
        """int8 (groups, 2): least and greatest in steps of 1/127, rounded outwards."""
        parts = list(self._parts)
        if self._rest is not None and self._rest.shape[1]:
            parts.append(np.array([[self._rest.min(), self._rest.max()]], dtype=np.float32))
        pairs = np.concatenate(parts) if parts else np.zeros((0, 2), dtype=np.float32)
        outwards = np.stack((np.floor(pairs[:, 0] * 127), np.ceil(pairs[:, 1] * 127)), axis=1)
        result: np.ndarray = np.clip(outwards, -127, 127).astype(np.int8)
        return result


def peaks_level(base: np.ndarray, power: int) -> np.ndarray:
    """Peaks of ``2**power`` base groups each."""
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
