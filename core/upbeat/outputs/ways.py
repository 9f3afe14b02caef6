"""Every way from a source to a socket: the feeds it goes through, one after the other, and the wire at the end."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from itertools import islice

from upbeat.mix.routing import Feed, Patch, Routing

MOST_WAYS = 500  # feeds in feeds may branch without end


@dataclass(frozen=True, kw_only=True)
class Wanted:
    """A source as sends know it: ``names`` they may take it by; ``feeds``: feeds it goes to by itself, with decibels."""

    names: frozenset[str]
    feeds: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True, kw_only=True)
class Through:
    """A feed on a way: ``send_db`` into it; ``level_db``: its own level, 0 where the next feed takes it before that."""

    feed: Feed
    send_db: float
    level_db: float


@dataclass(frozen=True, kw_only=True)
class Way:
    """``through``: the feeds from the source on; it may begin in a feed and have none but that."""

    through: tuple[Through, ...]
    patch: Patch

    @property
    def gain_db(self) -> float:
        return sum(t.send_db + t.level_db for t in self.through) + self.patch.trim_db


def ways(routing: Routing, wanted: Wanted, socket: int) -> list[Way]:
    """The ways of a source to a socket, at most :data:`MOST_WAYS`."""
    feeds = {f.id: f for f in routing.feeds}
    found = (
        Way(through=through, patch=patch)
        for patch in routing.patches
        if patch.socket == socket and patch.feed in feeds
        for through in _into(feeds, feeds[patch.feed], wanted, before=False)
    )
    return list(islice(found, MOST_WAYS))


def _into(feeds: Mapping[str, Feed], feed: Feed, wanted: Wanted, before: bool) -> Iterator[tuple[Through, ...]]:
    level = 0.0 if before else feed.gain_db

    def here(send_db: float) -> Through:
        return Through(feed=feed, send_db=send_db, level_db=level)

    if f"feed:{feed.id}" in wanted.names:
        yield (here(0.0),)
        return
    if feed.id in wanted.feeds:
        yield (here(wanted.feeds[feed.id]),)
    for send in feed.sends:
        if send.source in wanted.names:
            yield (here(send.gain_db),)
        elif send.source.startswith("feed:") and send.source[5:] in feeds:
            for through in _into(feeds, feeds[send.source[5:]], wanted, send.before):
                yield (*through, here(send.gain_db))
