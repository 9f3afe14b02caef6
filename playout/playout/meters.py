"""Meters of the sockets."""

from __future__ import annotations

import math

import numpy as np

from upbeat.audio.stem_kernels import meter_rows


class Meters:
    """Peak and RMS of every socket since they were last read."""

    def __init__(self, channels: int):
        self._peak = np.zeros(channels, dtype=np.float32)
        self._power = np.zeros(channels, dtype=np.float64)
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
        # Plain numbers: a call of numpy for each step costs more than so few of them.
        frames = max(1, self._frames)
        peaks = [round(p, 5) for p in self._peak[:sockets].tolist()]
        rms = [round(math.sqrt(p / frames), 5) for p in self._power[:sockets].tolist()]
        self._peak[:] = 0
        self._power[:] = 0
        self._frames = 0
        return peaks, rms
