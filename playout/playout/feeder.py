"""The feeder: holds the device and the order of the log, and moves blocks from the rings to the device (rule E4)."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import msgspec
import numpy as np

from playout import checkpoint, commands, order, shared
from playout.devices import Choice, DeviceNow, make_device
from playout.lately import Lately
from playout.processes import is_ours
from playout.recordings import Recordings
from playout.shared import BLOCK, RENDERERS, Shared
from playout.snapshot import refused
from upbeat.errors import Refused, refuse
from upbeat.play.presses import PRESSES

LOAD_PATIENCE_S = 3.0  # for the second renderer, once the first has a show ready
ANSWER_PATIENCE_S = 2.0
BEGIN_BLOCKS = 40  # a show that begins is given a fifth of a second: its first block costs the most
TOO_OLD_S = 0.4  # a press that was made longer ago is never run
REFILL_S = 0.5  # after an entry of the log the ring is filled anew
AT_ONCE = 8  # blocks taken out of a ring at most
SILENT_NS = 250_000_000  # a renderer that has not been seen for so long does not lead

_SILENT = refuse("engine-silent", "The renderers do not answer; they are being started again.")


@dataclass
class _Waiting:
    """A press whose outcome is not there yet."""

    number: int
    client: bytes
    since: float


class Feeder:
    """One device, one log. ``frame`` numbers go on from the process before this one, as time did."""

    def __init__(self, choice: Choice, memory: Shared, recordings: Recordings, wake: Callable[[], None]):
        self.memory, self.recordings, self._wake = memory, recordings, wake
        self.choice, self.device = choice, make_device(choice, memory.sample_rate)
        self._said: tuple[object, ...] = ()  # of the device, last
        self._there = False  # when it was fed last
        self._frames: list[int] = []  # of the entries, in order
        self._dropped = 0  # entries before the first of them
        self._blocks = np.zeros((memory.channels, AT_ONCE, BLOCK), dtype=np.float32)
        self._waiting: list[_Waiting] = []
        self._lately = Lately(TOO_OLD_S)
        self._loading: tuple[int, float] | None = None  # generation, and when the first renderer had it
        self._onto = False  # it takes the place of the show that plays
        self._recovered = -1  # entries of the log when the last show was brought back
        self.short = False  # a block is not there yet that the device does not need yet
        self._appended = -REFILL_S  # when the newest entry came
        self._told_ns = time.monotonic_ns()  # when the state was written that was published last
        self._floor = 0  # presses apply behind what the process before this one gave away
        self._catch_up()

    def _catch_up(self) -> None:
        """Take over the log where the process before this one was."""
        memory = self.memory
        count = memory.number(shared.COUNT)
        kept = min(count, shared.ENTRIES // 2)
        self._dropped = count - kept
        self._frames = [frame for _, frame, _, _ in memory.entries(self._dropped)]
        generation = memory.number(shared.GENERATION)
        if generation > memory.number(shared.PLAYING):
            self._loading = generation, 0.0

    def _go_on(self) -> int:
        """Feed another device: what the one before held is lost, so the next block is the one that is due now.

        Gives the frames that were due since the device was fed last.
        """
        memory, now = self.memory, time.monotonic_ns()
        passed = (now - memory.number(shared.FED_NS)) * memory.sample_rate // 1_000_000_000
        self._floor = max(self._floor, memory.number(shared.WRITTEN) * BLOCK)
        heard = memory.number(shared.WRITTEN) * BLOCK - memory.number(shared.HELD) + passed
        # What this device is given now is heard once what it holds is over.
        due = (heard + self.device.held()) // BLOCK + 1
        memory.head[shared.WRITTEN] = due
        memory.head[shared.HELD], memory.head[shared.FED_NS] = due * BLOCK - heard, now
        return passed

    # --- the device ---------------------------------------------------------------------

    def start(self) -> None:
        """Begin to feed the device, where the one before it or the process before this one would be now."""
        self.device.start()
        if self.memory.number(shared.FED_NS):
            self._count(-(-self._go_on() // BLOCK))
        self._there = self.device.there
        self._say_device()

    def stop(self) -> None:
        self.device.stop()
        self.device.finish()

    def choose(self, choice: Choice) -> None:
        """Go on with another device: the sound comes from it in its place, as soon as it takes some."""
        if choice == self.choice:
            return
        self.memory.head[shared.RECORDING] = 0  # a device finishes its recording when it is stopped
        self.device.stop()
        self.choice, self.device = choice, make_device(choice, self.memory.sample_rate)
        self.start()

    def _say_device(self) -> None:
        """Write down what the device is, where it changed."""
        device, memory = self.device, self.memory
        said = (self.choice, device.there, device.problem)
        if said == self._said:
            return
        self._said = said
        memory.head[shared.DEVICE], memory.head[shared.OUTPUTS] = int(device.there), device.channels
        memory.set_text(shared.DEVICE_TEXT, msgspec.json.encode(DeviceNow(self.choice, device.problem)))
        memory.head[shared.CHOSEN] += 1

    # --- sound ------------------------------------------------------------------------

    def feed(self) -> None:
        """Give the device what it has room for."""
        memory, device, head = self.memory, self.device, self.memory.head
        self.short = False
        self._pass(device.missed())
        room = device.room()
        if device.there and not self._there and head[shared.FED_NS]:
            # It came while time went on without one.
            self._go_on()
            room = device.room()
        self._there = device.there
        while room > 0:
            block, leader = head[shared.WRITTEN], head[shared.LEADER]
            version, alike = self._version(block)
            into = self._blocks[: device.channels, : min(room, alike)]
            taken = memory.take(leader, block, version, into)
            if not taken:
                other = RENDERERS - 1 - leader
                taken = memory.take(other, block, version, into)
                if taken:
                    head[shared.LEADER] = other
                elif head[shared.PLAYING] and not device.hungry:
                    # It is being rendered anew for a press; the device can wait a moment for it.
                    self.short = True
                    break
                else:
                    taken, into[:, 0] = 1, 0
                    self._count(1)
            for k in range(taken):
                device.write(into[:, k])
                head[shared.WRITTEN] += 1
            room -= taken
        held, now = device.held(), time.monotonic_ns()
        heard = head[shared.WRITTEN] * BLOCK - held
        head[shared.HELD], head[shared.FED_NS] = held, now
        head[shared.ZERO_NS] = now - heard * 1_000_000_000 // memory.sample_rate

    def see(self, late_s: float) -> None:
        """Keep for a minute how much sound was in hand while music played, and how late this process was woken since the last time."""
        memory, now = self.memory, time.monotonic()
        leader = memory.number(shared.LEADER)
        if not memory.own(leader, shared.MOVING):
            return
        in_hand = memory.own(leader, shared.HEAD) - memory.number(shared.WRITTEN) * BLOCK
        if now - self._appended < REFILL_S:
            # What was taken back for an entry of the log is no sign of a machine that is busy.
            in_hand = memory.slots * BLOCK
        memory.see(int(now), in_hand, max(0, round(1e9 * late_s)))

    def _pass(self, blocks: int) -> None:
        """Blocks that the device played without us: time has gone on."""
        if blocks:
            self.memory.head[shared.WRITTEN] += blocks
            self._count(blocks)

    def _count(self, blocks: int) -> None:
        """Count blocks that were missing while music played: nobody hears one that is missing in silence."""
        memory = self.memory
        if memory.number(shared.PLAYING) and memory.own(memory.number(shared.LEADER), shared.MOVING):
            memory.head[shared.DROPOUTS] += blocks

    def _version(self, block: int) -> tuple[int, int]:
        """How many entries a block has to be made with, and to how many from it on that applies, at the least."""
        frames, at, alike = self._frames, len(self._frames), AT_ONCE
        while at and frames[at - 1] > block * BLOCK:
            at -= 1
            alike = min(AT_ONCE, -(-frames[at] // BLOCK) - block)
        return self._dropped + at, alike

    # --- the log ----------------------------------------------------------------------

    def append(self, body: order.AnyEntry, later: int = 0) -> tuple[int, int]:
        """Add an entry at the first frame that is still free, or ``later`` blocks after it.

        Gives its number and frame. Raises :class:`Refused` for one that is too long for the log.
        """
        memory, raw = self.memory, order.encoded(body)
        if len(raw) > shared.MOST_ENTRY:
            raise refuse("command-long", f"This has more than {shared.MOST_ENTRY} bytes: use fewer and shorter words.")
        written = memory.number(shared.WRITTEN) * BLOCK
        free = max(written, self._floor) + (shared.SAFE_BLOCKS + later) * BLOCK
        frame = max(free, self._frames[-1] if self._frames else 0)
        heard = max(0, written - self.device.held())
        self._frames.append(frame)
        if len(self._frames) > shared.ENTRIES:
            del self._frames[: shared.ENTRIES // 2]
            self._dropped += shared.ENTRIES // 2
        number = memory.append(frame, heard, raw)
        self._appended = time.monotonic()
        self._wake()
        return number, frame

    def tend(self) -> None:
        """Between two blocks: a show that is ready begins, a leader that is silent leads no more, a device that went is told."""
        self._say_device()
        memory = self.memory
        now = time.monotonic_ns()
        leader = memory.number(shared.LEADER)
        other = RENDERERS - 1 - leader
        leads = memory.own(leader, shared.JOINED) and now - memory.own(leader, shared.ALIVE_NS) < SILENT_NS
        if not leads and memory.own(other, shared.JOINED) and now - memory.own(other, shared.ALIVE_NS) < SILENT_NS:
            memory.head[shared.LEADER] = other
        self._begin_when_ready()

    def _begin_when_ready(self) -> None:
        if self._loading is None:
            return
        generation, first = self._loading
        memory, now = self.memory, time.monotonic()
        alive = [r for r in range(RENDERERS) if time.monotonic_ns() - memory.own(r, shared.ALIVE_NS) < SILENT_NS]
        if any(memory.own(r, shared.REFUSED) == generation for r in range(RENDERERS)):
            self._loading = None
            return
        ready = [r for r in range(RENDERERS) if memory.own(r, shared.READY) == generation]
        if not ready:
            return
        first = first or now
        self._loading = generation, first
        if all(r in ready for r in alive) or now - first > LOAD_PATIENCE_S:
            self._loading = None
            if memory.number(shared.LEADER) not in ready:
                memory.head[shared.LEADER] = ready[0]
            _, frame = self.append(order.BeginEntry(generation), later=BEGIN_BLOCKS)
            memory.head[shared.PLAYING] = generation
            if not self._onto:
                memory.head[shared.BEGAN] = frame
                memory.head[shared.DROPOUTS] = 0

    # --- commands ---------------------------------------------------------------------

    def answer(self, client: bytes, raw: bytes) -> bytes | None:
        """The answer to a control message; None where it comes later (:meth:`answers`)."""
        try:
            return self._handle(client, commands.read_command(raw))
        except Refused as no:
            return msgspec.json.encode(refused(*no.problems))
        except OSError as error:
            said_no = refuse("file-system", f"The disk said no: {error.strerror or error}.")
            return msgspec.json.encode(refused(*said_no.problems))

    def _handle(self, client: bytes, command: commands.AnyCommand) -> bytes | None:
        memory = self.memory
        match command:
            case commands.Ping():
                return _ok(device=self.choice.name, channels=self.device.channels, pid=memory.number(shared.FEEDER_PID))
            case commands.GiveBack():
                return self._give_back()
            case commands.ChooseDevice():
                self.choose(command.choice)
                return _ok(device=command.choice.name)
            case commands.GetState():
                # One that has just taken the lead has not told its own yet, or has one of when it led before.
                newest = sorted(range(RENDERERS), key=lambda r: -memory.own(r, shared.SAID_NS))
                states = (memory.text(r * shared.OWN_TEXTS + shared.STATE) for r in newest)
                state = next((s for s in states if s), b"")
                if not state:
                    raise refuse("engine-starting", "The engine is starting: ask again in a moment.")
                return b'{"ok":true,"state":' + state + b"}"
            case commands.Load():
                return self._load(command)
            case commands.PressCommand():
                return self._press(client, command)
            case commands.Taps():
                memory.set_text(shared.TAPS_TEXT, msgspec.json.encode(command.feeds))
                memory.head[shared.TAPS] += 1
                return _ok(feeds=command.feeds)
            case commands.Record():
                return self.recordings.turn(command, self.device, memory)

    def _load(self, command: commands.Load) -> bytes:
        memory = self.memory
        self._begin_when_ready()  # one that was just refused is being loaded no more
        recover = command.recover is not None
        if command.onto:
            self._refuse_other(command)
        elif not recover and memory.own(memory.number(shared.LEADER), shared.MOVING):
            raise refuse("load-playing", "A song is playing: stop it before another show is loaded.")
        # Both renderers ask for the last show: it is brought back once.
        again = command.recover is not None and (command.recover <= self._recovered or self._is_there())
        if self._loading is not None or again:
            raise refuse("load-loading", "A show is being loaded already: wait for it.")
        if recover:
            self._recovered = memory.number(shared.COUNT)
            memory.head[shared.PLAYING] = 0
            self.append(order.LeaveEntry())
        generation = memory.number(shared.GENERATION) + 1
        self.append(
            order.LoadEntry(
                generation=generation,
                folder=command.folder,
                show=command.show,
                band=command.band,
                asked_at=time.time(),
                entry=command.entry,
                place=command.place,
                hand=command.hand,
                tonight=command.tonight,
                recover=recover,
                onto=command.onto,
                kept=command.kept,
            )
        )
        memory.head[shared.GENERATION] = generation
        self._loading, self._onto = (generation, 0.0), command.onto
        return _ok(loading=command.show, generation=generation)

    def _is_there(self) -> bool:
        """Whether a renderer that lives has the show that sounds."""
        memory, playing = self.memory, self.memory.number(shared.PLAYING)
        return playing > 0 and any(
            memory.own(r, shared.READY) >= playing and is_ours(memory.own(r, shared.PID)) for r in range(RENDERERS)
        )

    def _refuse_other(self, command: commands.Load) -> None:
        """Raise :class:`Refused` where what is to be taken in is not the show that is loaded."""
        loaded = checkpoint.kept(self.memory)
        if loaded is None or (loaded.last.show, loaded.last.band) != (command.show, command.band):
            raise refuse("onto-other", "Another show is loaded, or none: take this one to the stage first.")
        # What sounds on is told from the changed show by its folder.
        if command.folder in (loaded.last.folder, *(k.folder for k in loaded.last.kept)):
            raise refuse("onto-same", "This folder is loaded already: write the changed show into one of its own.")

    def _give_back(self) -> bytes:
        memory = self.memory
        if memory.own(memory.number(shared.LEADER), shared.MOVING):
            raise refuse("load-playing", "A song is playing: stop it before the show is given back.")
        if self._loading is not None:
            raise refuse("load-loading", "A show is being loaded already: wait for it.")
        memory.head[shared.PLAYING] = 0
        self.append(order.LeaveEntry(given_back=True))
        return _ok()

    def _press(self, client: bytes, command: commands.PressCommand) -> bytes | None:
        late = 0.0 if command.made is None else time.monotonic() - command.made
        if late > TOO_OLD_S:
            raise refuse("press-old", f"That press was on its way for {late:.1f} s and was not run: press again.")
        if not self.memory.number(shared.PLAYING):
            raise refuse("no-show", "No show is loaded: take one to the stage first.")
        if command.press not in PRESSES:
            raise refuse("press-unknown", f"There is no press called “{command.press}”.")
        self._lately.take((client, command.by), time.monotonic() - max(0.0, late))
        number, _ = self.append(order.PressEntry(command.press, command.args or {}, command.by))
        self._waiting.append(_Waiting(number, client, time.monotonic()))
        return None

    def answers(self) -> list[tuple[bytes, bytes]]:
        """(client, answer) for the presses whose outcome has come."""
        found, kept = [], []
        now = time.monotonic()
        for waiting in self._waiting:
            outcome = self.memory.outcome(waiting.number)
            if outcome is None and now - waiting.since < ANSWER_PATIENCE_S:
                kept.append(waiting)
                continue
            found.append((waiting.client, outcome or msgspec.json.encode(refused(*_SILENT.problems))))
        self._waiting = kept
        return found

    def new_state(self) -> bytes:
        """What the leader has written of the state since the last asking; empty where nothing."""
        leader = self.memory.number(shared.LEADER)
        said_ns = self.memory.own(leader, shared.SAID_NS)
        if said_ns <= self._told_ns:
            return b""  # one that has just taken the lead has what it said when it led before
        self._told_ns = said_ns
        return self.memory.text(leader * shared.OWN_TEXTS + shared.STATE)

    @property
    def waiting(self) -> bool:
        return bool(self._waiting)


def _ok(**fields: Any) -> bytes:
    return msgspec.json.encode({"ok": True, **fields})
