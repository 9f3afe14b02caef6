"""A song's messages as they are written: put, taken out, copied from section to section."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import NamedTuple

import msgspec

from upbeat.errors import refuse
from upbeat.limits import SONG_MESSAGES
from upbeat.messages.kinds import Device, Message, resolved

_ORDER = {"start": 0, "section": 1, "bar": 1, "end": 2}


class Span(NamedTuple):
    """Where a section lies: its first bar, and how many it has."""

    first: int
    bars: int


def put(
    messages: Sequence[Message],
    message: Message,
    *,
    devices: Iterable[Device],
    spans: Mapping[str, Span],
    beats: Callable[[int], int],
    title: str,
) -> tuple[Message, ...]:
    """The messages with one that is new, or in place of the one of its id. Raises :class:`Refused`.

    ``beats``: how many a bar has.
    """
    resolved(message, devices, title)
    at, total = message.at, sum(s.bars for s in spans.values())
    if at.place == "section" and at.section not in spans:
        raise refuse("section-unknown", f"“{title}” has no such section any more: choose another one.")
    if at.place == "bar":
        if at.bar is None or at.bar > total:
            raise refuse("bar-unknown", f"“{title}” has bars 1 to {total}: choose one of them.")
        if at.beat > beats(at.bar):
            raise refuse("message-beat", f"Bar {at.bar} has {beats(at.bar)} beats: put the message on one of them.")
    kept = {m.id: m for m in messages}
    if message.id not in kept and len(messages) + 1 not in SONG_MESSAGES:
        raise refuse("messages-many", f"A song has at most {SONG_MESSAGES.high:,.0f} messages: take some out.")
    return in_order({**kept, message.id: message}.values(), spans)


def without(messages: Sequence[Message], ids: Iterable[str]) -> tuple[Message, ...]:
    """The messages without some of them."""
    gone = set(ids)
    return tuple(m for m in messages if m.id not in gone)


def copied(
    messages: Sequence[Message], section: str, to: Iterable[str], spans: Mapping[str, Span], new_id: Callable[[], str]
) -> tuple[Message, ...]:
    """The messages with those of a section put into others too, in place of what these have of the same devices.

    What lies past the end of a shorter section is left out. Raises :class:`Refused`.
    """
    if section not in spans or any(t not in spans for t in to):
        raise refuse("section-unknown", "The song has no such section any more: choose another one.")
    source = spans[section]
    own = [m for m in messages if bar_in(m, section, source) is not None]
    devices = {m.device for m in own}
    found = list(messages)
    for other in to:
        target = spans[other]
        found = [m for m in found if m.device not in devices or bar_in(m, other, target) is None or other == section]
        for m in own if other != section else ():
            bar = bar_in(m, section, source)
            if bar is None or bar >= target.bars:
                continue
            at = (
                msgspec.structs.replace(m.at, section=other)
                if m.at.place == "section"
                else msgspec.structs.replace(m.at, bar=target.first + bar)
            )
            found.append(msgspec.structs.replace(m, id=new_id(), at=at))
    if len(found) not in SONG_MESSAGES:
        raise refuse("messages-many", f"A song has at most {SONG_MESSAGES.high:,.0f} messages: copy to fewer sections.")
    return in_order(found, spans)


def bar_in(message: Message, section: str, span: Span) -> int | None:
    """The bar of a section that a message lies in, from 0; None where it does not."""
    if message.at.place == "section" and message.at.section == section:
        return 0
    if message.at.place == "bar" and message.at.bar is not None and 0 <= message.at.bar - span.first < span.bars:
        return message.at.bar - span.first
    return None


def in_order(messages: Iterable[Message], spans: Mapping[str, Span]) -> tuple[Message, ...]:
    """By their places."""

    def key(m: Message) -> tuple[int, int, int]:
        lost = Span(1 << 30, 0)
        bar = spans.get(m.at.section or "", lost).first if m.at.place == "section" else m.at.bar or 0
        return _ORDER[m.at.place], bar, m.at.beat if m.at.place == "bar" else 0

    return tuple(sorted(messages, key=key))
