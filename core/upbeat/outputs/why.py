"""Why a source is heard at a socket, or not: its way step by step, and the first thing that stops it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

from upbeat.limits import FEED_GAIN_DB
from upbeat.mix.routing import Feed, Routing
from upbeat.outputs.ways import Wanted, Way, ways
from upbeat.play.hand import Hand

#: Less than this beside full gain counts as not heard.
HEARD_DB = -100.0


@dataclass(frozen=True, kw_only=True)
class Mend:
    """What would let it through: a press of the engine, or an edit of ``of`` (a stem, feed or socket), with arguments."""

    kind: Literal["press", "stem", "feed", "send", "patch", "socket", "wire"]
    name: str = ""
    of: str = ""
    args: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, kw_only=True)
class Stop:
    """What keeps a source from being heard."""

    code: str
    message: str
    mend: Mend | None = None


@dataclass(frozen=True, kw_only=True)
class Step:
    """One step of a way: ``what`` is ``stem:ID``, ``click``, ``cues``, ``feed:ID`` or ``socket:N``."""

    what: str
    name: str
    gain_db: float
    state: Literal["open", "stopped", "beyond"]


@dataclass(frozen=True, kw_only=True)
class Source:
    """A source with what it does by itself: ``gain_db`` it sounds with; ``stop``: why it is silent whatever the way.

    ``barred``: why it may not be heard in the house. ``alone``: it is among what is alone by hand.
    """

    what: str
    name: str
    wanted: Wanted
    gain_db: float = 0.0
    stop: Stop | None = None
    barred: Stop | None = None
    alone: bool = False


@dataclass(frozen=True, kw_only=True)
class Why:
    """``db``: the gain from the source to the socket, None where nothing of it comes through."""

    heard: bool
    db: float | None
    path: tuple[Step, ...]
    stopped_by: Stop | None


def why(routing: Routing, source: Source, socket: int, hand: Hand, db: float | None) -> Why:
    """Explain what the matrix says. ``db``: the gain that it has from the source to the socket, None for nothing."""
    heard = source.stop is None and db is not None and db >= HEARD_DB
    looked = [_Looked.at(routing, source, way, hand) for way in ways(routing, source.wanted, socket)]
    if not looked:
        no_way = source.stop or _no_way(routing, source, socket)
        state: Literal["open", "stopped"] = "stopped" if source.stop else "open"
        first = Step(what=source.what, name=source.name, gain_db=source.gain_db, state=state)
        return Why(heard=False, db=None, path=(first, _socket_step(routing, socket, 0.0, "beyond")), stopped_by=no_way)
    best = max(looked, key=lambda one: (one.stop is None, one.passed, one.way.gain_db))
    stop = None if heard else best.stop or _though_open(looked, source, socket, db)
    return Why(heard=heard, db=db if heard else None, path=tuple(_steps(routing, source, best)), stopped_by=stop)


@dataclass(frozen=True, kw_only=True)
class _Looked:
    """A way with what stops it, and how many of its steps are passed before that."""

    way: Way
    stop: Stop | None
    passed: int

    @classmethod
    def at(cls, routing: Routing, source: Source, way: Way, hand: Hand) -> _Looked:
        if source.stop:
            return cls(way=way, stop=source.stop, passed=0)
        for i, stop in enumerate(_stops(routing, source, way, hand), start=1):
            if stop is not None:
                return cls(way=way, stop=stop, passed=i)
        return cls(way=way, stop=None, passed=len(way.through) + 2)


def _stops(routing: Routing, source: Source, way: Way, hand: Hand) -> Iterator[Stop | None]:
    """What stops each feed of a way, and its wire."""
    for through in way.through[:-1]:
        yield _at_feed(source, through.feed, through.send_db, through.level_db)
    last = way.through[-1]
    yield _at_feed(source, last.feed, last.send_db, last.level_db) or _where_it_leaves(source, last.feed, hand)
    yield _at_wire(routing, source, way)


def _at_feed(source: Source, feed: Feed, send_db: float, level_db: float) -> Stop | None:
    if feed.kind == "house" and source.barred is not None:
        return source.barred
    if send_db <= FEED_GAIN_DB.low:
        said = f"It is sent into “{feed.name}” at {send_db:g} dB, which is silence."
        return Stop(code="send-down", message=said, mend=Mend(kind="send", of=feed.id, args={"gain_db": 0.0}))
    if level_db <= FEED_GAIN_DB.low:
        said = f"“{feed.name}” stands at {level_db:g} dB, which is silence."
        return Stop(code="feed-down", message=said, mend=Mend(kind="feed", of=feed.id, args={"gain_db": 0.0}))
    return None


def _where_it_leaves(source: Source, feed: Feed, hand: Hand) -> Stop | None:
    """What was done by hand to the feed that is wired to the socket."""
    if feed.kind == "house" and hand.house_pulled:
        mend = Mend(kind="press", name="bring_back")
        return Stop(code="house-pulled", message="The house is pulled.", mend=mend)
    by_hand = hand.part(f"feed:{feed.id}")
    if by_hand.on is False or by_hand.db is None:
        mend = Mend(kind="press", name="as_prepared", args={"part": by_hand.part})
        return Stop(code="feed-out", message=f"“{feed.name}” was taken out by hand.", mend=mend)
    asks = feed.alone or (hand.alone_in_house and feed.kind == "house")
    if hand.alone and asks and not source.alone:
        mend = Mend(kind="press", name="alone", args={"part": hand.alone[0], "on": False})
        return Stop(code="others-alone", message=f"“{feed.name}” has only what is alone by hand.", mend=mend)
    return None


def _at_wire(routing: Routing, source: Source, way: Way) -> Stop | None:
    patch = way.patch
    if patch.trim_db <= FEED_GAIN_DB.low:
        mend = Mend(kind="patch", of=patch.feed, args={"socket": patch.socket, "side": patch.side, "trim_db": 0.0})
        said = f"Its wire to socket {patch.socket} is turned down to {patch.trim_db:g} dB."
        return Stop(code="wire-down", message=said, mend=mend)
    kinds = {f.id: f.kind for f in routing.feeds}
    if source.barred and any(kinds.get(p.feed) == "house" for p in routing.patches if p.socket == patch.socket):
        return source.barred
    return None


def _no_way(routing: Routing, source: Source, socket: int) -> Stop:
    own = next((s for s in routing.sockets if s.number == socket), None)
    if own is None:
        return Stop(code="socket-unknown", message=f"The rig has no socket {socket}.")
    if own.use == "kept":
        mend = Mend(kind="socket", of=str(socket), args={"use": "free"})
        return Stop(code="socket-kept", message=f"Socket {socket} is kept for another program.", mend=mend)
    on_it = [p for p in routing.patches if p.socket == socket]
    if not on_it:
        said = f"Nothing is wired to socket {socket}."
        return Stop(code="socket-empty", message=said, mend=Mend(kind="wire", of=str(socket)))
    names = {f.id: f.name for f in routing.feeds}
    there = " and ".join(dict.fromkeys(f"“{names[p.feed]}”" for p in on_it if p.feed in names))
    return Stop(
        code="not-sent",
        message=f"Socket {socket} carries {there}, and {source.name} is not sent there.",
        mend=Mend(kind="send", of=on_it[0].feed, args={"gain_db": 0.0}),
    )


def _though_open(looked: Sequence[_Looked], source: Source, socket: int, db: float | None) -> Stop:
    """Why nothing comes through ways that are open."""
    open_ = [one.way for one in looked if one.stop is None]
    if source.what.startswith("feed:") and db is None:
        return Stop(code="feed-silent", message=f"Nothing sounds in {source.name} here.")
    if db is not None:
        return Stop(
            code="too-soft", message=f"All levels together leave {db:.0f} dB of {source.name}, which is silence."
        )
    if len(open_) > 1:
        said = f"The ways of {source.name} to socket {socket} cancel each other: turn the polarity of one, or cut it."
        return Stop(code="cancelled", message=said)
    side = open_[0].patch.side
    said = f"{source.name} is on the other side: socket {socket} has the {side} one."
    if side == "mono":
        said = f"The sides of {source.name} cancel each other in mono: turn the polarity of one."
    return Stop(code="other-side" if side != "mono" else "cancelled", message=said)


def _steps(routing: Routing, source: Source, best: _Looked) -> Iterator[Step]:
    def state(place: int) -> Literal["open", "stopped", "beyond"]:
        if best.stop is None or place < best.passed:
            return "open"
        return "stopped" if place == best.passed else "beyond"

    way = best.way
    yield Step(what=source.what, name=source.name, gain_db=source.gain_db, state=state(0))
    for i, through in enumerate(way.through, start=1):
        feed, gain = through.feed, through.send_db + through.level_db
        yield Step(what=f"feed:{feed.id}", name=feed.name, gain_db=gain, state=state(i))
    yield _socket_step(routing, way.patch.socket, way.patch.trim_db, state(len(way.through) + 1))


def _socket_step(routing: Routing, number: int, trim_db: float, state: Literal["open", "stopped", "beyond"]) -> Step:
    label = next((s.label for s in routing.sockets if s.number == number), "")
    name = f"Socket {number}, {label}" if label else f"Socket {number}"
    return Step(what=f"socket:{number}", name=name, gain_db=trim_db, state=state)
