"""What each control does: a press, a place of a bank that fills itself, or a level (rule K1)."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations
from typing import Any, Literal, NamedTuple, get_args

from upbeat.controls.signals import Control

Bank = Literal["sections", "songs", "palette", "sounds"]
BANKS: tuple[Bank, ...] = get_args(Bank)
#: How a knob counts: from 0 to 127, in two parts, or in steps (two's complement, or from 64 on).
Encoding = Literal["absolute", "fine", "signed", "offset"]
ENCODINGS: tuple[Encoding, ...] = get_args(Encoding)
#: Presses that have to be held unless the band says otherwise (rule K3).
HELD = frozenset({"stop", "fade_away", "begin_again"})
FINE = 32  # a controller in two parts has its lower seven bits so many numbers on


@dataclass(frozen=True)
class PressDoes:
    """A press with its arguments."""

    press: str
    args: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True)
class BankDoes:
    """Place ``place``, from 0, of a bank."""

    bank: Bank
    place: int


@dataclass(frozen=True)
class LevelDoes:
    """The level by hand of a part (``upbeat.play.hand``)."""

    part: str


Does = PressDoes | BankDoes | LevelDoes


@dataclass(frozen=True, kw_only=True)
class Binding:
    """``long``: what a press that is held for a while does instead. ``hold``: it has to be held; None as is usual for it.

    ``threshold``: the least velocity that counts. ``opens``: a switch that is closed at rest. ``song``: the song that it
    belongs to, None for the band.
    """

    id: str
    control: Control
    does: Does
    long: PressDoes | BankDoes | None = None
    hold: bool | None = None
    threshold: int = 1
    opens: bool = False
    encoding: Encoding = "absolute"
    song: str | None = None

    @property
    def is_held(self) -> bool:
        """Whether it acts only once it has been held for a while."""
        if self.hold is not None:
            return self.hold
        return isinstance(self.does, PressDoes) and self.does.press in HELD

    @property
    def controls(self) -> tuple[Control, ...]:
        """The control, and its second number where it comes in two parts."""
        if self.encoding != "fine" or self.control.kind != "controller":
            return (self.control,)
        return self.control, self.control._replace(number=self.control.number + FINE)


class Now(NamedTuple):
    """What banks and faders need to know of the night. ``steps`` and ``entries`` in the order they are played.

    ``levels``: decibels by hand of each part that has one, None for off. ``moving``: a song plays or is counted in.
    """

    song: str = ""
    moving: bool = False
    steps: tuple[int, ...] = ()
    entries: tuple[int, ...] = ()
    palette: tuple[str, ...] = ()
    sounds: tuple[str, ...] = ()
    levels: Mapping[str, float | None] = {}


class Act(NamedTuple):
    """A press that a control makes."""

    press: str
    args: dict[str, Any]
    binding: str


def active(bindings: Iterable[Binding], song: str) -> dict[Control, Binding]:
    """What each control does in a song: its own bindings in place of the band's."""
    listed = sorted((b for b in bindings if b.song in (None, song)), key=lambda b: b.song is not None)
    return {control: b for b in listed for control in b.controls}


def clashes(bindings: Sequence[Binding]) -> list[tuple[Binding, Binding]]:
    """Bindings of one control that hold in the same place, each two of them."""
    return [(a, b) for a, b in combinations(bindings, 2) if a.song == b.song and set(a.controls) & set(b.controls)]


def act_of(does: PressDoes | BankDoes, now: Now, binding: str) -> Act | None:
    """The press that it makes now; None for a place of a bank that has nothing."""
    if isinstance(does, PressDoes):
        return Act(does.press, dict(does.args), binding)
    found = _of_bank(does, now)
    return None if found is None else Act(*found, binding)


def _of_bank(does: BankDoes, now: Now) -> tuple[str, dict[str, Any]] | None:
    banks: dict[Bank, tuple[Any, ...]] = {
        "sections": now.steps,
        "songs": now.entries,
        "palette": now.palette,
        "sounds": now.sounds,
    }
    places = banks[does.bank]
    if not 0 <= does.place < len(places):
        return None
    one = places[does.place]
    match does.bank:
        case "sections":
            return "go_to", {"step": one}
        case "songs":
            return ("play_after" if now.moving else "stand_by"), {"entry": one}
        case "palette":
            return "say", {"word": one}
        case _:
            return "fire", {"sound": one}
