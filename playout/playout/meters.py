"""Meters of the sockets."""

from __future__ import annotations

import numpy as np


class Meters:
    """Peak and RMS of every socket since they were last read."""

    def __init__(self, channels: int):
        self._peak = np.zeros(channels, dtype=np.float32)
        self._power = np.zeros(channels, dtype=np.float64)
        self._frames = 0

    def push(self, block: np.ndarray) -> None:
        np.maximum(self._peak, np.maximum(block.max(axis=1), -block.min(axis=1)), out=self._peak)
        self._power += np.einsum("ij,ij->i", block, block)
        self._frames += block.shape[1]

    def read(self) -> tuple[list[float], list[float]]:
        """(peaks, RMS) as factors of full scale since the last call."""
        rms = np.sqrt(self._power / max(1, self._frames))
        answer = [round(float(p), 5) for p in self._peak], [round(float(r), 5) for r in rms]
        self._peak[:] = 0
        self._power[:] = 0
        self._frames = 0
        return answer
