"""What a sound engineer would look at in a routing before the doors."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from upbeat.mix.routing import Feed, Patch, Routing, Side, feed_order, guided, routing_problems
from upbeat.outputs.fold_down import kinds_of
from upbeat.outputs.pairs import pairs_of
from upbeat.outputs.patch_sheet import di_box
from upbeat.song.stems import GROUPS, GUIDE_GROUPS, GUIDES

_TITLES = {
    "click-in-house": "Click would be heard in the house",
    "feed-loop": "A feed takes from itself",
    "socket-kept": "A kept socket is wired",
    "socket-delays": "Two delays on one socket",
    "patch-feed-unknown": "A wire has lost its feed",
    "patch-socket-unknown": "A wire has lost its socket",
}
_SIDES: tuple[Side, Side] = ("left", "right")
#: A singer hears their own voice late from about here on (M. Lester, J. Boley, AES 123, 2007).
VOICE_MS = 10.0
_ORDER = {"wrong": 0, "look": 1, "ok": 2}


@dataclass(frozen=True)
class Mend:
    """What a press would do: ``patches`` are all wires of the rig then."""

    text: str
    patches: tuple[Patch, ...]


@dataclass(frozen=True)
class Check:
    """One thing looked at before the doors. ``state``: ``ok``, ``look`` or ``wrong``."""

    state: Literal["ok", "look", "wrong"]
    title: str
    detail: str
    mend: Mend | None = None


@dataclass(frozen=True, kw_only=True)
class Delays:
    """Of the interface in use: ``out_ms`` until a sound is heard, ``block_ms`` that it asks for at a time, its ``outputs``."""

    out_ms: float
    block_ms: float
    outputs: int


def routing_checks(routing: Routing, delays: Delays | None = None) -> list[Check]:
    """Everything that is wrong, missing or well with a routing, the wrong first. ``delays``: where an interface was chosen."""
    problems = routing_problems(routing)
    codes = {p.code for p in problems}
    checks = [Check("wrong", _TITLES.get(p.code, "This cannot be played"), p.message) for p in problems]
    if codes & {"feed-loop", "feed-unknown"}:
        return checks
    checks += [*_house(routing, codes), *_reference(routing), *_unsent(routing), *_guides(routing)]
    for feed in routing.feeds:
        checks += _feed(routing, feed)
    checks += [*_sharing(routing), *_unbalanced(routing), *_kept(routing, codes)]
    if delays is not None:
        checks += [*_too_few(routing, delays), _delay(delays)]
    return sorted(checks, key=lambda c: _ORDER[c.state])


def _house(routing: Routing, codes: set[str]) -> Iterator[Check]:
    feeds = {f.id: f for f in routing.feeds}
    house = sorted({p.socket for p in routing.patches if p.feed in feeds and feeds[p.feed].kind == "house"})
    if not house:
        yield Check("look", "Nothing reaches the house", "Wire a house feed to a socket.")
    elif "click-in-house" not in codes:
        yield Check("ok", "Click stays out of the house", f"No way leads from click or cues to {_sockets(house)}.")


def _reference(routing: Routing) -> Iterator[Check]:
    """Stems to rehearse with: the matrix keeps them out of the house, whatever is sent (rule M2)."""
    sent = {s.source for f in routing.feeds if f.kind == "house" for s in f.sends}
    if sent:
        kept = "Nothing that is there to rehearse with is heard in the house, also where its group is sent there."
        yield Check("ok", "Reference stems stay out of the house", kept)


def _unsent(routing: Routing) -> Iterator[Check]:
    """Groups of stems that no feed with a wire takes, by any way."""
    wired = {p.feed for p in routing.patches}
    if not wired:
        return
    taken: dict[str, set[str]] = {}
    for feed in feed_order(routing.feeds):
        taken[feed.id] = {s.source[6:] for s in feed.sends if s.source.startswith("group:")}
        taken[feed.id] |= {g for s in feed.sends if s.source.startswith("feed:") for g in taken[s.source[5:]]}
    reached = {g for f, groups in taken.items() if f in wired for g in groups}
    for group in (g for g in GROUPS if g not in GUIDE_GROUPS and g not in reached):
        name = group.replace("_", " ")
        detail = "No feed that leaves by a socket takes it: send it into one, if any stem is of it."
        yield Check("look", f"The group {name} reaches nothing", detail)


def _guides(routing: Routing) -> Iterator[Check]:
    guides = guided(routing.feeds)
    wired = {p.feed for p in routing.patches}
    for guide in GUIDES:
        if not any(guide in guides[f] for f in wired if f in guides):
            yield Check("look", f"Nobody hears the {guide}", f"Wire a monitor feed with the {guide} in it to a socket.")


def _feed(routing: Routing, feed: Feed) -> Iterator[Check]:
    own = [p for p in routing.patches if p.feed == feed.id]
    sides = {p.side for p in own}
    at = {side: {p.socket for p in own if p.side == side} for side in sides}
    if not sides:
        nowhere = "Wire it to a socket, or take the feed out."
        yield Check("look", f"“{feed.name}” goes nowhere", nowhere, _to_free_sockets(routing, feed))
    elif feed.channels == 2 and feed.kind == "house" and len(sides & {"left", "right"}) == 1:
        only = f"Only its {min(sides)} side goes out: wire the other too, or send it in mono."
        yield Check("look", f"One side of “{feed.name}” is missing", only, _in_mono(routing, feed))
    elif both := at.get("left", set()) & at.get("right", set()):
        one = f"{_sockets(sorted(both)).capitalize()} has its left and its right: send it in mono."
        yield Check("look", f"“{feed.name}” meets itself", one, _in_mono(routing, feed))
    elif {"left", "right"} <= sides and not any(
        left in at["left"] and right in at["right"] for left, right in pairs_of(routing.sockets)
    ):
        apart = (
            f"Left is on {_sockets(sorted(at['left']))}, right on {_sockets(sorted(at['right']))}: no pair of the box."
        )
        yield Check("look", f"“{feed.name}” is not on a pair", apart)


def _in_mono(routing: Routing, feed: Feed) -> Mend:
    """Every socket of a feed gets all of it, once."""
    patches: list[Patch] = []
    for patch in routing.patches:
        whole = replace(patch, side="mono") if patch.feed == feed.id else patch
        if not any((p.feed, p.side, p.socket) == (whole.feed, whole.side, whole.socket) for p in patches):
            patches.append(whole)
    return Mend("Send it in mono", tuple(patches))


def _to_free_sockets(routing: Routing, feed: Feed) -> Mend | None:
    """The feed on the first free sockets, a pair where it is stereo and there is one; None where too few are free."""
    taken = {p.socket for p in routing.patches}
    free = [s.number for s in routing.sockets if s.use == "free" and s.number not in taken]
    pair = next((p for p in pairs_of(routing.sockets) if set(p) <= set(free)), None)
    if feed.channels == 2 and pair:
        wires = tuple(Patch(feed=feed.id, side=side, socket=n) for side, n in zip(_SIDES, pair, strict=True))
    elif free:
        wires = (Patch(feed=feed.id, side="mono", socket=free[0]),)
    else:
        return None
    numbers = _sockets([w.socket for w in wires])
    return Mend(f"Wire it to {numbers}", (*routing.patches, *wires))


def _sharing(routing: Routing) -> Iterator[Check]:
    """Sockets on which feeds meet that are heard by different people."""
    feeds, lines = {f.id: f for f in routing.feeds}, kinds_of(routing.feeds)
    for socket in routing.sockets:
        own = list(dict.fromkeys(p.feed for p in routing.patches if p.socket == socket.number and p.feed in feeds))
        if len({lines[f] for f in own}) > 1:
            names = " and ".join(f"“{feeds[f].name}”" for f in own)
            yield Check("look", f"Socket {socket.number} is shared", f"{names} are heard by different people.")


def _unbalanced(routing: Routing) -> Iterator[Check]:
    carried = {p.socket for p in routing.patches}
    for socket in routing.sockets:
        need = di_box(socket) if socket.number in carried else ""
        title = f"Socket {socket.number} is not balanced"
        if need == "needed":
            hum = f"A cable of {socket.cable_m:g} m from it picks up hum: settle who brings a DI box."
            yield Check("look", title, hum)
        elif need == "maybe":
            yield Check("look", title, "A long cable from it picks up hum: ask for a DI box, or say how long it is.")


def _too_few(routing: Routing, delays: Delays) -> Iterator[Check]:
    """Sockets that carry something and that the interface in use does not have."""
    beyond = sorted({p.socket for p in routing.patches if p.socket > delays.outputs})
    if beyond:
        has = f"The interface has {delays.outputs} outputs: nothing is heard at {_sockets(beyond)}."
        yield Check("wrong", "The interface is too small", has)


def _delay(delays: Delays) -> Check:
    through = delays.out_ms + 2 * delays.block_ms
    told = f"{delays.out_ms:.0f} ms out, {through:.0f} ms for a microphone in and out again."
    if through > VOICE_MS:
        told += " Too late for a voice: monitor it at the desk or the interface."
    return Check("ok", "Delay through the computer", told)


def _kept(routing: Routing, codes: set[str]) -> Iterator[Check]:
    kept = [s.number for s in routing.sockets if s.use == "kept"]
    if kept and "socket-kept" not in codes:
        free = "Kept for another program; nothing of ours goes there."
        yield Check("ok", f"{_sockets(kept).capitalize()} left alone", free)


def _sockets(numbers: Sequence[int]) -> str:
    return ("socket " if len(numbers) == 1 else "sockets ") + ", ".join(map(str, numbers))
