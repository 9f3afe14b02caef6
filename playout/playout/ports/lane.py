"""What goes to one device, in order and at its time (rules S2, S3 and S5)."""

from __future__ import annotations

import threading
import time
from collections import Counter, deque
from collections.abc import Iterable
from dataclasses import dataclass
from functools import reduce
from itertools import takewhile
from typing import TypedDict

from playout.due import Due, Offer
from playout.ports.receivers import Address, Receiver
from playout.processes import urgent
from upbeat.errors import Problem
from upbeat.messages.held import Held, Outgoing, after, missing
from upbeat.messages.kinds import Clock, Note, Out
from upbeat.messages.wire import kind_of, midi_bytes, off_bytes, short

PATIENCE_S = 0.1  # that a message waits for a device that does not take it
LATEST_S = 0.4  # that a message may be late where it is this process that was held up
RETRY_S = 0.002
SETTLED_NS = 3_000_000_000  # so late may be told what a press took back, on a machine that stands still
LATELY = 200  # messages of which lateness is told
SHOWN = 12
NOW_S = 0.3  # how long a note sounds that is sent at once
MOST_WAITING = 10_000


class SentNow(TypedDict):
    """A message that went out: what it was, and how late it was, in ms."""

    message: str
    name: str
    data: str
    late_ms: float


class DeviceNow(TypedDict):
    """How a device is. ``why``: nothing can be sent now. ``late_ms``: the latest of the last messages; None before the first.

    ``dropped``: messages that it did not take.
    """

    id: str
    name: str
    there: bool
    why: str
    sent: int
    dropped: int
    late_ms: float | None
    last: list[SentNow]


@dataclass(frozen=True)
class _Waiting:
    due: Due
    known_ns: int  # when it was told of: it cannot go out before


class Lane:
    """The messages of a device, on a thread of its own: one that is slow holds up no other."""

    def __init__(self, address: Address, receiver: Receiver):
        self.address, self._receiver = address, receiver
        self._lock = threading.Condition()
        self._offer: Offer | None = None
        self._waiting: deque[_Waiting] = deque()
        self._sent: deque[Due] = deque()  # what a press may still take back
        self._settled: Held = {}  # what holds by what cannot be taken back any more
        self._ringing: Counter[tuple[int, int]] = Counter()  # notes that are to sound: channel and number
        self._sounding: Counter[tuple[int, int]] = Counter()  # those that the device was told of
        self._lacks = False  # it was not given everything that holds
        self._there = False
        self._takes = True  # it took what it was last given
        self._open = True
        self._count = self._dropped = 0
        self._late: deque[float] = deque(maxlen=LATELY)
        self._last: deque[SentNow] = deque(maxlen=SHOWN)
        self._thread = threading.Thread(target=self._run, name=f"to {address.name}", daemon=True)
        self._thread.start()

    # --- what comes -------------------------------------------------------------------

    def offer(self, offer: Offer, due: Iterable[Due]) -> None:
        """Take in what comes; what was sent already and is no longer to come is made good."""
        now = time.monotonic_ns()
        with self._lock:
            self._offer = offer
            self._settle(now)
            # In the order of their frames: what was sent before a press is none of what it took back.
            doubtful = Counter(takewhile(lambda d: d.frame >= offer.start, reversed(self._sent)))
            self._waiting = deque(w for w in self._waiting if w.due.frame < offer.start)
            for one in due:
                if doubtful[one] > 0:
                    doubtful[one] -= 1
                elif len(self._waiting) < MOST_WAITING:
                    self._waiting.append(_Waiting(one, now))
                else:
                    self._drop(one)
            gone = +Counter({d: n for d, n in doubtful.items() if d.frame < offer.end})
            if gone:
                self._make_good(gone)
            self._lock.notify()

    def look(self) -> None:
        """See whether the device is there; one that has come back is brought to what holds."""
        self._receiver.look()
        self.see()

    def see(self) -> None:
        """See what is known already of whether it is there."""
        there = self._receiver.missing() is None
        with self._lock:
            if there and not self._there:
                self._lacks = True
            self._there = there
            self._lock.notify()

    def now(self, out: Outgoing) -> bool:
        """Send a message at once; false where the device does not take it."""
        with self._lock:
            if not self._deliver(out.send, bytes(midi_bytes(out.send, out.channel))):
                return False
            self._show(out, 0.0)
            if isinstance(out.send, Note):
                off = bytes(off_bytes(out.send.note, out.channel))
                threading.Timer(NOW_S, self._receiver.send, (None, off)).start()
            return True

    def end(self) -> None:
        """Send nothing more; notes that sound end."""
        with self._lock:
            self._open = False
            self._waiting.clear()
            self._ringing.clear()
            self._silence()
            self._lock.notify()
        self._thread.join(1)

    def told(self) -> DeviceNow:
        why: Problem | None = self._receiver.missing()
        with self._lock:
            return DeviceNow(
                id=self.address.id,
                name=self.address.name,
                there=why is None,
                why=why.message if why else "",
                sent=self._count,
                dropped=self._dropped,
                late_ms=round(max(self._late), 1) if self._late else None,
                last=list(self._last),
            )

    # --- going out --------------------------------------------------------------------

    def _run(self) -> None:
        urgent()
        while self._open:
            with self._lock:
                self._turn()

    def _turn(self) -> None:
        self._drop_late()
        if self._lacks and self._there and self._open:
            self._bring()
        if not self._waiting or self._offer is None:
            self._lock.wait(1.0)
            return
        first, now = self._waiting[0], time.monotonic_ns()
        at = self._due_ns(first, self._offer)
        if at > now:
            self._lock.wait((at - now) / 1e9)
            return
        since = max(at, first.known_ns)
        if self._deliver(first.due.out.send if first.due.out else None, first.due.data, since):
            self._waiting.popleft()
            self._went(first.due, (time.monotonic_ns() - since) / 1e6)
        else:
            self._lock.wait(RETRY_S)

    def _due_ns(self, waiting: _Waiting, offer: Offer) -> int:
        return offer.ns(waiting.due.frame) - round(1e6 * self.address.lead_ms)

    def _drop_late(self) -> None:
        """Drop all that the device has not taken for too long, at once: what it gets next is not late.

        What is late because this thread was held up is tried first.
        """
        now, patience = time.monotonic_ns(), LATEST_S if self._takes else PATIENCE_S
        while self._waiting and self._offer is not None:
            at = self._due_ns(self._waiting[0], self._offer)
            late = now - max(at, self._waiting[0].known_ns)
            if at > now or (self._there and late <= 1e9 * patience):
                return
            self._drop(self._waiting.popleft().due)

    def _deliver(self, send: Out | None, data: bytes, due_ns: int | None = None) -> bool:
        self._takes = self._receiver.missing() is None and self._receiver.send(send, data, due_ns)
        return self._takes

    def _went(self, due: Due, late_ms: float) -> None:
        self._count += 1
        self._late.append(late_ms)
        self._note(due, self._ringing)
        self._note(due, self._sounding)
        self._sent.append(due)
        if due.out is not None and not isinstance(due.out.send, Clock):
            self._show(due.out, late_ms)

    def _show(self, out: Outgoing, late_ms: float) -> None:
        one = SentNow(message=kind_of(out), name=out.name, data=short(out), late_ms=round(late_ms, 1))
        self._last.appendleft(one)

    def _drop(self, due: Due) -> None:
        """A message that the device did not take: it lacks what holds, and gets that once it takes some again."""
        self._dropped += 1
        self._lacks = True
        self._note(due, self._ringing)
        self._sent.append(due)

    def _note(self, due: Due, notes: Counter[tuple[int, int]]) -> None:
        if due.over is not None:
            notes.pop((due.over.channel, due.over.note), None)
        elif due.out is not None and isinstance(due.out.send, Note):
            notes[due.out.channel, due.out.send.note] = 1

    # --- what holds -------------------------------------------------------------------

    def _settle(self, now: int) -> None:
        """What was heard a moment ago cannot be taken back."""
        assert self._offer is not None
        while self._sent and self._offer.ns(self._sent[0].frame) < now - SETTLED_NS:
            self._settled = _after(self._settled, self._sent.popleft())

    def _make_good(self, gone: Counter[Due]) -> None:
        before = reduce(_after, self._sent, self._settled)
        left, kept = Counter(gone), deque[Due]()
        for due in self._sent:
            if left[due] > 0:
                left[due] -= 1
                if due.out is not None and isinstance(due.out.send, Note):
                    self._ringing.pop((due.out.channel, due.out.send.note), None)
            else:
                kept.append(due)
        self._sent = kept
        self._silence()
        for out in missing(before, reduce(_after, self._sent, self._settled)):
            self._deliver(out.send, bytes(midi_bytes(out.send, out.channel)))

    def _silence(self) -> None:
        """End notes that sound and are not to."""
        for channel, note in list(self._sounding - self._ringing):
            if self._deliver(None, bytes(off_bytes(note, channel))):
                self._sounding.pop((channel, note))

    def _bring(self) -> None:
        """Bring the device to what holds."""
        self._silence()
        for out in missing({}, reduce(_after, self._sent, self._settled)):
            if not self._deliver(out.send, bytes(midi_bytes(out.send, out.channel))):
                self._lock.wait(RETRY_S)
                return
        self._lacks = False


def _after(held: Held, due: Due) -> Held:
    return after(held, due.out) if due.out is not None else held
