"""The line check: one signal on one socket at a time, past every feed (rule M11).

It knows no click: what may not be in the house cannot be sent there by a line check either (rule M3).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal, NamedTuple, TypedDict, get_args

from upbeat.limits import LINE_CHECK_BEGINS_DB

Kind = Literal["tone", "noise", "pulse", "voice"]
KINDS: tuple[Kind, ...] = get_args(Kind)
RAMP_S = 0.005  # rule M1


class LineSocket(NamedTuple):
    """A socket as the line check knows it. ``spoken``: its number and its name; ``kept``: for another program."""

    number: int
    name: str
    spoken: str = ""
    headphones: bool = False
    kept: bool = False


class Signal(NamedTuple):
    """What sounds at a socket, faded in from output frame ``start`` on and faded out from ``end`` on.

    ``zero``: the output frame that its wave begins at. ``db``: dBFS as AES17 has it, where a full sine has 0.
    """

    socket: int
    kind: Kind
    db: float
    start: int
    zero: int
    end: int | None = None


class LineCheck(NamedTuple):
    """``socket``: the one that is checked, None for off. ``every``: frames until the next one, 0 where a press asks for it.

    ``since``: the output frame at which this socket began. ``signals``: what sounds, what fades away included.
    """

    socket: int | None = None
    kind: Kind = "tone"
    db: float = LINE_CHECK_BEGINS_DB
    every: int = 0
    since: int = 0
    signals: tuple[Signal, ...] = ()

    @property
    def on(self) -> bool:
        return self.socket is not None


class LineSocketNow(TypedDict):
    number: int
    name: str
    headphones: bool


class LineCheckNow(TypedDict):
    """``db`` in dBFS; ``every_s``: seconds until the next socket by itself, 0 by press. ``following``: None after the last."""

    socket: LineSocketNow
    kind: Kind
    db: float
    every_s: float
    following: LineSocketNow | None


def checked(sockets: Sequence[LineSocket]) -> list[LineSocket]:
    """The sockets that a line check goes to, in order: those that are ours."""
    return sorted((s for s in sockets if not s.kept), key=lambda s: s.number)


def beside(sockets: Sequence[LineSocket], number: int, by: int) -> LineSocket | None:
    """The socket so many places on, or back; None beyond the last and before the first."""
    own = checked(sockets)
    at = next((i for i, s in enumerate(own) if s.number == number), None)
    return own[at + by] if at is not None and 0 <= at + by < len(own) else None


def begun(line: LineCheck, socket: LineSocket, frame: int, fade: int) -> LineCheck:
    """A line check that goes to a socket at an output frame. Headphones begin no louder than a line check does."""
    db = min(line.db, LINE_CHECK_BEGINS_DB) if socket.headphones else line.db
    signal = Signal(socket.number, line.kind, db, frame, frame)
    return line._replace(socket=socket.number, db=db, since=frame, signals=(*_ended(line.signals, frame, fade), signal))


def levelled(line: LineCheck, db: float, frame: int, fade: int) -> LineCheck:
    """A line check at another level from an output frame on: the same wave, over one ramp."""
    *_, last = line.signals
    signal = last._replace(db=db, start=frame, end=None)
    return line._replace(db=db, signals=(*_ended(line.signals, frame, fade), signal))


def ended(line: LineCheck, frame: int, fade: int) -> LineCheck:
    """A line check that is over at an output frame."""
    if not line.on:
        return line
    return line._replace(socket=None, every=0, signals=_ended(line.signals, frame, fade))


def gone_on(line: LineCheck, sockets: Sequence[LineSocket], end: int, fade: int) -> LineCheck:
    """A line check with the sockets that it goes on to by itself before output frame ``end``; after the last it is over."""
    while line.socket is not None and line.every and line.since + line.every < end:
        frame, following = line.since + line.every, beside(sockets, line.socket, 1)
        line = ended(line, frame, fade) if following is None else begun(line, following, frame, fade)
    return line


def over(line: LineCheck, frame: int, fade: int) -> LineCheck:
    """A line check without signals that are over at an output frame."""
    if all(s.end is None or s.end + fade > frame for s in line.signals):
        return line
    return line._replace(signals=tuple(s for s in line.signals if s.end is None or s.end + fade > frame))


def within(line: LineCheck, sockets: Mapping[int, LineSocket], frame: int, fade: int) -> LineCheck:
    """A line check of a show that was changed: over where its socket is not there or not ours any more."""
    line = line._replace(signals=tuple(s for s in line.signals if s.socket in sockets))
    if line.socket is None or (line.socket in sockets and not sockets[line.socket].kept):
        return line
    return ended(line, frame, fade)


def line_check_now(line: LineCheck, sockets: Sequence[LineSocket], sample_rate: int) -> LineCheckNow | None:
    """A line check for pages; None where it is off."""
    at = next((s for s in sockets if s.number == line.socket), None)
    if at is None:
        return None
    following = beside(sockets, at.number, 1)
    return LineCheckNow(
        socket=_now(at),
        kind=line.kind,
        db=line.db,
        every_s=round(line.every / sample_rate, 2),
        following=None if following is None else _now(following),
    )


def _now(socket: LineSocket) -> LineSocketNow:
    return LineSocketNow(number=socket.number, name=socket.name, headphones=socket.headphones)


def _ended(signals: tuple[Signal, ...], frame: int, fade: int) -> tuple[Signal, ...]:
    """All that go on end at an output frame; what was to begin there does not."""
    kept = (s if s.end is not None else s._replace(end=frame) for s in signals)
    return tuple(s for s in kept if s.end is None or s.start < s.end)
