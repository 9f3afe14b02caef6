"""Real interfaces by way of PortAudio (sounddevice)."""

from __future__ import annotations

import threading
from collections import deque
from typing import Any

import numpy as np


def outputs() -> list[dict[str, Any]]:
    """Devices with outputs, as {index, name, channels}; none where PortAudio or hardware is missing."""
    try:
        import sounddevice
    except OSError:
        return []
    found = []
    for i, d in enumerate(sounddevice.query_devices()):
        if d["max_output_channels"] > 0:
            found.append({"index": i, "name": d["name"], "channels": d["max_output_channels"]})
    return found


class PortAudioDevice:
    """Blocks wait in a queue that PortAudio's callback takes from, one for each call.

    The callback is asked for exactly ``block`` frames; an empty queue is a dropout and silence.
    """

    def __init__(self, index: int | str, channels: int, sample_rate: int = 48000, block: int = 256, ahead: int = 8):
        self.name = f"portaudio:{index}"
        self.index, self.channels, self.sample_rate, self.block, self.ahead = index, channels, sample_rate, block, ahead
        self.dropouts = 0
        self._blocks: deque[np.ndarray] = deque()
        self._room = threading.Semaphore(ahead)
        self._stream: Any = None
        self._running = False

    def start(self) -> None:
        import sounddevice

        self._stream = sounddevice.OutputStream(
            samplerate=self.sample_rate,
            blocksize=self.block,
            device=self.index,
            channels=self.channels,
            dtype="float32",
            callback=self._callback,
        )

    def _callback(self, out: np.ndarray, frames: int, when: Any, status: Any) -> None:
        if status.output_underflow:
            self.dropouts += 1
        try:
            block = self._blocks.popleft()
        except IndexError:
            self.dropouts += 1
            out[:] = 0
            return
        out[:] = block
        self._room.release()

    def held(self) -> int:
        return len(self._blocks) * self.block

    def write(self, block: np.ndarray) -> None:
        self._room.acquire()
        self._blocks.append(np.array(block.T))
        if not self._running and len(self._blocks) >= self.ahead:
            self._running = True
            self._stream.start()

    def stop(self) -> None:
        if self._stream is not None:
            self._stream.close()
            self._stream = None
            self._running = False
