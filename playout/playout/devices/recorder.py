"""Recording every socket of the simulated device."""

from __future__ import annotations

import queue
import sys
import threading
from pathlib import Path

import numpy as np

from upbeat.audio.pcm import WavWriter


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
