"""The simulated device: stands in for an audio interface."""

from __future__ import annotations

import time
from pathlib import Path

import numpy as np

from playout.devices.recorder import Recorder
from playout.shared import BLOCK


class SimulatedDevice:
    """Keeps real time by the monotonic clock, like an interface of ``channels`` outputs and a buffer of ``blocks``.

    Where a block is late it plays silence for as many whole blocks as are missing, and records them so.
    """

    there, problem, broken = True, "", False

    def __init__(self, channels: int, sample_rate: int = 48000, blocks: int = 4):
        self.channels, self.sample_rate, self.blocks = channels, sample_rate, blocks
        self._written = 0
        self._started_at = time.monotonic()
        self._recorder: Recorder | None = None
        self._finishing: Recorder | None = None

    def start(self) -> None:
        self._started_at = time.monotonic()
        self._written = 0

    def _played(self) -> int:
        return int((time.monotonic() - self._started_at) * self.sample_rate)

    def held(self) -> int:
        return max(0, self._written - self._played())

    def room(self) -> int:
        return max(0, self.blocks - -(-self.held() // BLOCK))

    @property
    def hungry(self) -> bool:
        return self.held() <= BLOCK

    def wait(self) -> float:
        # Half of the buffer for each waking: the processor sleeps longer, and there is time for a waking that is late.
        over = self._written - self._played() - (self.blocks - self.blocks // 2) * BLOCK
        return max(0.0, over / self.sample_rate)

    def missed(self) -> int:
        late = self._played() - self._written
        if late <= 0 or self._written == 0:
            return 0
        missing = -(-late // BLOCK)
        self._written += missing * BLOCK
        if self._recorder:
            self._recorder.push(np.zeros((self.channels, missing * BLOCK), dtype=np.float32))
        return missing

    def write(self, block: np.ndarray) -> None:
        if self._written == 0:
            self._started_at = time.monotonic()
        if self._recorder:
            self._recorder.push(block)
        self._written += BLOCK

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

    def stop(self) -> None:
        self.finish_recording()

    def finish(self) -> None:
        if self._finishing:
            self._finishing.wait()
