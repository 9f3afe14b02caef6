"""What a show loses on another rig: mixes, sides, feeds that the desk can no longer tell apart, and level in mono."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import combinations
from typing import Literal, get_args

import numpy as np

from upbeat.mix.gains import feed_blocks, kept_out_of_house, socket_rows
from upbeat.mix.routing import Column, Feed, Patch, Routing, Side, Socket, guided

LEAST_DB = 0.05  # of what is said to be lost
_SILENT = 1e-12  # of the power of full scale

LostCode = Literal["guide", "mix", "house", "joined", "mono", "mono-loss"]
_WORST_FIRST: tuple[LostCode, ...] = get_args(LostCode)


@dataclass(frozen=True, kw_only=True)
class Lost:
    """``what``: the id of the feed or stem; ``db``: how much softer a stem is in the house."""

    code: LostCode
    what: str
    message: str
    db: float | None = None


@dataclass(frozen=True, kw_only=True)
class StemSides:
    """A stem as it is heard: ``powers`` (channels, channels), the mean product of each two of its channels.

    ``barred``: it must not reach the house (rehearsal only).
    """

    id: str
    name: str
    song: str
    columns: tuple[Column, ...]
    powers: np.ndarray
    barred: bool = False


def sides_powers(pcm: np.ndarray, scale: float = 1.0, block: int = 1 << 20) -> np.ndarray:
    """(channels, channels): the mean over all frames of each two channels' product. ``pcm``: (frames, channels)."""
    total = np.zeros((pcm.shape[1], pcm.shape[1]))
    for at in range(0, len(pcm), block):
        part = np.asarray(pcm[at : at + block], dtype=np.float64) * scale
        total += part.T @ part
    return total / max(1, len(pcm))


def lost(before: Routing, after: Routing, stems: Sequence[StemSides], players: Mapping[str, str]) -> list[Lost]:
    """What is lost from one routing to the other, the worst first. ``players``: id to name."""
    found = [*_feeds_lost(before, after, players), *_joined(before, after), *_softer(before, after, stems)]
    return sorted(found, key=lambda one: (_WORST_FIRST.index(one.code), -(one.db or 0.0)))


def mono_losses(routing: Routing, stems: Sequence[StemSides]) -> list[Lost]:
    """How much softer stems are in the house than they would be with every house feed on a pair, the worst first."""
    return sorted(_softer(_apart(routing), routing, stems), key=lambda one: -(one.db or 0.0))


def _apart(routing: Routing) -> Routing:
    """Every house feed that leaves, on two sockets of its own, or on one where it is mono."""
    sockets: list[Socket] = []
    patches: list[Patch] = []
    for feed in (f for f in routing.feeds if f.kind == "house"):
        trims = [p.trim_db for p in routing.patches if p.feed == feed.id]
        if not trims:
            continue
        sides: Sequence[Side] = ("left", "right") if feed.channels == 2 else ("mono",)
        for side in sides:
            sockets.append(Socket(len(sockets) + 1))
            patches.append(Patch(feed=feed.id, side=side, socket=len(sockets), trim_db=max(trims)))
    return replace(routing, sockets=tuple(sockets), patches=tuple(patches))


def house_powers(routing: Routing, stems: Sequence[StemSides]) -> list[float]:
    """The power of each stem in the house: of a feed on two sockets their mean, of one in mono its own.

    So a stem whose sides are the same is as strong in mono as in stereo.
    """
    house = {f.id for f in routing.feeds if f.kind == "house"}
    weights = [_weight(routing, s.number, house) for s in routing.sockets]
    found = []
    for stem in stems:
        barred = frozenset({stem.columns[0].source}) if stem.barred else frozenset[str]()
        heard = feed_blocks(routing, stem.columns, [1.0] * len(stem.columns), barred=barred).heard
        rows = socket_rows(routing, heard, kept_out_of_house(stem.columns, barred))
        found.append(float(np.dot(weights, np.einsum("rc,cd,rd->r", rows, stem.powers, rows))))
    return found


def _weight(routing: Routing, number: int, house: set[str]) -> float:
    """How much a socket counts: a house feed counts once, on however many sockets it leaves."""
    feed = next((p.feed for p in routing.patches if p.socket == number and p.feed in house), None)
    return 1.0 / len({p.socket for p in routing.patches if p.feed == feed}) if feed is not None else 0.0


def _softer(before: Routing, after: Routing, stems: Sequence[StemSides]) -> list[Lost]:
    found = []
    for stem, was, now in zip(stems, house_powers(before, stems), house_powers(after, stems), strict=True):
        if was <= _SILENT:
            continue
        if now <= _SILENT * was:
            gone = f"“{stem.name}” of {stem.song} is not heard in the house any more."
            found.append(Lost(code="house", what=stem.id, message=gone, db=None))
            continue
        db = 10 * float(np.log10(was / now))
        if db >= LEAST_DB:
            said = f"“{stem.name}” of {stem.song} is {db:.1f} dB softer in mono."
            found.append(Lost(code="mono-loss", what=stem.id, message=said, db=round(db, 2)))
    return found


def _feeds_lost(before: Routing, after: Routing, players: Mapping[str, str]) -> Iterator[Lost]:
    guides = guided(before.feeds)
    heard_before, heard_after = _heard(before), _heard(after)
    spoken = {g for f in heard_after for g in guides[f]}
    for guide in sorted({g for f in heard_before for g in guides[f]} - spoken):
        yield Lost(code="guide", what=guide, message=f"Nobody hears the {guide}.")
    for feed in before.feeds:
        if feed.id in heard_before and feed.id not in heard_after and feed.kind == "monitor":
            yield Lost(code="mix", what=feed.id, message=_left_out(feed, players, spoken))
        elif feed.id in heard_after and _stereo(before, feed) and not _stereo(after, feed):
            yield Lost(code="mono", what=feed.id, message=f"“{feed.name}” is in mono.")


def _left_out(feed: Feed, players: Mapping[str, str], spoken: set[str]) -> str:
    who = players.get(feed.player or "", "who listens there")
    instead = f"hears {' and '.join(sorted(spoken))} instead" if spoken else "hears nothing"
    return f"“{feed.name}” is left out: {who} {instead}."


def _joined(before: Routing, after: Routing) -> Iterator[Lost]:
    sockets_before, sockets_after = _sockets(before), _sockets(after)
    for a, b in combinations([f for f in before.feeds if f.id in sockets_after], 2):
        apart = not sockets_before.get(a.id, set()) & sockets_before.get(b.id, set())
        if a.kind == b.kind and apart and sockets_after[a.id] & sockets_after.get(b.id, set()):
            said = f"“{a.name}” and “{b.name}” leave together: the desk cannot raise one of them alone."
            yield Lost(code="joined", what=b.id, message=said)


def _heard(routing: Routing) -> set[str]:
    return {p.feed for p in routing.patches}


def _sockets(routing: Routing) -> dict[str, set[int]]:
    return {f: {p.socket for p in routing.patches if p.feed == f} for f in _heard(routing)}


def _stereo(routing: Routing, feed: Feed) -> bool:
    return {"left", "right"} <= {p.side for p in routing.patches if p.feed == feed.id}
