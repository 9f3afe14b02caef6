"""Devices and messages as they are written (rule S1). Plain data, checked when read."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Annotated, Any, Literal

import msgspec

from upbeat.arguments import parsed
from upbeat.errors import refuse
from upbeat.limits import BARS, DEVICE_LEAD_MS, MESSAGE_BEATS, NAME, SOCKETS

_Id = Annotated[str, msgspec.Meta(min_length=1, max_length=64)]
_Name = Annotated[str, msgspec.Meta(min_length=1, max_length=NAME)]
_Seven = Annotated[int, msgspec.Meta(ge=0, le=127)]
_Beats = Annotated[float, msgspec.Meta(ge=MESSAGE_BEATS.low, le=MESSAGE_BEATS.high)]
_Bar = Annotated[int, msgspec.Meta(ge=int(BARS.low), le=int(BARS.high))]
OscValue = bool | int | float | str
DeviceKind = Literal["midi", "osc", "timecode"]
Fps = Literal["24", "25", "29.97df", "30"]
OnJump = Literal["jump", "run_on"]


class Program(msgspec.Struct, frozen=True, tag_field="kind", tag="program", forbid_unknown_fields=True):
    """A program of a keyboard, counted from 1 as keyboards show it; ``bank`` from 0, None for the one that is there."""

    program: Annotated[int, msgspec.Meta(ge=1, le=128)]
    bank: Annotated[int, msgspec.Meta(ge=0, le=16383)] | None = None


class Controller(msgspec.Struct, frozen=True, tag_field="kind", tag="controller", forbid_unknown_fields=True):
    """A controller's value; ``over_beats``: reached in a line from what it is, over so many counted beats."""

    controller: Annotated[int, msgspec.Meta(ge=0, le=119)]
    value: _Seven
    over_beats: _Beats | None = None


class Note(msgspec.Struct, frozen=True, tag_field="kind", tag="note", forbid_unknown_fields=True):
    """A note that sounds for ``beats`` counted beats."""

    note: _Seven
    velocity: Annotated[int, msgspec.Meta(ge=1, le=127)] = 100
    beats: _Beats = 1.0


class Osc(msgspec.Struct, frozen=True, tag_field="kind", tag="osc", forbid_unknown_fields=True):
    """A message of Open Sound Control 1.0: an address and its arguments."""

    address: Annotated[str, msgspec.Meta(min_length=1, max_length=200)]
    args: Annotated[tuple[OscValue, ...], msgspec.Meta(max_length=32)] = ()


class Clock(msgspec.Struct, frozen=True, tag_field="kind", tag="clock"):
    """MIDI clock: a tick, start, continue, stop, or a song position; made by the song's tempo map, never written."""

    data: tuple[int, ...]


class Named(msgspec.Struct, frozen=True, tag_field="kind", tag="named", forbid_unknown_fields=True):
    """A message that its device has by a name."""

    message: _Id


Sent = Program | Controller | Note | Osc
#: Kinds that hold until the next of theirs, where a message does not say so itself (rule S3).
HOLDING = ("program", "controller")
Out = Sent | Clock


class DeviceMessage(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A message of a device that has a name: people see “Warm wash”, the device gets note 62."""

    id: _Id
    name: _Name
    send: Sent


class Device(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """A named receiver of messages: a MIDI ``port`` and ``channel``, or an OSC ``host`` and ``udp_port``.

    ``lead_ms``: its messages go out so much before their place; less than 0: after it. ``clock``: it gets MIDI clock.
    One of ``timecode`` gets that and no messages: as MIDI at its ``port``, or as sound at a ``socket`` of the rig that carries
    nothing else. ``on_jump``: it jumps with the song, or runs on.
    """

    id: _Id
    name: _Name
    kind: DeviceKind
    port: Annotated[str, msgspec.Meta(max_length=NAME)] = ""
    channel: Annotated[int, msgspec.Meta(ge=1, le=16)] = 1
    host: Annotated[str, msgspec.Meta(max_length=120)] = ""
    udp_port: Annotated[int, msgspec.Meta(ge=1, le=65535)] | None = None
    lead_ms: Annotated[float, msgspec.Meta(ge=DEVICE_LEAD_MS.low, le=DEVICE_LEAD_MS.high)] = 0.0
    clock: bool = False
    fps: Fps = "25"
    on_jump: OnJump = "jump"
    socket: Annotated[int, msgspec.Meta(ge=int(SOCKETS.low), le=int(SOCKETS.high))] | None = None
    messages: Annotated[tuple[DeviceMessage, ...], msgspec.Meta(max_length=500)] = ()


class At(msgspec.Struct, frozen=True, kw_only=True, rename={"pass_": "pass"}, forbid_unknown_fields=True):
    """Where a message goes out: the song's ``start``, a ``section``'s first bar line, a ``bar`` and counted beat, the ``end``.

    ``pass``: only in the first, second ... pass of the section, or in the last; None for every one.
    """

    place: Literal["start", "section", "bar", "end"]
    section: _Id | None = None
    bar: _Bar | None = None
    beat: Annotated[int, msgspec.Meta(ge=1, le=64)] = 1
    pass_: Annotated[int, msgspec.Meta(ge=1, le=99)] | Literal["last"] | None = None


class Message(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """A message of a song. ``chase``: it holds until the next of its kind (rule S3); None as is usual for its kind."""

    id: _Id
    device: _Id
    at: At
    send: Program | Controller | Note | Osc | Named
    chase: bool | None = None


def read_devices(raw: Sequence[Mapping[str, Any]]) -> tuple[Device, ...]:
    """Devices of a show document. Raises :class:`Refused`."""
    devices = tuple(parsed(one, Device, f"The device “{_called(one)}”") for one in raw)
    if len({d.id for d in devices}) < len(devices):
        raise refuse("device-twice", "Two devices have the same id: give one of them another.")
    for device in devices:
        if device.clock and device.kind != "midi":
            raise refuse("device-clock", f"“{device.name}” speaks OSC, and MIDI clock is MIDI: switch its clock off.")
        if device.socket is not None and device.kind != "timecode":
            raise refuse("device-socket", f"“{device.name}” gets messages, which are no sound: take its socket out.")
        for named in device.messages:
            check(device, named.send, f"“{named.name}” of the device “{device.name}”")
    return devices


def timecode_sockets(devices: Iterable[Device]) -> dict[str, int]:
    """The socket of each device, by its name, that hears timecode."""
    return {d.name: d.socket for d in devices if d.kind == "timecode" and d.socket is not None}


def read_messages(raw: Sequence[Mapping[str, Any]], title: str) -> tuple[Message, ...]:
    """Messages of a song of a show document. Raises :class:`Refused`."""
    messages = tuple(parsed(one, Message, f"Message {i} of “{title}”") for i, one in enumerate(raw, 1))
    for i, message in enumerate(messages, 1):
        at = message.at
        if at.place == "section" and at.section is None:
            raise refuse("message-place", f"Message {i} of “{title}” stands at a section: say at which one.")
        if at.place == "bar" and at.bar is None:
            raise refuse("message-place", f"Message {i} of “{title}” stands at a bar: say at which one.")
    return messages


def sent_by(device: Device, send: Sent | Named) -> tuple[Sent, str] | None:
    """What a device is sent, and the name that it has it by; None where it has no message of that name any more."""
    if isinstance(send, Named):
        found = next((m for m in device.messages if m.id == send.message), None)
        return None if found is None else (found.send, found.name)
    return send, next((m.name for m in device.messages if m.send == send), "")


def resolved(message: Message, devices: Iterable[Device], title: str) -> tuple[Device, Sent]:
    """The device of a message, and what it sends. Raises :class:`Refused` for what is not there."""
    device = next((d for d in devices if d.id == message.device), None)
    if device is None:
        raise refuse("device-unknown", f"A message of “{title}” goes to a device that is not in the show: choose one.")
    found = sent_by(device, message.send)
    if found is None:
        raise refuse(
            "message-unknown",
            f"A message of “{title}” names one that “{device.name}” does not have: choose another.",
        )
    check(device, found[0], f"A message of “{title}”")
    return device, found[0]


def check(device: Device, send: Sent, what: str) -> None:
    """Raise :class:`Refused` for a message that a device does not understand."""
    if device.kind == "timecode":
        raise refuse(
            "message-kind", f"“{device.name}” gets timecode alone: send {what[:1].lower()}{what[1:]} to another device."
        )
    if isinstance(send, Osc) is not (device.kind == "osc"):
        speaks = "OSC" if device.kind == "osc" else "MIDI"
        raise refuse("message-kind", f"{what} is none that “{device.name}” understands: it speaks {speaks}.")
    if isinstance(send, Osc) and not send.address.startswith("/"):
        raise refuse("osc-address", f"{what} has the address “{send.address}”: an OSC address begins with a slash.")


def _called(raw: Mapping[str, Any]) -> str:
    return str(raw.get("name", raw.get("id", "")))[:80]
