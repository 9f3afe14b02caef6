"""The commands of the control socket: checked once, as they come in, into typed data."""

from __future__ import annotations

from typing import Annotated

import msgspec

from playout.devices import Choice
from upbeat.errors import refuse
from upbeat.play.hand import Hand
from upbeat.play.state import Place, Tonight

MOST_BYTES = 64 << 10
Whole = Annotated[int, msgspec.Meta(ge=-(2**31), le=2**31)]
Number = Annotated[float, msgspec.Meta(ge=-1e9, le=1e9)]
Scalar = bool | Whole | Number | Annotated[str, msgspec.Meta(max_length=200)]
Name = Annotated[str, msgspec.Meta(max_length=200)]


class Ping(msgspec.Struct, frozen=True, tag_field="do", tag="ping"):
    """Tells the device and the process."""


class GetState(msgspec.Struct, frozen=True, tag_field="do", tag="state"):
    """Tells the state, without the meters."""


class KeptOfShow(msgspec.Struct, frozen=True):
    """Entry ``entry`` of the show of a folder, which sounds on, or its sound by hand ``sound``, which rings on as ``rings_as``."""

    folder: Annotated[str, msgspec.Meta(max_length=2048)]
    entry: Whole | None = None
    sound: Name = ""
    rings_as: Name = ""


class Load(msgspec.Struct, frozen=True, tag_field="do", tag="load"):
    """Loads the show of a folder for a band; answered before it is ready.

    It stands by at ``entry``, or stopped at ``place``, with the mix by hand as in ``hand``. ``recover``: every renderer had
    died, whatever played then; the entries of the log when the one that asks began. ``onto``: it is the show that is
    loaded, changed: it takes its place also while a song plays. ``kept``: entries of shows before that are behind its own.
    """

    folder: Annotated[str, msgspec.Meta(max_length=2048)]
    show: Name
    band: Name = ""
    entry: Whole = 0
    place: Place | None = None
    hand: Hand = Hand()
    tonight: Tonight = Tonight()
    recover: Whole | None = None
    onto: bool = False
    kept: Annotated[tuple[KeptOfShow, ...], msgspec.Meta(max_length=16)] = ()


class PressCommand(msgspec.Struct, frozen=True, tag_field="do", tag="press"):
    """A press with its arguments (``upbeat.play.presses``), and who or what pressed.

    ``made``: when, in seconds of this machine's monotonic clock; one that is old is not run.
    """

    press: Name
    made: Annotated[float, msgspec.Meta(ge=0, le=1e12)] | None = None
    args: Annotated[dict[Name, Scalar], msgspec.Meta(max_length=8)] | None = None
    by: Name = ""


class Taps(msgspec.Struct, frozen=True, tag_field="do", tag="taps"):
    """Chooses the feeds to be published besides the sockets."""

    feeds: Annotated[list[Name], msgspec.Meta(max_length=64)]


class Record(msgspec.Struct, frozen=True, tag_field="do", tag="record"):
    """Begins or ends a recording of every socket; ``folder``: one below the recordings."""

    on: bool = True
    folder: Annotated[str, msgspec.Meta(pattern=r"^[a-z0-9-]{0,64}$")] = ""


class GiveBack(msgspec.Struct, frozen=True, tag_field="do", tag="give back"):
    """No show is to be loaded any more; refused while a song plays."""


class ChooseDevice(msgspec.Struct, frozen=True, tag_field="do", tag="device"):
    """Goes on with another device, also while a song plays."""

    choice: Choice


AnyCommand = ChooseDevice | GiveBack | Ping | GetState | Load | PressCommand | Taps | Record
_decoder = msgspec.json.Decoder(AnyCommand)


class _Kind(msgspec.Struct):
    do: str = ""


_kind = msgspec.json.Decoder(_Kind)


def is_press(raw: bytes) -> bool:
    """Whether a control message is a press, whatever is wrong with it."""
    try:
        return _kind.decode(raw).do == PressCommand.__struct_config__.tag
    except (msgspec.DecodeError, RecursionError, UnicodeDecodeError):
        return False


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
