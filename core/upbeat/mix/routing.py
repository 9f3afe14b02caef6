"""Feeds, sends, sockets and patch, and what may not be among them (rule M3)."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from upbeat.errors import Problem, Refused, refuse
from upbeat.song.stems import GUIDE_GROUPS, GUIDES
from upbeat.song.tone import Tone

Side = Literal["left", "right", "mono"]
MAX_SOCKETS = 64


@dataclass(frozen=True)
class Send:
    """How loud a source is in a feed.

    ``source``: ``group:rhythm``, ``stem:ID``, ``feed:ID``, ``click`` or ``cues``. ``before``: a feed is taken before
    its own level, so that who listens here keeps it when that is turned down.
    """

    source: str
    gain_db: float = 0.0
    before: bool = False


@dataclass(frozen=True, kw_only=True)
class Feed:
    """``alone``: what is alone by hand is heard alone in it (rule M7). ``player``: whose mix it is. ``tone``, and ``ceiling_db``,
    which no true peak of its sockets is above (dBTP; None: there is none): rule M8."""

    id: str
    name: str
    kind: Literal["house", "monitor"]
    channels: int = 2
    gain_db: float = 0.0
    sends: tuple[Send, ...] = ()
    alone: bool = False
    player: str | None = None
    tone: Tone | None = None
    ceiling_db: float | None = None


@dataclass(frozen=True)
class Socket:
    """A physical output; ``use``: ``free`` for our feeds, or ``kept`` for another program.

    ``label``: where it leads. ``printed``: what stands on the box. ``desk``: the desk's channel. ``mirrored``: another
    socket of the box that gives the same, as a headphone socket often does. ``cable_m``: metres; 0: not known.
    ``pair``: the socket that it makes a pair with; 0: as usual, its own number: none (``upbeat.outputs.pairs``).
    """

    number: int
    label: str = ""
    use: Literal["free", "kept"] = "free"
    balanced: bool = True
    headphones: bool = False
    printed: str = ""
    desk: str = ""
    mirrored: str = ""
    cable_m: float = 0.0
    pair: int = 0


@dataclass(frozen=True, kw_only=True)
class Patch:
    """One side of a feed on one socket."""

    feed: str
    side: Side
    socket: int
    trim_db: float = 0.0
    delay_ms: float = 0.0
    invert: bool = False


@dataclass(frozen=True)
class Routing:
    feeds: tuple[Feed, ...] = ()
    sockets: tuple[Socket, ...] = ()
    patches: tuple[Patch, ...] = ()


@dataclass(frozen=True, kw_only=True)
class Column:
    """One source channel: a stem's (``channel`` of ``channels``), or a guide by its name.

    ``width``: how far the sides of a stereo stem differ, 1 as they do, 0 both as their mean. ``feeds``: the feeds
    that a stem goes to in place of its group's, with decibels; None where it goes with its group. ``socket``: it goes
    straight to that one, past every feed.
    """

    source: str
    group: str = ""
    channel: int = 0
    channels: int = 1
    pan: float = 0.0
    width: float = 1.0
    feeds: tuple[tuple[str, float], ...] | None = None
    socket: int | None = None

    @property
    def is_guide(self) -> bool:
        """Whether nothing of it may ever reach the house (rules M3 and M10)."""
        return self.source in GUIDES or self.group in GUIDE_GROUPS


def gain(db: float) -> float:
    """Decibels to a factor."""
    return float(10 ** (db / 20))


def feed_order(feeds: Sequence[Feed]) -> list[Feed]:
    """Feeds so that each stands after the feeds it takes from. Raises :class:`Refused` for a loop."""
    by_id = {f.id: f for f in feeds}
    order: list[Feed] = []
    state: dict[str, int] = {}

    def visit(feed: Feed) -> None:
        if state.get(feed.id) == 1:
            raise refuse(
                "feed-loop", f"The feed “{feed.name}” takes from itself by way of its sends: take one of them out."
            )
        if state.get(feed.id):
            return
        state[feed.id] = 1
        for send in feed.sends:
            kind, _, name = send.source.partition(":")
            if kind == "feed":
                if name not in by_id:
                    raise refuse("feed-unknown", f"The feed “{feed.name}” takes from a feed that is not there.")
                visit(by_id[name])
        state[feed.id] = 2
        order.append(feed)

    for feed in feeds:
        visit(feed)
    return order


def guide_of(source: str) -> str | None:
    """Which guide a source of a send is, ``group:click`` like ``click``; None for music and feeds."""
    name = source.removeprefix("group:")
    return name if name in (GUIDES if name == source else GUIDE_GROUPS) else None


def guided(feeds: Sequence[Feed]) -> dict[str, set[str]]:
    """For each feed id, which of click, cues and timecode are in it, directly or by another feed."""
    found: dict[str, set[str]] = {}
    for feed in feed_order(feeds):
        found[feed.id] = set()
        for send in feed.sends:
            if (guide := guide_of(send.source)) is not None:
                found[feed.id].add(guide)
            elif send.source.startswith("feed:"):
                found[feed.id] |= found[send.source[5:]]
    return found


def routing_problems(routing: Routing) -> list[Problem]:
    """Everything that keeps a routing from being used on stage (rule M3 first of all)."""
    try:
        guides = guided(routing.feeds)
    except Refused as refused:
        return list(refused.problems)
    problems = [
        Problem(
            "click-in-house",
            f"{' and '.join(sorted(guides[feed.id])).capitalize()} would be heard in the house feed “{feed.name}”: take the send out, or mark the feed as a monitor.",
        )
        for feed in routing.feeds
        if feed.kind == "house" and guides[feed.id]
    ]
    on_socket: dict[int, list[Patch]] = {}
    for patch in routing.patches:
        wrong = _patch_problem(routing, patch)
        problems += [wrong] if wrong else []
        if wrong is None or wrong.code == "socket-kept":
            on_socket.setdefault(patch.socket, []).append(patch)
    for number, patches in sorted(on_socket.items()):
        problems += _socket_problems(routing, guides, number, patches)
    return problems


def timecode_problems(routing: Routing, sockets: Mapping[str, int]) -> list[Problem]:
    """What keeps timecode from sounding at a socket (rule M10). ``sockets``: by what hears it there."""
    by_number = {s.number: s for s in routing.sockets}
    problems, taken = [], dict[int, str]()
    for name, number in sockets.items():
        carried = next(
            (f.name for p in routing.patches for f in routing.feeds if (p.socket, p.feed) == (number, f.id)), ""
        )
        if number not in by_number:
            words = f"“{name}” hears timecode at socket {number}, which the rig does not have: choose another one."
        elif carried:
            words = f"“{name}” hears timecode at socket {number}, where “{carried}” would be heard with it: give one of them another socket."
        elif by_number[number].use == "kept":
            words = f"Socket {number} is kept for another program: “{name}” cannot hear timecode there."
        elif number in taken:
            words = f"“{name}” and “{taken[number]}” hear timecode at socket {number}: give one of them another socket."
        else:
            taken[number] = name
            continue
        problems.append(Problem("timecode-socket", words))
    return problems


def _patch_problem(routing: Routing, patch: Patch) -> Problem | None:
    """What is wrong with one wire."""
    feed = next((f for f in routing.feeds if f.id == patch.feed), None)
    socket = next((s for s in routing.sockets if s.number == patch.socket), None)
    if feed is None:
        return Problem(
            "patch-feed-unknown", f"Socket {patch.socket} is wired to a feed that is not there: wire it anew."
        )
    if socket is None:
        return Problem(
            "patch-socket-unknown", f"“{feed.name}” is wired to socket {patch.socket}, which the rig does not have."
        )
    if socket.use == "kept":
        return Problem(
            "socket-kept",
            f"Socket {patch.socket} is kept for another program: wire “{feed.name}” elsewhere, or free the socket.",
        )
    return None


def _socket_problems(
    routing: Routing, guides: Mapping[str, Collection[str]], number: int, patches: Sequence[Patch]
) -> list[Problem]:
    """What is wrong with the wires of one socket together. ``guides``: click and cues in each feed."""
    problems = []
    feeds = {f.id: f for f in routing.feeds}
    house = [feeds[p.feed].name for p in patches if feeds[p.feed].kind == "house"]
    spoken = [feeds[p.feed].name for p in patches if guides[p.feed]]
    if house and spoken:
        problems.append(
            Problem(
                "click-in-house",
                f"Socket {number} carries the house feed “{house[0]}”, so “{spoken[0]}”, with click or cues in it, cannot go there too.",
            )
        )
    if len({p.delay_ms for p in patches}) > 1:
        problems.append(
            Problem("socket-delays", f"Two feeds on socket {number} ask for different delays: give them the same one.")
        )
    return problems
