"""Devices: where rendered blocks go. The simulated one stands in for an audio interface."""

from __future__ import annotations

import queue
import sys
import threading
import time
from pathlib import Path
from typing import Protocol

import numpy as np

from upbeat.audio.pcm import WavWriter

REFILL = 3


class Device(Protocol):
    """Takes blocks of (sockets, frames) float32 and plays them at its own pace.

    ``write`` waits until there is room. ``held`` is how many frames were written and are not
    heard yet. ``dropouts`` counts blocks that were not there when the device needed them.
    """

    name: str
    channels: int
    sample_rate: int
    dropouts: int

    def start(self) -> None: ...
    def write(self, block: np.ndarray) -> None: ...
    def held(self) -> int: ...
    def stop(self) -> None: ...


class Recorder:
    """Writes every socket to a multichannel WAV (RF64 where long) from a thread of its own.

    The disk may take its time: nothing here waits for it. The file has its name once it is whole.
    """

    def __init__(self, path: Path, sample_rate: int, channels: int):
        self.path = path
        self._format = sample_rate, channels
        self._queue: queue.SimpleQueue[np.ndarray | None] = queue.SimpleQueue()
        self._thread = threading.Thread(target=self._run, name="recorder", daemon=True)
        self._thread.start()

    def push(self, block: np.ndarray) -> None:
        """Take a (sockets, frames) block; it is copied."""
        self._queue.put(np.array(block.T))

    def _run(self) -> None:
        part = self.path.with_suffix(".part")
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
            with WavWriter(part, *self._format) as writer:
                while (block := self._queue.get()) is not None:
                    writer.write(block)
            part.replace(self.path)
        except OSError as error:
            print(f"The recording broke off: {error.strerror}.", file=sys.stderr)
            while self._queue.get() is not None:
                pass

    def finish(self) -> None:
        """Say that nothing more comes."""
        self._queue.put(None)

    def wait(self) -> None:
        """Wait until the file is whole."""
        self._thread.join()


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
        """(peaks, RMS) as factors of full scale; starts anew."""
        rms = np.sqrt(self._power / max(1, self._frames))
        answer = [round(float(p), 5) for p in self._peak], [round(float(r), 5) for r in rms]
        self._peak[:] = 0
        self._power[:] = 0
        self._frames = 0
        return answer
