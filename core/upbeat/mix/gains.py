"""How loud every source channel is in each feed and on each socket: the one matrix of rules M1 to M4.

Guides never reach a house feed, nor a socket that carries one, whatever the sends and wires say (rules M3 and M10): what
:func:`upbeat.mix.routing.routing_problems` refuses is silent here all the same.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from upbeat.mix.routing import Column, Feed, Routing, feed_order, gain

_EACH_OF_TWO = gain(-3.0103)  # a mono feed in a stereo one, by equal power
_KEPT = 512  # sets of columns: a few for each song of a show


@dataclass(frozen=True, kw_only=True)
class FeedBlocks:
    """For each feed its (channels, columns) block: ``heard`` where it is wired, ``inputs`` of those with a processor."""

    heard: dict[str, np.ndarray]
    inputs: dict[str, np.ndarray]


def feed_blocks(
    routing: Routing,
    columns: Sequence[Column],
    gains: Sequence[float],
    *,
    house_on: bool = True,
    barred: frozenset[str] = frozenset(),
    outputs: Mapping[str, np.ndarray | None] | None = None,
    trims: Mapping[str, float] | None = None,
) -> FeedBlocks:
    """How loud each source channel is in each feed.

    ``gains``: factor of each column (0 where it is silent). ``barred``: sources that must not
    reach a house feed (rehearsal only), besides the guides. ``house_on`` False silences house feeds, and what a
    monitor takes from one stays (rule M5). ``outputs``: feeds that carry a processor, with their
    block in place of the sum of their sends (None: nothing). ``trims``: factors of feeds where they are heard;
    what another feed takes from one stays.
    """
    columns, factors, outputs = tuple(columns), np.asarray(gains, dtype=np.float64), outputs or {}
    kept_out = kept_out_of_house(columns, barred)
    # What other feeds take from each: before and after its own level.
    summed: dict[str, np.ndarray] = {}
    levelled: dict[str, np.ndarray] = {}
    heard: dict[str, np.ndarray] = {}
    inputs: dict[str, np.ndarray] = {}
    for feed in feed_order(routing.feeds):
        rows = stem_sides(columns, feed.channels) * (_weights(columns, feed) * factors)
        for send in feed.sends:
            if send.source.startswith("feed:"):
                taken = (summed if send.before else levelled)[send.source[5:]]
                rows = rows + gain(send.gain_db) * _folded(taken, feed.channels)
        if feed.kind == "house" and kept_out.any():
            rows = np.where(kept_out, 0.0, rows)
        summed[feed.id] = rows
        rows = rows * gain(feed.gain_db)
        if feed.id in outputs:
            inputs[feed.id] = rows
            given = outputs[feed.id]
            rows = np.zeros_like(rows) if given is None else given
        levelled[feed.id] = rows
        trim = (trims or {}).get(feed.id, 1.0) if house_on or feed.kind != "house" else 0
        heard[feed.id] = rows if trim == 1 else trim * rows
    return FeedBlocks(heard=heard, inputs=inputs)


def kept_out_of_house(columns: Sequence[Column], barred: frozenset[str] = frozenset()) -> np.ndarray:
    """Which columns must not reach a house feed, nor a socket that carries one (boolean)."""
    return np.array([c.is_guide or c.source in barred for c in columns], dtype=bool)


def socket_rows(routing: Routing, feeds: Mapping[str, np.ndarray], kept_out: np.ndarray) -> np.ndarray:
    """The one matrix: (sockets, columns), rows in the order of ``routing.sockets``.

    ``kept_out``: of each column whether it must not reach a socket that carries a house feed.
    """
    row = {s.number: i for i, s in enumerate(routing.sockets)}
    house = {f.id for f in routing.feeds if f.kind == "house"}
    matrix = np.zeros((len(routing.sockets), len(kept_out)))
    in_house = np.zeros(len(routing.sockets), dtype=bool)
    for patch in routing.patches:
        if patch.socket not in row or patch.feed not in feeds:
            continue
        block = feeds[patch.feed]
        whole = patch.side == "mono" or len(block) == 1
        side = block.mean(axis=0) if whole else block[0 if patch.side == "left" else 1]
        matrix[row[patch.socket]] += side * gain(patch.trim_db) * (-1 if patch.invert else 1)
        in_house[row[patch.socket]] |= patch.feed in house
    matrix[np.ix_(in_house, kept_out)] = 0
    return matrix


def straight_rows(routing: Routing, columns: Sequence[Column], *, house_on: bool = True) -> np.ndarray:
    """(sockets, columns): columns that go straight to a socket, with the polarity that all its wires have.

    Their level is as it is given, past the trims. ``house_on`` False silences sockets that carry a house feed.
    """
    row = {s.number: i for i, s in enumerate(routing.sockets)}
    house = {f.id for f in routing.feeds if f.kind == "house"}
    matrix = np.zeros((len(routing.sockets), len(columns)))
    for i, column in enumerate(columns):
        own = [p for p in routing.patches if p.socket == column.socket]
        if column.socket not in row or (not house_on and any(p.feed in house for p in own)):
            continue
        matrix[row[column.socket], i] = -1 if own and all(p.invert for p in own) else 1
    return matrix


@lru_cache(maxsize=_KEPT)
def stem_sides(columns: tuple[Column, ...], channels: int) -> np.ndarray:
    """(channels, columns): gains of every stem channel in a mono or stereo feed.

    A mono stem is panned by the sine and cosine law (equal power, -3 dB in the middle); a stereo
    stem is balanced, the side turned away from falling off by the same law, 0 dB in the middle.
    Its width w leaves the mean of the sides and multiplies half their difference by w.
    A stereo stem in a mono feed is the mean of its sides.
    """
    sides = [_sides_of(c, channels) for c in columns]
    return np.array(sides, dtype=np.float64).reshape(len(columns), channels).T


def _sides_of(column: Column, channels: int) -> tuple[float, ...]:
    if channels == 1:
        return (1.0 / column.channels,)
    angle = (column.pan + 1) * np.pi / 4
    left, right = float(np.cos(angle)), float(np.sin(angle))
    if column.channels == 1:
        return left, right
    peak = max(left, right)
    if column.channels > 2:
        return left / column.channels, right / column.channels
    own, other = (1 + column.width) / 2, (1 - column.width) / 2
    to_left, to_right = (own, other) if column.channel == 0 else (other, own)
    return to_left * left / peak, to_right * right / peak


def _weights(columns: tuple[Column, ...], feed: Feed) -> np.ndarray:
    """(columns,): the factor that each is sent to a feed with."""
    weights = _own_ways(columns, feed.id)
    for send in feed.sends:
        if not send.source.startswith("feed:"):
            weights = weights + gain(send.gain_db) * _named(columns, send.source)
    return weights


@lru_cache(maxsize=8 * _KEPT)
def _named(columns: tuple[Column, ...], source: str) -> np.ndarray:
    """Which columns a send takes (boolean): one that has feeds of its own does not go with its group."""
    return np.array(
        [source == c.source or (c.feeds is None and source == f"group:{c.group}") for c in columns], dtype=bool
    )


@lru_cache(maxsize=8 * _KEPT)
def _own_ways(columns: tuple[Column, ...], feed: str) -> np.ndarray:
    """The factors of stems that go to a feed in place of their group's."""
    return np.array([sum(gain(db) for to, db in c.feeds or () if to == feed) for c in columns], dtype=np.float64)


def _folded(rows: np.ndarray, channels: int) -> np.ndarray:
    """A feed's rows as another feed with ``channels`` hears them."""
    if len(rows) == channels:
        return rows
    return rows.mean(axis=0, keepdims=True) if channels == 1 else np.repeat(rows, 2, axis=0) * _EACH_OF_TWO
