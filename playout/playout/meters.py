"""Meters of the sockets."""

from __future__ import annotations

import numpy as np

from upbeat.audio.stem_kernels import meter_rows, read_meters


class Meters:
    """Peak and RMS of every socket since they were last read."""

    def __init__(self, channels: int):
        self._peak = np.zeros(channels, dtype=np.float32)
        self._power = np.zeros(channels, dtype=np.float64)
        self._read = np.zeros((2, channels))
        self._frames = 0

    def push(self, sound: np.ndarray, first: int, last: int) -> None:
        """Take in columns ``first`` to ``last`` of float32 (sockets, frames), in one piece, of the first sockets.

        The others are silent.
        """
        sound = sound[: len(self._peak)]
        meter_rows(sound, first, last, self._peak, self._power)
        self._frames += last - first

    def read(self, sockets: int) -> tuple[list[float], list[float]]:
        """(peaks, RMS) of the first ``sockets``, as factors of full scale since the last call."""
        read_meters(self._peak, self._power, max(1, self._frames), self._read)
        self._frames = 0
        peaks, rms = self._read[:, :sockets].tolist()
        return peaks, rms
