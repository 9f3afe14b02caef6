"""What a sound engineer would look at in a routing before the doors."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

from upbeat.mix.routing import Feed, Routing, guided, routing_problems
from upbeat.song.stems import GUIDES

_TITLES = {
    "click-in-house": "Click would be heard in the house",
    "feed-loop": "A feed takes from itself",
    "socket-kept": "A kept socket is wired",
    "socket-delays": "Two delays on one socket",
    "patch-feed-unknown": "A wire has lost its feed",
    "patch-socket-unknown": "A wire has lost its socket",
}
_ORDER = {"wrong": 0, "look": 1, "ok": 2}


@dataclass(frozen=True)
class Check:
    """One thing looked at before the doors. ``state``: ``ok``, ``look`` or ``wrong``."""

    state: Literal["ok", "look", "wrong"]
    title: str
    detail: str


def routing_checks(routing: Routing) -> list[Check]:
    """Everything that is wrong, missing or well with a routing, the wrong first."""
    problems = routing_problems(routing)
    codes = {p.code for p in problems}
    checks = [Check("wrong", _TITLES.get(p.code, "This cannot be played"), p.message) for p in problems]
    if "feed-loop" in codes:
        return checks
    checks += [*_house(routing, codes), *_guides(routing)]
    for feed in routing.feeds:
        checks += _feed(routing, feed)
    checks += [*_unbalanced(routing), *_kept(routing, codes)]
    return sorted(checks, key=lambda c: _ORDER[c.state])


def _house(routing: Routing, codes: set[str]) -> Iterator[Check]:
    feeds = {f.id: f for f in routing.feeds}
    house = sorted({p.socket for p in routing.patches if p.feed in feeds and feeds[p.feed].kind == "house"})
    if not house:
        yield Check("look", "Nothing reaches the house", "Wire a house feed to a socket.")
    elif "click-in-house" not in codes:
        yield Check("ok", "Click stays out of the house", f"No way leads from click or cues to {_sockets(house)}.")


def _guides(routing: Routing) -> Iterator[Check]:
    guides = guided(routing.feeds)
    wired = {p.feed for p in routing.patches}
    for guide in GUIDES:
        if not any(guide in guides[f] for f in wired if f in guides):
            yield Check("look", f"Nobody hears the {guide}", f"Wire a monitor feed with the {guide} in it to a socket.")


def _feed(routing: Routing, feed: Feed) -> Iterator[Check]:
    sides = {p.side for p in routing.patches if p.feed == feed.id}
    if not sides:
        yield Check("look", f"“{feed.name}” goes nowhere", "Wire it to a socket, or take the feed out.")
    elif feed.channels == 2 and feed.kind == "house" and len(sides & {"left", "right"}) == 1:
        only = f"Only its {min(sides)} side goes out: wire the other too, or send it in mono."
        yield Check("look", f"One side of “{feed.name}” is missing", only)


def _unbalanced(routing: Routing) -> Iterator[Check]:
    carried = {p.socket for p in routing.patches}
    for socket in routing.sockets:
        if socket.number in carried and not socket.balanced:
            hum = "A long cable from it picks up hum: ask for a DI box."
            yield Check("look", f"Socket {socket.number} is not balanced", hum)


def _kept(routing: Routing, codes: set[str]) -> Iterator[Check]:
    kept = [s.number for s in routing.sockets if s.use == "kept"]
    if kept and "socket-kept" not in codes:
        free = "Kept for another program; nothing of ours goes there."
        yield Check("ok", f"{_sockets(kept).capitalize()} left alone", free)


def _sockets(numbers: Sequence[int]) -> str:
    return ("socket " if len(numbers) == 1 else "sockets ") + ", ".join(map(str, numbers))
