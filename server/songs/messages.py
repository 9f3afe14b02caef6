"""What a song sends to devices: kept with the song, shown on its page, written into shows."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import accumulate
from typing import Any, TypedDict, cast

import msgspec
from django.conf import settings

from devices.changes import KEPT
from songs.build import song_document
from songs.models import Song
from songs.rows import held
from upbeat.errors import refuse
from upbeat.messages.held import Outgoing
from upbeat.messages.kinds import Device, Message, Sent, read_messages, sent_by
from upbeat.messages.written import Span, bar_in, in_order
from upbeat.play.compile import compile_entry
from upbeat.play.plan import EntryPlan, Link
from upbeat.show.document import read_song
from upbeat.time.meter import counted


class MessageShown(TypedDict):
    """``bar``: of the section it stands in, from 0; none at the song's start and end. ``says``: what is sent, by its device's names.

    ``lost``: it is not sent, since its device, its name there or its place is gone.
    """

    message: Message
    section: str | None
    bar: int | None
    says: Sent | None
    name: str
    lost: bool


class LaneSection(TypedDict):
    """``beats``: how many each of its bars has."""

    id: str
    beats: list[int]


class MessagesShown(TypedDict):
    """``devices``: those of the band; ``sections`` in order, with the beats of their bars."""

    revision: int
    devices: list[Device]
    sections: list[LaneSection]
    messages: list[MessageShown]


class HoldShown(TypedDict):
    """What a device has been brought to."""

    device: str
    says: Sent
    name: str


class HoldsShown(TypedDict):
    """What holds at a place."""

    holds: list[HoldShown]


def written(song: Song) -> tuple[Message, ...]:
    """The messages of a song, in order. Raises :class:`Refused`."""
    return read_messages(song.messages, song.title)


def keep(song: Song, messages: Sequence[Message]) -> None:
    """Keep them with the song, in memory."""
    song.messages = msgspec.to_builtins(tuple(messages))


def spans_of(song: Song) -> dict[str, Span]:
    """Where each section lies."""
    sections = held(song).sections
    firsts = accumulate((s.bars for s in sections), initial=1)
    return {s.id: Span(first, s.bars) for s, first in zip(sections, firsts, strict=False)}


def messages_document(song: Song, devices: Sequence[Device]) -> list[dict[str, Any]]:
    """The messages that can be sent, as a show has them."""
    known = {d.id: d for d in devices}
    found = [m for m in written(song) if m.device in known and sent_by(known[m.device], m.send) is not None]
    kept: list[dict[str, Any]] = msgspec.json.decode(msgspec.json.encode(found))
    return kept


def shown_messages(song: Song) -> MessagesShown:
    """The messages of a song in its sections."""
    devices, spans = KEPT.of(song.band), spans_of(song)
    meters = read_song(song_document(song, stems=False)).grid.meters
    return MessagesShown(
        revision=song.revision,
        devices=list(devices),
        sections=[
            LaneSection(
                id=section,
                beats=[len(counted(meters.at_bar(span.first + bar)).felt_beats) for bar in range(span.bars)],
            )
            for section, span in spans.items()
        ],
        messages=[_shown(m, devices, spans) for m in in_order(written(song), spans)],
    )


def _shown(message: Message, devices: Sequence[Device], spans: dict[str, Span]) -> MessageShown:
    device = next((d for d in devices if d.id == message.device), None)
    says = None if device is None else sent_by(device, message.send)
    inside = [(s, bar) for s, span in spans.items() if (bar := bar_in(message, s, span)) is not None]
    section, bar = inside[0] if inside else (None, None)
    placed = message.at.place in ("start", "end") or bool(inside)
    return MessageShown(
        message=message,
        section=section,
        bar=bar,
        says=says[0] if says else None,
        name=says[1] if says else "",
        lost=says is None or not placed,
    )


def plan_of(song: Song, form: str | None) -> EntryPlan:
    """A form of the song compiled with its messages. Raises :class:`Refused`."""
    devices = KEPT.of(song.band)
    core = read_song({**song_document(song, stems=False), "messages": messages_document(song, devices)})
    return compile_entry(str(song.pk), core, core.form(form), Link(), settings.SAMPLE_RATE, devices=devices)


def shown_holds(song: Song, form: str | None, step: int, round_: int, bar: int) -> HoldsShown:
    """What every device has been brought to where a bar of a step begins, from 1 (rule S3). Raises :class:`Refused`."""
    plan = plan_of(song, form)
    if not 0 <= step < len(plan.steps) or step not in plan.playable:
        raise refuse("step-unknown", "This form has no such section: choose another place.")
    here = plan.steps[step]
    if not 1 <= bar <= here.bars:
        raise refuse("bar-unknown", f"This section has bars 1 to {here.bars}: choose one of them.")
    if not plan.score:
        return HoldsShown(holds=[])
    src = int(plan.bar_frames[here.first_bar - 1 + bar - 1])
    standing = plan.score.pass_of(step, max(1, round_)).held_at(src)
    return HoldsShown(holds=[_hold(out) for out in standing.values()])


def _hold(out: Outgoing) -> HoldShown:
    return HoldShown(device=out.device, says=cast(Sent, out.send), name=out.name)
