"""Memory shared by the feeder and the renderers: the order of the log, two rings of sound, a few numbers.

The feeder alone writes the log and the numbers of the device; each renderer writes its own ring, its own
numbers and its own texts. Every record is written so that a reader sees it whole or not at all: its number
is taken away, the record is written, its number is set. Readers look at the number before and after.
"""

from __future__ import annotations

import hashlib
import mmap
import os
import threading
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from upbeat.errors import refuse

BLOCK = 256  # frames
RENDERERS = 2
SAFE_BLOCKS = 2  # between the block that is given next and the first that a press may change
ENTRIES = 8192  # kept of the log; a renderer that starts later begins at a saved state
ENTRY_BYTES = 4096
MOST_ENTRY = ENTRY_BYTES - 24  # bytes of an entry without its numbers
OUTCOMES = 512
OUTCOME_BYTES = 2048
TEXT_BYTES = 256 << 10
_MAGIC = 0x55504355_0001
_FOLDER = Path("/dev/shm")

# Numbers of the head, each an int64.
MAGIC, CHANNELS, RATE, SLOTS = range(4)
COUNT = 4  # entries of the log
WRITTEN = 5  # the next block that the device gets
WRITTEN_NS = 6  # and when the one before was given, by the monotonic clock
HELD = 7  # frames that the device has and has not played
DROPOUTS = 8
LEADER = 9
FEEDER_PID = 10
LOGGED = 11  # output frame up to which the night log is written
GENERATION = 12  # shows that were asked for
PLAYING = 13  # the generation that sounds
BEGAN = 14  # the output frame it began at
RECORDING = 15
TAPS = 16  # how often the taps were changed
UNWRITTEN = 19  # 1 while the night log cannot be written
FAULTS = 20  # spans that could not be rendered
DEVICE = 18  # 1 while the device takes blocks
OWN = 32  # where the numbers of renderer 0 begin; those of renderer 1 follow
PID, HEAD, ALIVE_NS, READY, REFUSED, MOVING, JOINED = range(7)
_OWN_NUMBERS = 16
_HEAD_BYTES = 4096

# Texts: those of renderer 0, those of renderer 1, then the feeder's own.
STATE, SAVED = range(2)
OWN_TEXTS = 2
TAPS_TEXT = RENDERERS * OWN_TEXTS
_TEXTS = TAPS_TEXT + 1


class Behind(Exception):
    """Entries of the log are gone that the reader has not seen."""


class Shared:
    """The memory of one engine. ``ahead_ms``: how much sound each ring holds."""

    def __init__(self, path: Path, channels: int, sample_rate: int, ahead_ms: int, create: bool):
        self.path = path
        self.channels, self.sample_rate = channels, sample_rate
        self.slots = -(-ahead_ms * sample_rate // (1000 * BLOCK)) + 24
        sizes = self._sizes()
        memory = _memory(path, sum(sizes), create)
        self._map = memory
        parts: list[memoryview] = []
        whole, at = memoryview(memory), 0
        for size in sizes:
            parts.append(whole[at : at + size])
            at += size
        self.head = np.frombuffer(parts[0], dtype=np.int64)
        self._entries = np.frombuffer(parts[1], dtype=np.uint8).reshape(ENTRIES, ENTRY_BYTES)
        self._outcomes = np.frombuffer(parts[2], dtype=np.uint8).reshape(OUTCOMES, OUTCOME_BYTES)
        self._texts = np.frombuffer(parts[3], dtype=np.uint8).reshape(_TEXTS, TEXT_BYTES)
        self._rings = [Ring(part, channels, self.slots) for part in parts[4:]]
        self._fence = threading.Lock()
        layout = [_MAGIC, channels, sample_rate, self.slots]
        if create and self.head[:4].tolist() != layout:
            self.head[:] = 0
            self._outcomes[:, :8] = 0
            for ring in self._rings:
                ring.numbers[:] = -1
            self.head[:4] = layout
            self.head[PLAYING] = self.head[DEVICE] = 0

    def _sizes(self) -> list[int]:
        return [
            _HEAD_BYTES,
            ENTRIES * ENTRY_BYTES,
            OUTCOMES * OUTCOME_BYTES,
            _TEXTS * TEXT_BYTES,
            *[Ring.size(self.channels, self.slots)] * RENDERERS,
        ]

    def number(self, name: int) -> int:
        return int(self.head[name])

    def own(self, renderer: int, name: int) -> int:
        return int(self.head[OWN + renderer * _OWN_NUMBERS + name])

    def set_own(self, renderer: int, name: int, value: int) -> None:
        self.head[OWN + renderer * _OWN_NUMBERS + name] = value

    # --- the log: written by the feeder alone -----------------------------------------

    def append(self, frame: int, heard: int, body: bytes) -> int:
        """Add an entry that applies at output frame ``frame``; gives its number, from 1."""
        count = self.number(COUNT)
        row = self._entries[count % ENTRIES]
        row[:24].view(np.int64)[:] = (frame, heard, len(body))
        row[24 : 24 + len(body)] = np.frombuffer(body, dtype=np.uint8)
        with self._fence:
            self.head[COUNT] = count + 1
        return count + 1

    def entries(self, seen: int) -> Iterator[tuple[int, int, int, bytes]]:
        """(number, frame, heard, body) of the entries after the first ``seen``. Raises :class:`Behind`."""
        count = self.number(COUNT)
        if count - seen > ENTRIES - 64:
            raise Behind
        for n in range(seen, count):
            row = self._entries[n % ENTRIES]
            frame, heard, length = row[:24].view(np.int64).tolist()
            yield n + 1, frame, heard, row[24 : 24 + length].tobytes()

    # --- outcomes of entries: written by both renderers alike --------------------------

    def set_outcome(self, number: int, body: bytes) -> None:
        row = self._outcomes[number % OUTCOMES]
        head = row[:16].view(np.int64)
        if int(head[0]) >= number:
            return
        if len(body) > OUTCOME_BYTES - 16:
            return
        head[0] = 0
        row[16 : 16 + len(body)] = np.frombuffer(body, dtype=np.uint8)
        head[1] = len(body)
        with self._fence:
            head[0] = number

    def outcome(self, number: int) -> bytes | None:
        row = self._outcomes[number % OUTCOMES]
        head = row[:16].view(np.int64)
        if int(head[0]) != number:
            return None
        return row[16 : 16 + int(head[1])].tobytes()

    # --- texts ------------------------------------------------------------------------

    def set_text(self, which: int, body: bytes) -> bool:
        """Put a text in place of the one before; False where it is too long to be held."""
        if len(body) > TEXT_BYTES - 16:
            return False
        row = self._texts[which]
        head = row[:16].view(np.int64)
        head[0] += 1  # odd: being written
        with self._fence:
            row[16 : 16 + len(body)] = np.frombuffer(body, dtype=np.uint8)
            head[1] = len(body)
        with self._fence:
            head[0] += 1
        return True

    def text(self, which: int) -> bytes:
        """The newest whole text; empty where there is none."""
        row = self._texts[which]
        head = row[:16].view(np.int64)
        for _ in range(100):
            before, length = int(head[0]), int(head[1])
            body = row[16 : 16 + max(0, min(length, TEXT_BYTES - 16))].tobytes()
            with self._fence:
                if before % 2 == 0 and int(head[0]) == before:
                    return body
        return b""

    def forget_text(self, which: int) -> None:
        """Empty a text, also one whose writer died in the middle of it."""
        head = self._texts[which][:16].view(np.int64)
        head[1] = 0
        head[0] = (int(head[0]) // 2 + 1) * 2

    # --- sound --------------------------------------------------------------------------

    def put(self, renderer: int, block: int, version: int, sound: np.ndarray) -> None:
        """Write a block, float32 (channels, BLOCK), made with the first ``version`` entries of the log."""
        ring = self._rings[renderer]
        i = block % self.slots
        numbers = ring.numbers[i]
        if int(numbers[0]) == block and int(numbers[1]) == version:
            return
        numbers[0] = -1
        with self._fence:
            ring.sound[i] = sound
            numbers[1] = version
        with self._fence:
            numbers[0] = block

    def take(self, renderer: int, block: int, version: int, into: np.ndarray) -> bool:
        """Copy a block out; False where it is not there, or was made with another part of the log."""
        ring = self._rings[renderer]
        i = block % self.slots
        numbers = ring.numbers[i]
        if int(numbers[0]) != block or int(numbers[1]) != version:
            return False
        np.copyto(into, ring.sound[i])
        with self._fence:
            return int(numbers[0]) == block

    def has(self, renderer: int, block: int, version: int) -> bool:
        numbers = self._rings[renderer].numbers[block % self.slots]
        return int(numbers[0]) == block and int(numbers[1]) == version

    def remove(self) -> None:
        """Give the memory back once nobody needs it."""
        self.path.unlink(missing_ok=True)


class Ring:
    """Blocks of one renderer: ``numbers`` (slots, 2) are block and version, ``sound`` (slots, channels, BLOCK)."""

    def __init__(self, memory: memoryview, channels: int, slots: int):
        split = slots * 16
        self.numbers = np.frombuffer(memory[:split], dtype=np.int64).reshape(slots, 2)
        self.sound = np.frombuffer(memory[split:], dtype=np.float32).reshape(slots, channels, BLOCK)

    @staticmethod
    def size(channels: int, slots: int) -> int:
        return slots * (16 + channels * BLOCK * 4)


def path_of(folder: Path) -> Path:
    """Where the memory of the engine with this folder lies; a folder of its own where the machine has no other."""
    name = hashlib.sha256(str(folder.resolve()).encode()).hexdigest()[:16]
    return (_FOLDER if _FOLDER.is_dir() else folder) / f"upbeat-{name}"


def _memory(path: Path, size: int, create: bool) -> mmap.mmap:
    """The file as memory, all of it really there. Raises :class:`Refused`."""
    try:
        handle = os.open(path, os.O_RDWR | (os.O_CREAT if create else 0) | os.O_CLOEXEC, 0o600)
        try:
            if os.fstat(handle).st_size != size:
                if not create:
                    raise OSError("of another size")
                os.ftruncate(handle, 0)
                # A page that cannot be had later would end the process: all are asked for now.
                os.posix_fallocate(handle, 0, size)
            return mmap.mmap(handle, size)
        finally:
            os.close(handle)
    except OSError as error:
        why = error.strerror or str(error)
        raise refuse(
            "memory", f"The engine needs {size >> 20} MB of shared memory and cannot have it ({why}): free some."
        ) from None
