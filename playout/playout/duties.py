"""What the leading renderer does besides its sound: states, taps, meters, the night log, the place to come back to."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable
from typing import NamedTuple, cast

import msgspec

from playout import order, shared
from playout.ahead import Ahead, Sound
from playout.catching_up import OLD_S, Base, write_base
from playout.checkpoint import checkpoint, keep
from playout.devices import DeviceNow
from playout.load import Load
from playout.meters import Meters
from playout.night_log import Begun, NightLog
from playout.offering import Offering
from playout.processes import is_ours
from playout.session import Session
from playout.shared import BLOCK, Read, Shared
from playout.snapshot import (
    DeviceState,
    EmptyState,
    EngineState,
    LastPress,
    LoadAnswer,
    Sounding,
    empty_state,
    engine_state,
)
from playout.wire import pack_tap
from upbeat.mix.sources.stems import StemPeaks
from upbeat.play.advance import Span
from upbeat.play.events import Event, record

STATE_S = 0.047  # from state to state: at least twenty a second, though a sleep ends late
LONGEST_WORD_S = 2
SAVED_EVERY_S = 30.0
UNLOGGED_S = 60  # how long what was heard is kept for the log


class Told(NamedTuple):
    """The ways to the others: taps by their topic, and a state that is too long for the memory they share; messages that
    come, to the process of the ports.
    """

    publish: Callable[[bytes, bytes], None]
    offer: Callable[[bytes], object]


class Duties:
    """Done by the renderer that leads, for what is heard; the other one keeps up to take over."""

    def __init__(self, memory: Shared, index: int, ahead: Ahead, log: NightLog, told: Told):
        self.memory, self.index, self.ahead, self.log, self.publish = memory, index, ahead, log, told.publish
        self._device = Read(memory, shared.DEVICE_TEXT, DeviceNow)
        self._load = Read(memory, shared.LOAD_TEXT, msgspec.Raw)  # published as it is
        self._meters = Meters(memory.channels)
        self._written = 0  # output frame up to which the log has been given its events
        self._metered = 0  # and the meters and taps theirs
        self._last_state = 0.0
        self._last_press: LastPress | None = None
        self._read_entry = 0
        self._kept_of = 0  # the generation whose place was kept last
        self._dropouts = memory.number(shared.DROPOUTS)
        self._bases: deque[Base] = deque()
        self.load_answer: LoadAnswer | None = None
        self.loads = ahead.loads
        self._offering = Offering(ahead, told.offer)

    def heard(self) -> int:
        """The output frame that is audible now."""
        memory = self.memory
        written = memory.number(shared.WRITTEN) * BLOCK
        since = (time.monotonic_ns() - memory.number(shared.FED_NS)) * memory.sample_rate // 1_000_000_000
        return min(written, written - memory.number(shared.HELD) + max(0, since))

    def rest_s(self) -> float:
        """Seconds until the next state is due."""
        return max(0.0, self._last_state + STATE_S - time.monotonic())

    def step(self, changed: bool) -> None:
        """Do what is due; ``changed``: a press was applied, and its state is published before it is answered."""
        heard = self.heard()
        if changed:
            self._last_state = 0.0
        leads = self.memory.number(shared.LEADER) == self.index
        self._save_bases(heard)
        moved = leads and self._hear(heard)
        session = self.ahead.session
        begun = session is not None and session.generation != self._kept_of
        if changed or moved or begun:
            self._keep_place(heard, leads)
        self._offering.step(leads, heard)
        if leads:
            self._say(heard)
        # Where the disk takes nothing, what was heard is not kept for ever.
        kept_for = UNLOGGED_S * self.memory.sample_rate
        self.ahead.forget(heard, min(heard, max(self.memory.number(shared.LOGGED), heard - kept_for)))

    # --- what was heard ----------------------------------------------------------------

    def _hear(self, heard: int) -> bool:
        """Log and measure what was heard since the last time; whether the show has moved on."""
        begin = max(self._written, self.memory.number(shared.LOGGED))
        if heard <= begin or not self._may_write(heard):
            return False
        for sound in self.ahead.sounds:
            if sound.start >= heard:
                break
            self._hear_sound(sound, heard)
        changed = self._log_entries(begin, heard)
        for span in self.ahead.spans:
            if span.start >= heard:
                break
            changed = self._log_span(span.session, span.span, begin, heard) or changed
        changed = self._log_dropouts(heard) or changed
        self._written = heard
        self.log.heard(heard)
        if changed:
            session = self.ahead.session
            if session is not None and session.state.music.entry != self._read_entry:
                self._read_entry = session.state.music.entry
                session.read_ahead(self._read_entry)
            self._last_state = 0.0
        return changed

    def _may_write(self, heard: int) -> bool:
        """Say that all up to a frame is written down here; False where the one that has led until now is at it.

        It is said before it is seen who leads: of two that each take themselves for the leader one sees the other.
        """
        memory, other = self.memory, shared.RENDERERS - 1 - self.index
        before = memory.own(self.index, shared.TO_LOG)
        memory.set_own(self.index, shared.TO_LOG, heard)
        theirs = memory.own(other, shared.TO_LOG) > memory.number(shared.LOGGED)
        if memory.number(shared.LEADER) == self.index and not (
            theirs and _lives(memory, other) and is_ours(memory.own(other, shared.PID))
        ):
            return True
        memory.set_own(self.index, shared.TO_LOG, before)
        return False

    def _hear_sound(self, sound: Sound, heard: int) -> None:
        a, b = max(0, self._metered - sound.start), min(heard, sound.end) - sound.start
        if a >= b:
            return
        self._meters.push(sound.sockets, a, b)
        for tap, rows in sound.taps.items():
            self.publish(b"tap:" + tap.encode(), pack_tap(sound.start + a, rows[:, a:b]))
        self._metered = sound.start + b

    def _log_span(self, session: Session | None, span: Span | None, begin: int, heard: int) -> bool:
        if session is None or span is None or session.generation not in self.loads:
            return False
        changed = False
        for event in span.logged():
            if begin <= event.frame + session.origin < heard:
                self.log.add(self._begun(session.generation, session.origin), record(event))
                changed = True
        return changed

    def _log_dropouts(self, heard: int) -> bool:
        """Blocks that were not there when the device needed them."""
        count = self.memory.number(shared.DROPOUTS)
        blocks, self._dropouts = count - self._dropouts, count
        session = self.ahead.session
        if blocks <= 0 or session is None or session.generation not in self.loads:
            return False
        frame = max(0, heard - session.origin)
        show = self._begun(session.generation, session.origin)
        self.log.add(show, {"frame": frame, "kind": "dropout", "blocks": blocks})
        return True

    def _log_entries(self, begin: int, heard: int) -> bool:
        changed = False
        for entry in self.ahead.entries:
            if not begin <= entry.frame < heard:
                continue
            changed = True
            self._log_entry(entry)
        return changed

    def _log_entry(self, entry: order.Entry) -> None:
        body = entry.body
        if isinstance(body, order.LeaveEntry) and body.given_back:
            self.log.given_back()
        elif isinstance(body, order.BeginEntry):
            load = self.loads.get(body.generation)
            if load is not None and load.onto:
                self._log_taken_in(load, entry)
            elif load is not None:
                self.log.opened(self._begun(load.generation, entry.frame))
        elif isinstance(body, order.PressEntry):
            sounding = self.ahead.sounding(entry.number)
            if sounding is None or sounding[0] not in self.loads:
                return
            generation, origin = sounding
            outcome = msgspec.json.decode(self.memory.outcome(entry.number) or b"{}")
            if outcome.get("ok"):
                self._last_press = msgspec.convert({**outcome, "args": body.args, "by": body.by}, LastPress)
            self.log.add(
                self._begun(generation, origin),
                {
                    **({"marked": outcome["marked"]} if "marked" in outcome else {}),
                    "n": entry.number,
                    "frame": entry.frame - origin,
                    "kind": "press",
                    "press": body.press,
                    "args": body.args,
                    "heard": max(0, entry.heard - origin),
                    "by": body.by,
                    "accepted": outcome.get("accepted"),
                    "message": outcome.get("message", ""),
                },
            )

    def _log_taken_in(self, load: order.LoadEntry, entry: order.Entry) -> None:
        """Changes were taken in: the night goes on, and after a crash it is the changed show that comes back."""
        before = self.ahead.sounding(entry.number)
        if before is not None:
            begun = self._begun(load.generation, before[1])
            self.log.opened(begun)
            line = {"n": entry.number, "frame": entry.frame - before[1], "kind": "taken_in"}
            self.log.add(begun, {**line, "folder": load.folder, "generation": load.generation})

    def _begun(self, generation: int, origin: int) -> Begun:
        sessions = (k.session for k in self.ahead.kept)
        title = next((s.ready.show.title for s in sessions if s is not None and s.generation == generation), "")
        return Begun(self.loads[generation], title, origin, self.memory.sample_rate)

    def _keep_place(self, heard: int, leads: bool) -> None:
        """Keep the place to come back to, with what was pressed and is not heard yet."""
        frame = max(heard, self.ahead.free())
        session, state = self.ahead.state_at(frame)
        if session is None or state is None or session.generation not in self.loads:
            return
        self._kept_of = session.generation
        at = checkpoint(self.loads[session.generation], session, state, frame)
        keep(self.memory, self.index, at)
        if leads:
            self.log.checkpoint(at)

    # --- states -------------------------------------------------------------------------

    def _say(self, heard: int) -> None:
        now = time.monotonic()
        if now - self._last_state < STATE_S - 0.002:  # a sleep may end a little early
            return
        self._last_state = now
        body = msgspec.json.encode(self.state(heard))
        if not self.memory.set_text(self.index * shared.OWN_TEXTS + shared.STATE, body):
            self.publish(b"state", body)
            return
        self.memory.set_own(self.index, shared.SAID_NS, time.monotonic_ns())

    def state(self, heard: int) -> EngineState | EmptyState:
        """The state as it is heard, with what a press made now would find."""
        memory, head = self.memory, self.memory.head
        session, state = self.ahead.state_at(max(heard, self.ahead.free()))
        memory.set_own(self.index, shared.MOVING, int(state is not None and state.music.run is not None))
        generation = head[shared.GENERATION]
        loading = self.loads.get(generation) if generation > head[shared.PLAYING] else None
        loading = None if loading is not None and loading.onto else loading
        refused = any(memory.own(r, shared.REFUSED) == generation for r in range(shared.RENDERERS))
        device = self._device.now()
        outputs = head[shared.OUTPUTS]
        said: DeviceState = {
            "show": session.show if session else None,
            "band": session.band if session else "",
            "loading": loading.show if loading and not refused else None,
            "load_answer": self.load_answer,
            "device": device.choice.name if device else "",
            "block": device.choice.block if device else BLOCK,
            "buffer": device.choice.blocks if device else 0,
            "channels": outputs,
            "dropouts": head[shared.DROPOUTS],
            "latency_ms": round(1000 * head[shared.HELD] / memory.sample_rate, 1),
            "recording": bool(head[shared.RECORDING]),
            "last_press": self._last_press,
            "ring_ms": round(1000 * (self.ahead.head - head[shared.WRITTEN] * BLOCK) / memory.sample_rate),
            "renderers": sum(_alive(memory, r) for r in range(shared.RENDERERS)),
            "unwritten": bool(head[shared.UNWRITTEN]),
            "faults": head[shared.FAULTS],
            "device_there": bool(head[shared.DEVICE]),
            "device_problem": device.problem if device else "",
            "load": cast(Load | None, self._load.now()),
        }
        said["peak"], said["rms"] = self._meters.read(outputs)
        if session is None or state is None:
            return empty_state(said)
        sounding = self._sounding(session, heard - session.origin)
        return engine_state(said, session, state, session.generation, heard - session.origin, sounding)

    def _sounding(self, session: Session, heard: int) -> Sounding:
        """What sounds at a frame of the session: the stems of its span, clicks and words that may."""
        oldest = heard - LONGEST_WORD_S * self.memory.sample_rate
        stems: list[StemPeaks] = []
        events: list[Event] = []
        for planned in self.ahead.spans:
            span = planned.span
            if planned.session is session and span is not None and span.start <= heard and oldest < span.end:
                events += span.events
                stems = planned.stems
        return Sounding(stems, events)

    # --- bases --------------------------------------------------------------------------

    def _save_bases(self, heard: int) -> None:
        if not self.ahead.kept:
            return
        kept = self.ahead.kept[0]
        session = kept.session
        if session is None or kept.point is None:
            return
        rate = self.memory.sample_rate
        newest = self._bases[-1] if self._bases else None
        load = self.loads.get(session.generation)
        if load is None:
            return
        if newest is None or newest.load.generation != session.generation:
            self._bases.clear()
            # The newest kept point may lie behind it: the show is made from its beginning on.
            write_base(self.memory, self.index, Base(load, session.origin, *session.start))
            self._bases.append(Base(load, session.origin, kept.head, kept.applied, kept.point.state))
        elif kept.head - newest.frame > SAVED_EVERY_S * rate:
            self._bases.append(Base(load, session.origin, kept.head, kept.applied, kept.point.state))
            old = [b for b in self._bases if b.frame < heard - OLD_S * rate]
            if old:
                write_base(self.memory, self.index, old[-1])
                while self._bases[0] is not old[-1]:
                    self._bases.popleft()


def _alive(memory: Shared, renderer: int) -> bool:
    """Whether a renderer has the show that sounds, and is there."""
    ready = memory.own(renderer, shared.READY) >= memory.number(shared.PLAYING)
    return ready and _lives(memory, renderer)


def _lives(memory: Shared, renderer: int) -> bool:
    """Whether a renderer was there a moment ago."""
    return time.monotonic_ns() - memory.own(renderer, shared.ALIVE_NS) < 500_000_000
