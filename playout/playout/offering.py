"""What the leading renderer tells the process of the ports: the messages that come, before they are due (rule S2)."""

from __future__ import annotations

from collections.abc import Callable
from itertools import groupby

from playout import shared
from playout.ahead import Ahead, Planned
from playout.due import Offer, due_of, encoded

#: Heard already: one that takes the lead offers it too, since nobody may have led for as long. What was sent is known to the
#: process of the ports, which sends it once.
BEFORE_S = 5.0
AHEAD_S = 0.4  # before the lead of the devices: another renderer that takes over has not lost any


class Offering:
    """Offers messages as they come into reach, and anew where they were taken back."""

    def __init__(self, ahead: Ahead, publish: Callable[[bytes], object]):
        self._ahead, self._publish = ahead, publish
        self._offered: int | None = None  # output frame up to which messages were offered; None while another leads
        self._void = 0  # frame up to which what was offered before holds no more

    def step(self, leads: bool, heard: int) -> None:
        """Offer what is new; frame ``heard`` is audible."""
        ahead = self._ahead
        back, ahead.taken_back = ahead.taken_back, None
        if not leads:
            self._offered = None
            return
        reach = heard + round((AHEAD_S + self._lead_s()) * ahead.memory.sample_rate)
        if self._offered is None:
            # The one that led may have offered all within reach, and have missed the press for which this one leads now.
            start, self._void = self._begun(heard), reach
        else:
            start = self._offered
        if back is not None:
            self._void = max(self._void, start)
            start = min(start, back)
        anew = start < self._void
        end = min(ahead.head, reach)
        self._offered = max(start, end)
        if end > start:
            self._offer(start, end, anew)

    def _begun(self, heard: int) -> int:
        """Where one that takes the lead begins: the one before may have been behind with its own."""
        spans = self._ahead.spans
        earliest = spans[0].start if spans else heard
        return max(earliest, heard - round(BEFORE_S * self._ahead.memory.sample_rate))

    def _lead_s(self) -> float:
        session = self._ahead.session
        return 0.0 if session is None else max((d.lead_ms for d in session.ready.show.devices), default=0.0) / 1000

    def _offer(self, start: int, end: int, anew: bool) -> None:
        memory = self._ahead.memory
        inside = [p for p in self._ahead.spans if p.session is not None and p.start < end and p.end > start]
        for session, spans in groupby(inside, key=lambda p: p.session):
            if session is None or not session.ready.plan.sends:
                continue
            mine: list[Planned] = list(spans)
            first, last = max(start, mine[0].start), min(end, mine[-1].end)
            due = tuple(
                d for p in mine if p.span is not None for d in due_of(p.span.events, session.origin, first, last)
            )
            if due or anew:
                zero_ns = memory.number(shared.ZERO_NS)
                self._publish(encoded(Offer(session.generation, first, last, zero_ns, memory.sample_rate, due)))
