"""Real interfaces by way of PortAudio (sounddevice)."""

from __future__ import annotations

import time
from collections import deque
from typing import Any

import numpy as np

from playout.shared import BLOCK

TRY_EVERY_S = 1.0


def outputs() -> list[dict[str, Any]]:
    """Devices with outputs, as {index, name, channels, rate, latency_ms}; none where PortAudio or hardware is missing."""
    try:
        import sounddevice
    except OSError:
        return []
    found = []
    for i, d in enumerate(sounddevice.query_devices()):
        if d["max_output_channels"] > 0:
            found.append(
                {
                    "index": i,
                    "name": d["name"],
                    "channels": d["max_output_channels"],
                    "rate": round(d["default_samplerate"]),
                    "latency_ms": round(1000 * d["default_low_output_latency"], 1),
                }
            )
    return found


class PortAudioDevice:
    """Blocks wait in a queue that PortAudio's callback takes from, one for each call.

    The callback is asked for exactly BLOCK frames; an empty queue is silence. A device that is gone is
    looked for once a second; meanwhile blocks are taken at the pace of the clock, so that time goes on.
    """

    def __init__(self, index: int | str, channels: int, sample_rate: int = 48000, blocks: int = 4):
        self.name = f"portaudio:{index}"
        self.index, self.channels, self.sample_rate, self.blocks = index, channels, sample_rate, blocks
        self._queue: deque[np.ndarray] = deque()
        self._empty = 0  # callbacks that found nothing
        self._told = 0
        self._stream: Any = None
        self._latency = 0
        self._called = 0.0  # when the callback ran last
        self._clock: tuple[float, int] | None = None  # without a device: since when, and blocks taken since
        self._next_try = 0.0

    def start(self) -> None:
        self._open()

    def _open(self) -> None:
        """Open the device. PortAudio learns of devices that came and went by being initialised again."""
        import sounddevice

        self._next_try = time.monotonic() + TRY_EVERY_S
        try:
            sounddevice._terminate()
            sounddevice._initialize()
            self._queue.clear()
            self._stream = sounddevice.OutputStream(
                samplerate=self.sample_rate,
                blocksize=BLOCK,
                device=self.index,
                channels=self.channels,
                dtype="float32",
                callback=self._callback,
            )
            self._empty = self._told = 0
            self._called = time.monotonic()
            self._stream.start()
            self._latency = round(float(self._stream.latency) * self.sample_rate)
            self._clock = None
        except Exception:  # PortAudioError, ValueError for an unknown name: the device is not there
            self._stream = None
            self._clock = self._clock or (time.monotonic(), 0)

    def _callback(self, out: np.ndarray, frames: int, when: Any, status: Any) -> None:
        self._called = time.monotonic()
        try:
            out[:] = self._queue.popleft()
        except IndexError:
            self._empty += 1
            out[:] = 0

    @property
    def there(self) -> bool:
        return self._stream is not None

    def _look(self) -> None:
        """Notice a device that went away, and look for one that is not there."""
        now = time.monotonic()
        if self._stream is not None:
            if self._stream.active and now - self._called < 0.5:
                return
            stream, self._stream = self._stream, None
            try:
                stream.abort()
                stream.close()
            except Exception:  # it is gone already
                pass
            self._clock = (now, 0)
            self._next_try = now
        if now >= self._next_try:
            self._open()

    def held(self) -> int:
        return len(self._queue) * BLOCK + self._latency if self._stream is not None else 0

    def room(self) -> int:
        self._look()
        if self._clock is not None:
            since, taken = self._clock
            return max(0, int((time.monotonic() - since) * self.sample_rate) // BLOCK + self.blocks - taken)
        return max(0, self.blocks - len(self._queue))

    @property
    def hungry(self) -> bool:
        return self._clock is not None or len(self._queue) <= 1

    def missed(self) -> int:
        empty, self._told = self._empty - self._told, self._empty
        return empty

    def wait(self) -> float:
        if self._clock is not None:
            return 2 * BLOCK / self.sample_rate
        return max(0.0, (len(self._queue) - self.blocks + 1.5) * BLOCK / self.sample_rate)

    def write(self, block: np.ndarray) -> None:
        if self._clock is not None:
            since, taken = self._clock
            self._clock = since, taken + 1
            return
        self._queue.append(np.array(block.T))

    def stop(self) -> None:
        if self._stream is not None:
            self._stream.close()
            self._stream = None
