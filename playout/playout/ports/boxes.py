"""Simulated hands: three boxes that ship with the product and speak MIDI as real ones do.

Where there is a system of MIDI, each has ports of its own there, and what it sends comes back to us by them like
anything else's; where there is none, the same bytes go the short way.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Literal, TypedDict

from playout.ports.midi import Midi


class BoxControl(TypedDict):
    """A pad, pedal or fader of a box: the first two bytes of its messages, and what is printed on it."""

    name: str
    status: int
    number: int


@dataclass(frozen=True, kw_only=True)
class Kind:
    """A box: ``controls`` in rows of ``across``; ``shape``: how it is played."""

    name: str
    shape: Literal["pads", "pedals", "faders"]
    across: int
    controls: tuple[BoxControl, ...]


def _row(count: int, word: str, status: int, first: int) -> tuple[BoxControl, ...]:
    return tuple(BoxControl(name=f"{word} {i + 1}", status=status, number=first + i) for i in range(count))


KINDS = (
    Kind(name="Nine pads", shape="pads", across=3, controls=_row(9, "Pad", 0x99, 36)),
    Kind(name="Four pedals", shape="pedals", across=4, controls=_row(4, "Pedal", 0xB0, 80)),
    Kind(name="Eight faders", shape="faders", across=8, controls=_row(8, "Fader", 0xB0, 16)),
)

BOXES = tuple(kind.name for kind in KINDS)


@dataclass
class _Box:
    kind: Kind
    #: Value of each light that was set, by the first two bytes of what set it.
    lights: dict[tuple[int, int], int] = field(default_factory=dict)


class Boxes:
    """The boxes, plugged in where there is something to plug them into. ``heard``: as for :class:`Midi`."""

    def __init__(self, midi: Midi, heard: Callable[[str, bytes], None], lit: Callable[[], None]):
        self._midi, self._heard, self._lit = midi, heard, lit
        self._boxes = {k.name: _Box(k) for k in KINDS}

    @property
    def plugged(self) -> bool:
        """Whether they speak through ports of the machine."""
        return bool(self._midi.plugged & self._boxes.keys())

    def has(self, name: str) -> bool:
        return name in self._boxes

    def press(self, name: str, message: bytes) -> None:
        """A box sends."""
        if name in self._midi.plugged:
            self._midi.press(name, message)
        else:
            self._heard(name, message)

    def show(self, name: str, message: bytes) -> None:
        """A light of a box is set."""
        self._light(self._boxes[name], message)

    def told(self) -> list[dict[str, Any]]:
        """Each box with its controls and the values of its lights (None: never set)."""
        return [
            {
                "name": box.kind.name,
                "shape": box.kind.shape,
                "across": box.kind.across,
                "controls": [{**c, "light": box.lights.get((c["status"], c["number"]))} for c in box.kind.controls],
            }
            for box in self._boxes.values()
        ]

    def _light(self, box: _Box, message: bytes) -> None:
        if len(message) == 3:
            box.lights[message[0], message[1]] = message[2]
            self._lit()
