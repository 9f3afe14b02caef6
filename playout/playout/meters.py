"""Meters of the sockets."""

from __future__ import annotations

import numpy as np


class Meters:
    """Peak and RMS of every socket since they were last read."""

    def __init__(self, channels: int):
        self._peak = np.zeros(channels, dtype=np.float32)
        self._power = np.zeros(channels, dtype=np.float64)
        self._frames = 0

    def push(self, peak: np.ndarray, power: np.ndarray, frames: int) -> None:
        """Take in a span: its highest value and its sum of squares for each socket."""
        np.maximum(self._peak, peak, out=self._peak)
        self._power += power
        self._frames += frames

    def read(self) -> tuple[list[float], list[float]]:
        """(peaks, RMS) as factors of full scale since the last call."""
        rms = np.sqrt(self._power / max(1, self._frames))
        answer = [round(float(p), 5) for p in self._peak], [round(float(r), 5) for r in rms]
        self._peak[:] = 0
        self._power[:] = 0
        self._frames = 0
        return answer
