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
from typing import Generic, TypeVar

import msgspec
import numpy as np

from upbeat import limits
from upbeat.errors import refuse

BLOCK = 256  # frames
SOCKETS = int(limits.SOCKETS.high)  # that a ring has room for, whatever the device of the moment has
RENDERERS = 2
LONGEST = 64  # blocks rendered at once at most
SAFE_BLOCKS = 2  # between the block that is given next and the first that a press may change
ENTRIES = 8192  # kept of the log; a renderer that starts later begins at a saved state
ENTRY_BYTES = 4096
MOST_ENTRY = ENTRY_BYTES - 24  # bytes of an entry without its numbers
OUTCOMES = 512
OUTCOME_BYTES = 2048
TEXT_BYTES = 256 << 10
_TEXT_NUMBERS = TEXT_BYTES // 8
_MAGIC = 0x55504355_0001
_FOLDER = Path("/dev/shm")

# Numbers of the head, each an int64.
MAGIC, CHANNELS, RATE, SLOTS = range(4)  # CHANNELS: sockets of a ring
COUNT = 4  # entries of the log
WRITTEN = 5  # the next block that the device gets
FED_NS = 6  # when the device was last looked after, by the monotonic clock
HELD = 7  # frames that it had then and had not played; below 0 where it stood still
DROPOUTS = 8
LEADER = 9
FEEDER_PID = 10
LOGGED = 11  # output frame up to which the night log is written
GENERATION = 12  # shows that were asked for
PLAYING = 13  # the generation that sounds
BEGAN = 14  # the output frame it began at
RECORDING = 15
TAPS = 16  # how often the taps were changed
HURRIED = 17  # 1 where the parts run before other programs
UNWRITTEN = 19  # 1 while the night log cannot be written
FAULTS = 20  # spans that could not be rendered
DEVICE = 18  # 1 while the device takes blocks
CHOSEN = 21  # how often what is said of the device was changed
OUTPUTS = 22  # of the device
ZERO_NS = 23  # when the first frame would have been heard, by what the device says now (monotonic clock)
OWN = 32  # where the numbers of renderer 0 begin; those of renderer 1 follow
PID, HEAD, ALIVE_NS, READY, REFUSED, MOVING, JOINED, SAID_NS = range(8)  # SAID_NS: when its state was written
TO_LOG = 8  # output frame up to which it has given the night log its lines
_OWN_NUMBERS = 16
SECONDS = 128  # where what was seen in each of the last 64 seconds begins: three numbers each
SECOND, LEAST, LATE_NS = range(3)  # which second it was, the least that was in hand (frames), the latest waking
_SEEN = 64
_HEAD_BYTES = 4096

# Texts: those of renderer 0, those of renderer 1, then the feeder's own.
STATE, SAVED, PLACE = range(3)
OWN_TEXTS = 3
TAPS_TEXT = RENDERERS * OWN_TEXTS
DEVICE_TEXT, LOAD_TEXT = TAPS_TEXT + 1, TAPS_TEXT + 2
_TEXTS = LOAD_TEXT + 1


Kind = TypeVar("Kind")


class Behind(Exception):
    """Entries of the log are gone that the reader has not seen."""


class Shared:
    """The memory of one engine. ``ahead_ms``: how much sound each ring holds."""

    def __init__(self, path: Path, sample_rate: int, ahead_ms: int, create: bool, channels: int = SOCKETS):
        self.path = path
        self.channels, self.sample_rate = channels, sample_rate
        self.slots = -(-ahead_ms * sample_rate // (1000 * BLOCK)) + LONGEST + 16
        sizes = self._sizes()
        memory = _memory(path, sum(sizes), create)
        self._map = memory
        parts: list[memoryview] = []
        whole, at = memoryview(memory), 0
        for size in sizes:
            parts.append(whole[at : at + size])
            at += size
        self.head = parts[0].cast("q")  # one number costs less so than by numpy
        self._entries = np.frombuffer(parts[1], dtype=np.uint8).reshape(ENTRIES, ENTRY_BYTES)
        self._outcomes = np.frombuffer(parts[2], dtype=np.uint8).reshape(OUTCOMES, OUTCOME_BYTES)
        self._texts, self._text_numbers = parts[3], parts[3].cast("q")
        self._rings = [Ring(part, channels, self.slots) for part in parts[4:]]
        self._fence = threading.Lock()
        layout = [_MAGIC, channels, sample_rate, self.slots]
        if create and self.head[:4].tolist() != layout:
            parts[0][:] = bytes(_HEAD_BYTES)
            self._outcomes[:, :8] = 0
            for ring in self._rings:
                ring.numbers[:] = -1
            for name, number in enumerate(layout):
                self.head[name] = number
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
        return self.head[name]

    def own(self, renderer: int, name: int) -> int:
        return self.head[OWN + renderer * _OWN_NUMBERS + name]

    def set_own(self, renderer: int, name: int, value: int) -> None:
        self.head[OWN + renderer * _OWN_NUMBERS + name] = value

    # --- what the feeder sees, second by second -----------------------------------------

    def see(self, second: int, in_hand: int, late_ns: int) -> None:
        """Keep the least that was in hand in a second, in frames, and the latest waking."""
        at, head = SECONDS + second % _SEEN * 3, self.head
        if head[at + SECOND] != second:
            head[at + SECOND], head[at + LEAST], head[at + LATE_NS] = second, in_hand, late_ns
            return
        if in_hand < head[at + LEAST]:
            head[at + LEAST] = in_hand
        if late_ns > head[at + LATE_NS]:
            head[at + LATE_NS] = late_ns

    def seen(self, since: int) -> tuple[int, int] | None:
        """(least frames in hand, latest waking in ns) from second ``since`` on; None where nothing was seen."""
        rows = np.asarray(self.head[SECONDS : SECONDS + 3 * _SEEN]).reshape(_SEEN, 3)
        rows = rows[rows[:, SECOND] >= since]
        return (int(rows[:, LEAST].min()), int(rows[:, LATE_NS].max())) if len(rows) else None

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

    # --- texts: a count that is odd while one is written, its length, its bytes ---------

    def set_text(self, which: int, body: bytes) -> bool:
        """Put a text in place of the one before; False where it is too long to be held."""
        if len(body) > TEXT_BYTES - 16:
            return False
        numbers, count, begin = self._text_numbers, which * _TEXT_NUMBERS, which * TEXT_BYTES + 16
        numbers[count] = numbers[count] // 2 * 2 + 1  # odd also where one that died has left it so
        with self._fence:
            self._texts[begin : begin + len(body)] = body
            numbers[count + 1] = len(body)
        with self._fence:
            numbers[count] += 1
        return True

    def written(self, which: int) -> int:
        """A number that is another one once a text was written anew."""
        return self._text_numbers[which * _TEXT_NUMBERS]

    def text(self, which: int) -> bytes:
        """The newest whole text; empty where there is none."""
        numbers, count, begin = self._text_numbers, which * _TEXT_NUMBERS, which * TEXT_BYTES + 16
        for _ in range(100):
            before, length = numbers[count], numbers[count + 1]
            body = bytes(self._texts[begin : begin + max(0, min(length, TEXT_BYTES - 16))])
            with self._fence:
                if before % 2 == 0 and numbers[count] == before:
                    return body
        return b""

    def forget_text(self, which: int) -> None:
        """Empty a text, also one whose writer died in the middle of it."""
        numbers, count = self._text_numbers, which * _TEXT_NUMBERS
        numbers[count + 1] = 0
        numbers[count] = (numbers[count] // 2 + 1) * 2

    # --- sound --------------------------------------------------------------------------

    def put(self, renderer: int, block: int, version: int, sound: np.ndarray) -> None:
        """Write blocks from ``block`` on, made with the first ``version`` entries of the log.

        ``sound``: float32 (rows, frames), whole blocks; sockets from ``rows`` on are silent in them.
        """
        ring, rows, count = self._rings[renderer], len(sound), sound.shape[1] // BLOCK
        done = 0
        while done < count:
            i = (block + done) % self.slots
            n = min(count - done, self.slots - i)
            numbers, part = ring.numbers[i : i + n], sound[:, done * BLOCK : (done + n) * BLOCK]
            numbers[:, 0] = -1
            with self._fence:
                ring.sound[i : i + n, :rows] = part.reshape(rows, n, BLOCK).swapaxes(0, 1)
                numbers[:, 1], numbers[:, 2] = version, rows
            with self._fence:
                numbers[:, 0] = np.arange(block + done, block + done + n)
            done += n

    def take(self, renderer: int, block: int, version: int, into: np.ndarray) -> int:
        """Copy the first rows of blocks from ``block`` on into (rows, blocks, BLOCK), and give how many.

        It ends at the first that is not there, or was made with another part of the log.
        """
        ring = self._rings[renderer]
        i = block % self.slots
        most = min(into.shape[1], self.slots - i)
        count, rows = ring.alike(i, block, version, most), min(ring.own[3 * i + 2], len(into))
        if not count:
            return 0
        into[:rows, :count] = ring.sound[i : i + count, :rows].swapaxes(0, 1)
        if rows < len(into):
            into[rows:, :count] = 0
        with self._fence:
            return ring.alike(i, block, version, count)

    def remove(self) -> None:
        """Give the memory back once nobody needs it."""
        self.path.unlink(missing_ok=True)


class Read(Generic[Kind]):
    """A text of the memory as typed data, decoded again when it changes."""

    def __init__(self, memory: Shared, which: int, kind: type[Kind]):
        self._memory, self._which = memory, which
        self._decoder = msgspec.json.Decoder(kind)
        self._read = 0
        self._now: Kind | None = None

    def now(self) -> Kind | None:
        """None where there is none yet."""
        written = self._memory.written(self._which)
        if written != self._read:
            text = self._memory.text(self._which)
            self._now = self._decoder.decode(text) if text else None
            self._read = written
        return self._now


class Ring:
    """Blocks of one renderer: ``numbers`` (slots, 3) are block, version and rows, ``sound`` (slots, channels, BLOCK).

    ``own``: the numbers once more, one after another.
    """

    def __init__(self, memory: memoryview, channels: int, slots: int):
        split = slots * 24
        self.own = memory[:split].cast("q")
        self.numbers = np.frombuffer(memory[:split], dtype=np.int64).reshape(slots, 3)
        self.sound = np.frombuffer(memory[split:], dtype=np.float32).reshape(slots, channels, BLOCK)

    def alike(self, i: int, block: int, version: int, most: int) -> int:
        """How many slots from ``i`` on hold the blocks from ``block`` on, of one version and with as many rows as the first."""
        own, count = self.own, 0
        while count < most:
            at = 3 * (i + count)
            if own[at] != block + count or own[at + 1] != version or own[at + 2] != own[3 * i + 2]:
                break
            count += 1
        return count

    @staticmethod
    def size(channels: int, slots: int) -> int:
        return slots * (24 + channels * BLOCK * 4)


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
