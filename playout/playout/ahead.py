"""Rendering ahead of what is heard, and taking it back where an entry of the log comes (rules E1 to E3)."""

from __future__ import annotations

import time
import traceback
from bisect import bisect_right
from collections import deque
from typing import Any, NamedTuple

import msgspec
import numpy as np

from playout import order, shared
from playout.loading import Loaded, Loader
from playout.session import Point, Session, Start
from playout.shared import BLOCK, Shared
from upbeat.mix.sources.stems import StemPeaks
from upbeat.play.advance import Span
from upbeat.play.runs import fits
from upbeat.play.state import State, standing_by, stopped_at

#: Seconds that a span may take to be rendered where there is time: a long one costs less, but a press has up to one
#: rendered anew, and is to be heard two blocks later.
LONG_S = 0.003
LEAST, MOST = 16, shared.LONGEST  # blocks of such a span
SHORT = 2 * BLOCK  # frames rendered at once while what is wanted next is not there yet
CLOSE_BLOCKS = 6  # in hand; with fewer, spans are short


class Kept(NamedTuple):
    """Where everything was at output frame ``head``, once the first ``applied`` entries were applied."""

    head: int
    applied: int
    session: Session | None
    point: Point | None


class Planned(NamedTuple):
    """What happens in output frames ``start`` to ``end``. ``stems``: how loud they are, in frames of the session."""

    start: int
    end: int
    session: Session | None
    span: Span | None
    stems: list[StemPeaks]


class Sound(NamedTuple):
    """What the sockets and the taps get in output frames ``start`` to ``end``, float32 (rows, frames)."""

    start: int
    end: int
    sockets: np.ndarray
    taps: dict[str, np.ndarray]


class Ahead:
    """The next ``ahead`` frames of sound, in the ring of renderer ``index``.

    What sounds at a frame follows from the shows and the entries of the log up to it, from nothing else.
    ``loader``: makes a show ready on another thread; ``loaded`` then has it. ``loads``: what was asked to be loaded, by
    generation.
    """

    def __init__(self, memory: Shared, index: int, ahead: int, loader: Loader):
        self.memory, self.index, self.ahead = memory, index, ahead
        self._loader = loader
        self.loads: dict[int, order.LoadEntry] = {}
        self.loaded: dict[int, Loaded] = {}
        self.entries: list[order.Entry] = []
        self._frames: list[int] = []
        self._first = 0  # entries of the log before the first of ``entries``
        self.applied = 0
        self.head = 0
        self._block_s = LONG_S / 16  # to render a block, as the last long spans took
        self.session: Session | None = None
        self.kept: deque[Kept] = deque()
        self.spans: deque[Planned] = deque()
        self.sounds: deque[Sound] = deque()
        self.outcomes: deque[tuple[int, bytes, float]] = deque()
        #: The earliest frame from which on it was rendered anew since somebody has asked.
        self.taken_back: int | None = None
        self._asked = 0

    # --- the log ----------------------------------------------------------------------

    def start_reading(self) -> None:
        """Know the log as far back as it is kept."""
        memory = self.memory
        self._first = max(0, memory.number(shared.COUNT) - shared.ENTRIES // 2)
        self._asked = memory.number(shared.PLAYING)
        self.entries = [order.decoded(*e) for e in memory.entries(self._first)]
        self._frames = [e.frame for e in self.entries]
        waiting = order.not_begun(e.body for e in self.entries)
        if waiting is not None and waiting.generation > self._asked:
            self._asked = waiting.generation
            self._begin_loading(waiting)

    def _begin_loading(self, entry: order.LoadEntry) -> None:
        self.loads[entry.generation] = entry
        self._loader.begin(entry)

    def stand_at(self, frame: int, session: Session | None, applied: int | None = None) -> None:
        """Go on from an output frame, with a session that is there."""
        self.head, self.session = frame, session
        self.applied = self.version(frame) if applied is None else applied
        self.kept.clear()
        self.spans.clear()
        self.sounds.clear()

    def entry(self, applied: int) -> order.Entry | None:
        """The entry after the first ``applied`` of the log, if it is there."""
        i = applied - self._first
        return self.entries[i] if 0 <= i < len(self.entries) else None

    def frame_of(self, applied: int) -> int | None:
        entry = self.entry(applied)
        return None if entry is None else entry.frame

    def read(self) -> bool:
        """Take in new entries of the log; what was rendered past the first of them is taken back."""
        new = [order.decoded(*e) for e in self.memory.entries(self._first + len(self.entries))]
        if not new:
            return False
        self.entries += new
        self._frames += [e.frame for e in new]
        for entry in new:
            if isinstance(entry.body, order.LoadEntry) and entry.body.generation > self._asked:
                self._asked = entry.body.generation
                self._begin_loading(entry.body)
        if new[0].frame < self.head:
            self._take_back(new[0].frame)
        return True

    def version(self, frame: int) -> int:
        """How many entries of the log apply up to a frame."""
        return self._first + bisect_right(self._frames, frame)

    def _take_back(self, frame: int) -> None:
        while len(self.kept) > 1 and self.kept[-1].head > frame:
            self.kept.pop()
        last = self.kept[-1]
        self.head, self.applied, self.session = last.head, last.applied, last.session
        self.taken_back = self.head if self.taken_back is None else min(self.head, self.taken_back)
        if last.session is not None and last.point is not None:
            last.session.back_to(last.point)
        while self.spans and self.spans[-1].end > self.head:
            self.spans.pop()
        while self.sounds and self.sounds[-1].end > self.head:
            self.sounds.pop()

    # --- sound ------------------------------------------------------------------------

    def in_hand(self) -> int:
        """Frames that are rendered and not given to the device; below 0 where it is behind."""
        return self.head - self.memory.number(shared.WRITTEN) * BLOCK

    def render(self) -> bool:
        """Render one span; False where enough is in hand."""
        written = self.memory.number(shared.WRITTEN) * BLOCK
        in_hand = self.in_hand()
        if in_hand >= self.ahead:
            return False
        while self.applied < self.version(self.head):
            self._apply(self.entries[self.applied - self._first])
            self.applied += 1
        self._keep(written)
        size = SHORT if 0 <= in_hand < CLOSE_BLOCKS * BLOCK else self._long()
        following = self.applied - self._first
        if following < len(self._frames):
            size = min(size, self._frames[following] - self.head)
        self._render(size, written)
        return True

    def _long(self) -> int:
        """Frames of a long span: twice as many where another renderer leads, which is the one that presses wait for."""
        leads = self.memory.number(shared.LEADER) == self.index
        blocks = max(LEAST, int(LONG_S / self._block_s))
        return BLOCK * min(MOST, blocks if leads else 2 * blocks)

    def _keep(self, written: int) -> None:
        if self.kept and self.kept[-1].head == self.head:
            self.kept.pop()
        point = self.session.point() if self.session is not None else None
        self.kept.append(Kept(self.head, self.applied, self.session, point))
        while len(self.kept) > 1 and self.kept[1].head <= written:
            self.kept.popleft()

    def _render(self, frames: int, written: int) -> None:
        start, end, session = self.head, self.head + frames, self.session
        sockets, taps, span = np.zeros((0, frames), dtype=np.float32), {}, None
        stems: list[StemPeaks] = []
        if session is not None:
            span, rows = self._rendered(session, frames)
            sockets, taps, stems = session.on_sockets(rows), session.tapped(rows), session.renderer.stem_peaks
        self.head = end
        # What is over is not written: its place may be needed by what comes.
        over = max(0, written - start)
        if over < frames:
            self.memory.put(self.index, (start + over) // BLOCK, self.applied, sockets[:, over:])
        self.spans.append(Planned(start, end, session, span, stems))
        self.sounds.append(Sound(start, end, sockets, taps))
        self.memory.set_own(self.index, shared.HEAD, self.head)

    def _rendered(self, session: Session, frames: int) -> tuple[Span | None, np.ndarray]:
        """The next span of a session; a fault in it is silence, and counted (rule E7)."""
        head, began = session.state.head, time.thread_time()
        try:
            rendered = session.render(frames)
            if frames >= LEAST * BLOCK:
                took = (time.thread_time() - began) * BLOCK / frames
                self._block_s += (max(took, 1e-6) - self._block_s) / 8
            return rendered
        except Exception:
            self._fault()
            session.state = session.state._replace(head=head + frames)
            return None, np.zeros((session.renderer.rows, frames), dtype=np.float32)

    def _fault(self) -> None:
        """Count what went wrong; the first is printed."""
        if not self.memory.number(shared.FAULTS):
            traceback.print_exc()
        self.memory.head[shared.FAULTS] += 1

    # --- entries ----------------------------------------------------------------------

    def _apply(self, entry: order.Entry) -> None:
        body = entry.body
        if isinstance(body, order.PressEntry):
            self._press(entry, body)
        elif isinstance(body, order.BeginEntry):
            self._begin(entry, body)
        elif isinstance(body, order.LeaveEntry):
            self.session = None

    def _press(self, entry: order.Entry, body: order.PressEntry) -> None:
        session = self.session
        if session is None:
            return
        try:
            outcome = session.press(body.press, body.args, max(0, entry.heard - session.origin))
        except Exception:
            self._fault()
            return
        self.memory.set_own(self.index, shared.MOVING, int(session.state.music.run is not None))
        answer = outcome_of(body, outcome, entry.frame - session.origin)
        self.outcomes.append((entry.number, msgspec.json.encode({"ok": True, **answer}), time.monotonic()))

    def _begin(self, entry: order.Entry, body: order.BeginEntry) -> None:
        loaded = self.loaded.get(body.generation)
        if loaded is None or loaded.show is None:
            raise NotReady(body.generation)
        asked = loaded.entry
        if asked.onto:
            if self.session is None:
                raise NotReady(body.generation)
            session = self.session.taken_in(loaded)
            self.loads[asked.generation] = session.loaded.entry
            self._loader.describe(session.loaded)
        else:
            session = Session(loaded, entry.frame)
            session.state = recovered(session, asked)
            session.set_taps(self.session.taps if self.session else ())
        session.start = Start(entry.frame, entry.number, session.state)
        session.read_ahead(session.state.music.entry)
        self.session = session
        self.loaded = {g: one for g, one in self.loaded.items() if g >= body.generation}

    # --- what was heard ----------------------------------------------------------------

    def forget(self, heard: int, frame: int) -> None:
        """Drop sound that was heard, and spans and entries that were written down up to output frame ``frame``."""
        while self.sounds and self.sounds[0].end <= heard:
            self.sounds.popleft()
        while self.spans and self.spans[0].end <= frame:
            self.spans.popleft()
        if len(self.entries) > shared.ENTRIES // 2 and self.kept:
            gone = min(self.kept[0].applied - self._first, bisect_right(self._frames, frame)) - 64
            if gone > 0:
                del self.entries[:gone], self._frames[:gone]
                self._first += gone

    def sounding(self, number: int) -> tuple[int, int] | None:
        """The generation that an entry of the log applies to, and the output frame it began at."""
        generation: int | None = None
        for entry in reversed(self.entries[: number - self._first - 1]):
            if isinstance(entry.body, order.BeginEntry):
                generation = entry.body.generation if generation is None else generation
                load = self.loads.get(entry.body.generation)
                if load is None or not load.onto:
                    return generation, entry.frame
            if isinstance(entry.body, order.LeaveEntry):
                return None
        session = self.kept[0].session if self.kept else None
        return None if session is None else (generation or session.generation, session.origin)

    def state_at(self, frame: int) -> tuple[Session | None, State | None]:
        """The session and its state at an output frame that was rendered."""
        session, applied = self.session, self.applied
        later = None if session is None else session.state
        for kept in reversed(self.kept):
            if kept.head <= frame or kept is self.kept[0]:
                if kept.session is None or kept.point is None:
                    return None, None
                goes_on = kept.session is session and kept.applied == applied
                at = frame - kept.session.origin
                return kept.session, kept.session.state_at(kept.point, at, later if goes_on else None)
            session, applied = kept.session, kept.applied
            later = None if kept.point is None else kept.point.state
        return None, None

    def set_taps(self, taps: list[str]) -> None:
        """Render other feeds besides the sockets, from the first frame on that is still free."""
        for session in {k.session for k in self.kept} | {self.session}:
            if session is not None:
                session.set_taps(taps)
        free = self.free()
        if self.kept and self.head > free:
            self._take_back(free)

    def free(self) -> int:
        """The first output frame that a press may still change, once every entry so far is applied."""
        written = self.memory.number(shared.WRITTEN)
        return max((written + shared.SAFE_BLOCKS) * BLOCK, self._frames[-1] if self._frames else 0)


class NotReady(Exception):
    """A show begins that this renderer has not made ready."""


def outcome_of(body: order.PressEntry, outcome: Any, at: int) -> dict[str, Any]:
    """What came of a press, as it is answered and published. ``at``: the frame of the session it was applied at."""
    marked = {} if outcome.marked is None else {"marked": outcome.marked._asdict()}
    return {
        **marked,
        "press": body.press,
        "accepted": outcome.accepted,
        "code": outcome.code,
        "message": outcome.message,
        "frame": outcome.frame,
        "bar": outcome.bar,
        "late": outcome.late,
        "at": at,
    }


def recovered(session: Session, asked: order.LoadEntry) -> State:
    """Where a show is to stand once it is loaded: stopped at a place, or by an entry; else by its first."""
    entries, place = session.ready.plan.entries, asked.place
    tonight = asked.tonight if fits(session.ready.plan, asked.tonight) else None
    if not 0 <= asked.entry < len(entries):
        return standing_by(0, asked.hand)
    if place is not None and 0 <= place.entry < len(entries):
        entry = entries[place.entry]
        if 0 <= place.step < len(entry.steps) and 1 <= place.bar <= entry.bars:
            return stopped_at(place, asked.hand, tonight)
    return standing_by(asked.entry, asked.hand, tonight)
