"""Real interfaces by way of PortAudio (sounddevice)."""

from __future__ import annotations

import contextlib
import threading
import time
from collections import deque
from typing import Any

import numpy as np

from playout.processes import calm, to_the_front
from playout.shared import BLOCK
from upbeat.errors import Refused, refuse

TRY_EVERY_S = 1.0
HANGS_S = 5.0
GONE_S = 0.5  # an interface that has not asked for sound for so long is gone
_LIBRARY = threading.Lock()  # PortAudio is begun, asked and ended by one thread at a time
_OVER: deque[Any] = deque()  # streams to be closed by the next that has it


class PortAudioDevice:
    """Blocks wait in a queue that PortAudio's callback takes from, ``block`` frames for each call.

    An empty queue is silence. A device that is not there is looked for once a second, on another thread;
    meanwhile blocks are taken at the pace of the clock, so that time goes on. One that went away leaves
    PortAudio in a state in which closing it may never end: ``broken``.
    """

    def __init__(self, name: str, channels: int, sample_rate: int = 48000, *, block: int = BLOCK, blocks: int = 4):
        self.name, self.channels, self.sample_rate = name, channels, sample_rate
        self.block, self.blocks = block, blocks
        self.problem, self.broken = f"“{name}” is being opened.", False
        self._queue: deque[np.ndarray] = deque()
        self._rest: np.ndarray | None = None  # of a block of which a part was asked for
        self._silent = 0  # frames asked for that were not there
        self._stream: Any = None
        self._opened: Any = None  # a stream that was just opened by the other thread
        self._opening: threading.Thread | None = None
        self._began = 0.0  # when it was begun
        self._stopped = False
        self._hurried = False  # the thread that calls back
        self._called = 0.0  # when the callback ran last
        self._delay_s = 0.0  # from a callback until its first frame is heard
        self._clock: tuple[float, int] | None = None  # without a device: since when, and blocks taken since
        self._next_try = 0.0

    def start(self) -> None:
        self._clock = (time.monotonic(), 0)
        self._look()

    # --- opening, on a thread of its own -------------------------------------------------

    def _open(self) -> None:
        calm()
        try:
            with _LIBRARY:
                _close_old()
                stream = self._stream_of_device()
            if self._stopped:
                stream.close()
            else:
                self._opened = stream
                self.problem = ""
        except Refused as no:
            self.problem = no.problems[0].message
        except Exception as error:  # PortAudioError, OSError without PortAudio: it cannot be had now
            self.problem = f"“{self.name}” cannot be opened: {str(error).splitlines()[0][:160]}."

    def _stream_of_device(self) -> Any:
        """A running stream. PortAudio learns of devices that came and went by being initialised again."""
        import sounddevice

        sounddevice._terminate()
        sounddevice._initialize()
        index = find(self.name, self.channels, self.sample_rate)
        stream = sounddevice.OutputStream(
            samplerate=self.sample_rate,
            blocksize=self.block,
            device=index,
            channels=self.channels,
            dtype="float32",
            latency="low",
            callback=self._callback,
        )
        self._called, self._delay_s = time.monotonic(), float(stream.latency)
        stream.start()
        return stream

    def _callback(self, out: np.ndarray, frames: int, when: Any, status: Any) -> None:
        if not self._hurried:
            self._hurried = to_the_front()
        self._called = time.monotonic()
        delay = when.outputBufferDacTime - when.currentTime
        if delay > 0:
            self._delay_s = delay
        filled = 0
        while filled < frames:
            if self._rest is None:
                try:
                    self._rest = self._queue.popleft()
                except IndexError:
                    break
            n = min(len(self._rest), frames - filled)
            out[filled : filled + n] = self._rest[:n]
            self._rest = self._rest[n:] if n < len(self._rest) else None
            filled += n
        if filled < frames:
            out[filled:] = 0
            self._silent += frames - filled

    # --- the feeder's side --------------------------------------------------------------

    @property
    def there(self) -> bool:
        return self._stream is not None and not self.broken

    def _look(self) -> None:
        """Take over a device that was opened, notice one that went away, look for one that is not there."""
        now = time.monotonic()
        if self._opened is not None:
            self._stream, self._opened, self._opening, self._clock = self._opened, None, None, None
            self._queue.clear()
            self._silent = 0
        if self._stream is not None:
            if self._stream.active and now - self._called < GONE_S:
                return
            self.problem = f"“{self.name}” is gone: it takes no sound any more."
            self.broken = True
            return
        if self._opening is not None and self._opening.is_alive():
            self.broken = now - self._began > HANGS_S
        elif now >= self._next_try:
            self._next_try, self._began = now + TRY_EVERY_S, now
            self._opening = threading.Thread(target=self._open, name="open interface", daemon=True)
            self._opening.start()

    def _queued(self) -> int:
        rest = self._rest
        return len(self._queue) * BLOCK + (0 if rest is None else len(rest))

    def held(self) -> int:
        if self._stream is None:
            return 0
        # Where it has stopped asking, time goes on all the same.
        given = self.block + (self._called + self._delay_s - time.monotonic()) * self.sample_rate
        return self._queued() + round(given)

    def room(self) -> int:
        self._look()
        if self.broken:
            return 0
        if self._clock is not None:
            since, taken = self._clock
            # None ahead of the clock: what is written is what would be heard now.
            return max(0, int((time.monotonic() - since) * self.sample_rate) // BLOCK - taken)
        return max(0, self.blocks - -(-self._queued() // BLOCK))

    @property
    def hungry(self) -> bool:
        return self._clock is not None or self._queued() <= max(BLOCK, self.block)

    def missed(self) -> int:
        blocks, self._silent = divmod(self._silent, BLOCK)
        return blocks

    def wait(self) -> float:
        if self._clock is not None:
            return 2 * BLOCK / self.sample_rate
        return max(0.0, (self._queued() / BLOCK - self.blocks + 1.5) * BLOCK / self.sample_rate)

    def write(self, block: np.ndarray) -> None:
        if self._clock is not None:
            since, taken = self._clock
            self._clock = since, taken + 1
            return
        self._queue.append(np.array(block.T))

    def stop(self) -> None:
        self._stopped = True
        _OVER.extend(s for s in (self._stream, self._opened) if s is not None)
        self._stream = self._opened = None
        threading.Thread(target=_end, name="close interface", daemon=True).start()

    def finish(self) -> None:
        pass


def _end() -> None:
    with _LIBRARY:
        _close_old()


def _close_old() -> None:
    while _OVER:
        with contextlib.suppress(Exception):  # it is gone already
            stream = _OVER.popleft()
            stream.abort()
            stream.close()


def find(name: str, channels: int, sample_rate: int) -> int:
    """PortAudio's index of an interface, by index or full name. Raises :class:`Refused`."""
    import sounddevice

    for i, device in enumerate(sounddevice.query_devices()):
        if name in (str(i), full_name(device)) and device["max_output_channels"]:
            most = device["max_output_channels"]
            if most < channels:
                raise refuse("interface-small", f"“{name}” has {most} outputs, not {channels}: use fewer.")
            try:
                sounddevice.check_output_settings(device=i, channels=channels, samplerate=sample_rate, dtype="float32")
            except sounddevice.PortAudioError as error:
                raise refuse("interface-rate", rate_refused(name, sample_rate, error)) from None
            return i
    raise refuse("interface-missing", f"“{name}” is not there: plug it in, or choose another interface.")


def full_name(device: Any) -> str:
    """An interface's name with that of the system it is reached by: two systems may show the same one."""
    import sounddevice

    return f"{device['name']} ({sounddevice.query_hostapis(device['hostapi'])['name']})"


def rate_refused(name: str, sample_rate: int, error: Exception) -> str:
    why = str(error).splitlines()[0][:120]
    return f"“{name}” does not run at {sample_rate / 1000:g} kHz ({why}): set it to that rate, or choose another."
