"""The simulated device: stands in for an audio interface."""

from __future__ import annotations

import time
from pathlib import Path

import numpy as np

from playout.devices.recorder import Recorder

REFILL = 3  # blocks


class SimulatedDevice:
    """Keeps real time by the monotonic clock, like an interface of ``channels`` outputs.

    It starts to play when ``ahead`` blocks are in hand. Where a block is late it plays silence
    for as many whole blocks as are missing, counts them as dropouts, and records them so.
    """

    def __init__(self, channels: int, sample_rate: int = 48000, block: int = 256, ahead: int = 8):
        self.name = "simulated"
        self.channels, self.sample_rate, self.block, self.ahead = channels, sample_rate, block, ahead
        self.dropouts = 0
        self._written = 0
        self._started_at: float | None = None
        self._recorder: Recorder | None = None
        self._finishing: Recorder | None = None

    def start(self) -> None:
        self._started_at = None
        self._written = 0

    def _played(self) -> int:
        if self._started_at is None:
            return 0
        return int((time.monotonic() - self._started_at) * self.sample_rate)

    def held(self) -> int:
        return max(0, self._written - self._played())

    def write(self, block: np.ndarray) -> None:
        frames = block.shape[1]
        if self._started_at is None:
            self._written += frames
            if self._written >= self.ahead * self.block:
                self._started_at = time.monotonic()
        else:
            late = self._played() - self._written
            if late > 0:
                missing = -(-late // self.block)
                self.dropouts += missing
                self._written += missing * self.block
                if self._recorder:
                    self._recorder.push(np.zeros((self.channels, missing * self.block), dtype=np.float32))
            self._written += frames
        if self._recorder:
            self._recorder.push(block)
        over = self._written - self._played() - self.ahead * self.block
        if self._started_at is not None and over > 0:
            # A few blocks for each waking: the caches stay warm, and the processor sleeps longer.
            time.sleep((over + (REFILL - 1) * self.block) / self.sample_rate)

    def record(self, path: Path) -> None:
        """Begin to record every socket, from the next block on."""
        self.finish_recording()
        self._recorder = Recorder(path, self.sample_rate, self.channels)

    def finish_recording(self) -> Path | None:
        """End the recording and tell where it will be, a moment later."""
        recorder, self._recorder = self._recorder, None
        if recorder is None:
            return None
        recorder.finish()
        self._finishing = recorder
        return recorder.path

    @property
    def recording(self) -> bool:
        return self._recorder is not None

    def stop(self) -> None:
        self.finish_recording()
        if self._finishing:
            self._finishing.wait()
