"""Meters of the sockets."""

from __future__ import annotations

import numpy as np


class Meters:
    """Peak and RMS of every socket since they were last read."""

    def __init__(self, channels: int):
        self._peak = np.zeros(channels, dtype=np.float32)
        self._power = np.zeros(channels, dtype=np.float64)
        self._frames = 0

    def push(self, sound: np.ndarray) -> None:
        """Take in float32 (sockets, frames), of the first sockets; the others are silent."""
        rows = len(sound)
        if rows:
            np.maximum(self._peak[:rows], np.maximum(sound.max(axis=1), -sound.min(axis=1)), out=self._peak[:rows])
            self._power[:rows] += np.einsum("ij,ij->i", sound, sound)
        self._frames += sound.shape[1]

    def read(self, sockets: int) -> tuple[list[float], list[float]]:
        """(peaks, RMS) of the first ``sockets``, as factors of full scale since the last call."""
        rms = np.sqrt(self._power[:sockets] / max(1, self._frames))
        answer = self._peak[:sockets].round(5).tolist(), rms.round(5).tolist()
        self._peak[:] = 0
        self._power[:] = 0
        self._frames = 0
        return answer
