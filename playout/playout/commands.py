"""The commands of the control socket: checked once, as they come in, into typed data."""

from __future__ import annotations

from typing import Annotated

import msgspec

from upbeat.errors import refuse

MOST_BYTES = 64 << 10
Scalar = int | float | bool | Annotated[str, msgspec.Meta(max_length=200)]
Name = Annotated[str, msgspec.Meta(max_length=200)]


class Ping(msgspec.Struct, frozen=True, tag_field="do", tag="ping"):
    """Tells the device and the process."""


class GetState(msgspec.Struct, frozen=True, tag_field="do", tag="state"):
    """Tells the state, without the meters."""


class Describe(msgspec.Struct, frozen=True, tag_field="do", tag="describe"):
    """Tells what is loaded (``upbeat.show.describe``)."""


class Load(msgspec.Struct, frozen=True, tag_field="do", tag="load"):
    """Loads the show of a folder under a name; answered before it is ready."""

    folder: Annotated[str, msgspec.Meta(max_length=4096)]
    show: Name


class PressCommand(msgspec.Struct, frozen=True, tag_field="do", tag="press"):
    """A press with its arguments (``upbeat.play.presses``)."""

    press: Name
    args: Annotated[dict[Name, Scalar], msgspec.Meta(max_length=8)] | None = None


class Taps(msgspec.Struct, frozen=True, tag_field="do", tag="taps"):
    """Chooses the feeds to be published besides the sockets."""

    feeds: Annotated[list[Name], msgspec.Meta(max_length=64)]


class Record(msgspec.Struct, frozen=True, tag_field="do", tag="record"):
    """Begins or ends a recording of every socket; ``folder``: one below the recordings."""

    on: bool = True
    folder: Annotated[str, msgspec.Meta(pattern=r"^[a-z0-9-]{0,64}$")] = ""


AnyCommand = Ping | GetState | Describe | Load | PressCommand | Taps | Record
_decoder = msgspec.json.Decoder(AnyCommand)


def read_command(raw: bytes) -> AnyCommand:
    """A control message as a command. Raises :class:`Refused`."""
    if len(raw) > MOST_BYTES:
        raise refuse("command-long", f"A command has at most {MOST_BYTES >> 10} KB.")
    try:
        return _decoder.decode(raw)
    except msgspec.ValidationError as error:
        text = str(error).replace("`", "")
        if "$.do" in text or '"do"' in text or "field do" in text:
            raise refuse("command-unknown", "The engine has no such command.") from None
        raise refuse("command-arguments", f"The command cannot be read: {text[:160]}.") from None
    except (msgspec.DecodeError, RecursionError, UnicodeDecodeError):
        raise refuse("command-format", "A command is one JSON object.") from None
