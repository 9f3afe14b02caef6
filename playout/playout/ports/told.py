"""What the process of the ports tells, as types: the pages' are generated from these."""

from __future__ import annotations

from typing import Any, Literal, NotRequired, TypedDict

import msgspec

from upbeat.controls.signals import Control


class PortNow(TypedDict):
    """``kind``: gone, where bindings wait for a port that is not there. ``heard_s``: how long ago it was heard last.

    ``flood``: it has sent more presses than hands make, and lost some.
    """

    name: str
    kind: Literal["midi", "box", "stand_in", "keyboard", "page", "gone"]
    into: bool
    out: bool
    heard_s: float | None
    flood: bool


class BoxControlNow(TypedDict):
    """A pad, pedal or fader of a simulated box: the first two bytes that it sends; ``light``: its value, None for never set."""

    name: str
    status: int
    number: int
    light: int | None


class BoxNow(TypedDict):
    """A simulated box; ``across``: how many controls stand beside each other."""

    name: str
    shape: Literal["pads", "pedals", "faders"]
    across: int
    controls: list[BoxControlNow]


class KeysNow(TypedDict):
    """Keys that do something: pressed in a page, and on a keyboard that the machine reads itself."""

    page: list[str]
    machine: list[str]


class HandsNow(TypedDict):
    """``pages``: the page of pads of each port, where it is not the first. ``trying``: hands are tried, and press nothing.

    ``band``: whose hands they are. ``read``: when they were written down, in ns. ``plugged``: simulated boxes have ports.
    """

    ports: list[PortNow]
    pages: dict[str, int]
    trying: bool
    band: str
    read: int
    keys: KeysNow
    boxes: NotRequired[list[BoxNow]]
    plugged: NotRequired[bool]


class Shown(msgspec.Struct, frozen=True):
    """A signal as pages show it. ``binding``: what it belongs to; ``press``: what it has made, or would make."""

    control: Control
    value: int
    down: bool
    binding: str | None
    press: str | None = None
    args: dict[str, Any] = {}
