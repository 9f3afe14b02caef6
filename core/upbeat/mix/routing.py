"""Feeds, sends, sockets and patch, and the one matrix they come down to (rules M1 to M4)."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from upbeat.errors import Problem, Refused, refuse
from upbeat.song.stems import GUIDES

Side = Literal["left", "right", "mono"]
MAX_SOCKETS = 64


@dataclass(frozen=True)
class Send:
    """How loud a source is in a feed.

    ``source``: ``group:rhythm``, ``stem:ID``, ``feed:ID``, ``click`` or ``cues``.
    """

    source: str
    gain_db: float = 0.0


@dataclass(frozen=True, kw_only=True)
class Feed:
    """``alone``: what is alone by hand is heard alone in it (rule M7)."""

    id: str
    name: str
    kind: Literal["house", "monitor"]
    channels: int = 2
    gain_db: float = 0.0
    sends: tuple[Send, ...] = ()
    alone: bool = False


@dataclass(frozen=True)
class Socket:
    """A physical output; ``use``: ``free`` for our feeds, or ``kept`` for another program."""

    number: int
    label: str = ""
    use: Literal["free", "kept"] = "free"
    balanced: bool = True


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

    ``width``: how far the sides of a stereo stem differ, 1 as they do, 0 both as their mean.
    """

    source: str
    group: str = ""
    channel: int = 0
    channels: int = 1
    pan: float = 0.0
    width: float = 1.0


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


def guided(feeds: Sequence[Feed]) -> dict[str, set[str]]:
    """For each feed id, which of click and cues are in it, directly or by another feed."""
    found: dict[str, set[str]] = {}
    for feed in feed_order(feeds):
        found[feed.id] = set()
        for send in feed.sends:
            if send.source in GUIDES:
                found[feed.id].add(send.source)
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


def _stem_in_feed(column: Column, channels: int) -> tuple[float, ...]:
    """Gains of one stem channel in a mono or stereo feed.

    A mono stem is panned by the sine and cosine law (equal power, -3 dB in the middle); a stereo
    stem is balanced, the side turned away from falling off by the same law, 0 dB in the middle.
    Its width w leaves the mean of the sides and multiplies half their difference by w.
    A stereo stem in a mono feed is the mean of its sides.
    """
    if channels == 1:
        return (1.0 / column.channels,)
    angle = (column.pan + 1) * np.pi / 4
    left, right = float(np.cos(angle)), float(np.sin(angle))
    if column.channels == 1:
        return left, right
    peak = max(left, right)
    if column.channels == 2:
        own, other = (1 + column.width) / 2, (1 - column.width) / 2
        return (
            (own * left / peak, other * right / peak)
            if column.channel == 0
            else (other * left / peak, own * right / peak)
        )
    return left / column.channels, right / column.channels


def feed_blocks(
    routing: Routing,
    columns: Sequence[Column],
    gains: Sequence[float],
    *,
    house_on: bool = True,
    barred: frozenset[str] = frozenset(),
    outputs: Mapping[str, np.ndarray | None] | None = None,
    trims: Mapping[str, float] | None = None,
) -> tuple[dict[str, np.ndarray], dict[str, np.ndarray]]:
    """For each feed its (channels, columns) block: how loud each source channel is in it.

    ``gains``: factor of each column (0 where it is silent). ``barred``: sources that must not
    reach a house feed (rehearsal only). ``house_on`` False silences house feeds, and what a
    monitor takes from one stays (rule M5). ``outputs``: feeds that carry a processor, with their
    block in place of the sum of their sends (None: nothing); those sums are the second answer.
    ``trims``: factors of feeds where they are heard; what another feed takes from one stays.
    """
    outputs = outputs or {}
    whole: dict[str, np.ndarray] = {}
    heard: dict[str, np.ndarray] = {}
    inputs: dict[str, np.ndarray] = {}
    for feed in feed_order(routing.feeds):
        rows = np.zeros((feed.channels, len(columns)))
        for send in feed.sends:
            if send.source.startswith("feed:"):
                rows += gain(send.gain_db) * _folded(whole[send.source[5:]], feed.channels)
                continue
            for c, column in enumerate(columns):
                named = send.source in (column.source, f"group:{column.group}") and gains[c] != 0
                if named and not (feed.kind == "house" and column.source in barred):
                    rows[:, c] += gain(send.gain_db) * gains[c] * np.array(_stem_in_feed(column, feed.channels))
        rows = rows * gain(feed.gain_db)
        if feed.id in outputs:
            inputs[feed.id] = rows
            given = outputs[feed.id]
            rows = np.zeros_like(rows) if given is None else given
        whole[feed.id] = rows
        trim = (trims or {}).get(feed.id, 1.0) if house_on or feed.kind != "house" else 0
        heard[feed.id] = rows if trim == 1 else trim * rows
    return heard, inputs


def feed_rows(
    routing: Routing,
    columns: Sequence[Column],
    gains: Sequence[float],
    house_on: bool = True,
    barred: frozenset[str] = frozenset(),
) -> dict[str, np.ndarray]:
    """:func:`feed_blocks` where no feed carries a processor."""
    return feed_blocks(routing, columns, gains, house_on=house_on, barred=barred)[0]


def _folded(rows: np.ndarray, channels: int) -> np.ndarray:
    """A feed's rows as another feed with ``channels`` hears them."""
    if len(rows) == channels:
        return rows
    return rows.mean(axis=0, keepdims=True) if channels == 1 else np.repeat(rows, 2, axis=0) * gain(-3.0103)


def socket_rows(routing: Routing, feeds: Mapping[str, np.ndarray], columns: int) -> np.ndarray:
    """The one matrix: (sockets, columns), rows in the order of ``routing.sockets``."""
    row = {s.number: i for i, s in enumerate(routing.sockets)}
    matrix = np.zeros((len(routing.sockets), columns))
    for patch in routing.patches:
        if patch.socket not in row or patch.feed not in feeds:
            continue
        block = feeds[patch.feed]
        side = (
            block.mean(axis=0) if patch.side == "mono" or len(block) == 1 else block[0 if patch.side == "left" else 1]
        )
        matrix[row[patch.socket]] += side * gain(patch.trim_db) * (-1 if patch.invert else 1)
    return matrix
