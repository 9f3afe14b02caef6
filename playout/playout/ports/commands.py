"""What the process of the ports is told: checked once, as it comes in, into typed data."""

from __future__ import annotations

from typing import Annotated

import msgspec

from playout.ports.receivers import Address
from upbeat.errors import refuse
from upbeat.limits import NAME
from upbeat.messages.kinds import Sent

MOST_BYTES = 16 << 10
Name = Annotated[str, msgspec.Meta(max_length=NAME)]
Since = Annotated[float, msgspec.Meta(ge=0)] | None
Byte = Annotated[int, msgspec.Meta(ge=0, le=255)]


class Box(msgspec.Struct, frozen=True, tag_field="do", tag="box"):
    """A simulated box is pressed: it sends these bytes."""

    box: Name
    data: Annotated[list[Byte], msgspec.Meta(max_length=64)]


class Bytes(msgspec.Struct, frozen=True, tag_field="do", tag="bytes"):
    """A page has heard a port of its own; ``by``: who has the page. ``out``: it has just opened one that has lights.

    ``since_ms``: since what it told of this port before.
    """

    port: Name
    data: Annotated[list[Byte], msgspec.Meta(max_length=256)]
    by: Name
    out: bool = False
    since_ms: Since = None


class Key(msgspec.Struct, frozen=True, tag_field="do", tag="key"):
    """A key of a page's keyboard went down, or up, ``since_ms`` after what the page told of its keys before."""

    key: Name
    down: bool
    by: Name
    since_ms: Since = None


class Quiet(msgspec.Struct, frozen=True, tag_field="do", tag="quiet"):
    """Nothing has come to a port of a page, or from its keys, in the ``since_ms`` since what it told before."""

    port: Name
    since_ms: Annotated[float, msgspec.Meta(ge=0)]


class Try(msgspec.Struct, frozen=True, tag_field="do", tag="try"):
    """A band tries its hands without pressing anything; to be said again within three seconds."""

    band: Name
    on: bool


class Send(msgspec.Struct, frozen=True, tag_field="do", tag="send"):
    """A message is sent to a device at once; ``name``: what the device has it by."""

    device: Address
    send: Sent
    name: Name = ""


class Tell(msgspec.Struct, frozen=True, tag_field="do", tag="tell"):
    """Tells what is plugged in."""


AnyCommand = Box | Bytes | Key | Quiet | Try | Send | Tell
_decoder = msgspec.json.Decoder(AnyCommand)


def read_command(raw: bytes) -> AnyCommand:
    """A message as a command. Raises :class:`Refused`."""
    try:
        if len(raw) <= MOST_BYTES:
            return _decoder.decode(raw)
    except (msgspec.MsgspecError, RecursionError, UnicodeDecodeError):
        pass
    raise refuse("command-format", "The process of the ports has no such command.")
