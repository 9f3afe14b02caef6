"""What each control does: a press, a place of a bank that fills itself, another page of pads, or a level (rule K1)."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from itertools import combinations
from typing import Annotated, Any, Literal, get_args

import msgspec

from upbeat.controls.signals import Control
from upbeat.limits import NAME, PAD_PAGES
from upbeat.play.state import When

Bank = Literal["sections", "songs", "palette", "sounds", "stems"]
BANKS: tuple[Bank, ...] = get_args(Bank)
#: What of a stem a fader sets, or a pad brings in and takes out (``upbeat.play.hand``).
StemPart = Literal["level", "low", "mid", "high", "low_sweep", "high_sweep", "echo", "in_out", "gate", "drive"]
STEM_PARTS: tuple[StemPart, ...] = get_args(StemPart)
STEM_SWITCHES: tuple[StemPart, ...] = ("in_out", "gate", "drive")
#: How a knob counts: from 0 to 127, in two parts, or in steps (two's complement, or from 64 on).
Encoding = Literal["absolute", "fine", "signed", "offset"]
ENCODINGS: tuple[Encoding, ...] = get_args(Encoding)
#: Presses that have to be held unless the band says otherwise (rule K3).
HELD = frozenset({"stop", "fade_away", "begin_again"})
FINE = 32  # a controller in two parts has its lower seven bits so many numbers on

_Text = Annotated[str, msgspec.Meta(min_length=1, max_length=NAME)]
_Place = Annotated[int, msgspec.Meta(ge=0, le=999)]
_Page = Annotated[int, msgspec.Meta(ge=1, le=int(PAD_PAGES.high))]


class PressDoes(msgspec.Struct, frozen=True, tag_field="kind", tag="press", forbid_unknown_fields=True):
    """A press with its arguments."""

    press: _Text
    args: dict[str, bool | int | float | str | None] = {}


class FirstOf(msgspec.Struct, frozen=True, tag_field="kind", tag="first", forbid_unknown_fields=True):
    """The first of these presses that can be taken now and changes anything: pull the house, else bring it back."""

    presses: Annotated[tuple[PressDoes, ...], msgspec.Meta(min_length=1, max_length=8)]


class BankDoes(msgspec.Struct, frozen=True, tag_field="kind", tag="bank", forbid_unknown_fields=True):
    """Place ``place``, from 0, of a bank; ``when``: of a section; ``of``: what of a stem. One that has it not is left as it is."""

    bank: Bank
    place: _Place
    when: When = "section_end"
    of: StemPart = "level"


class SectionDoes(msgspec.Struct, frozen=True, tag_field="kind", tag="section", forbid_unknown_fields=True):
    """The next step that plays a section of the song, round and round."""

    section: _Text
    when: When = "section_end"


class PageDoes(msgspec.Struct, frozen=True, tag_field="kind", tag="page", forbid_unknown_fields=True):
    """Another page of the port's pads: the next or the one before (``by``), round and round, or page ``to``."""

    by: Literal[-1, 1] = 1
    to: _Page | None = None


class LevelDoes(msgspec.Struct, frozen=True, tag_field="kind", tag="level", forbid_unknown_fields=True):
    """The level by hand of a part (``upbeat.play.hand``)."""

    part: _Text


Does = PressDoes | FirstOf | BankDoes | SectionDoes | PageDoes | LevelDoes


class Binding(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """``long``: what a control that is held for a while does instead. ``hold``: it has to be held; None as is usual for it.

    ``threshold``: the least velocity that counts. ``opens``: a switch that is closed at rest. ``song``: the song that it
    belongs to, None for the band. ``page``: the page of the port's pads that it is on, None for all.
    """

    id: _Text
    control: Control
    does: Does
    long: PressDoes | FirstOf | BankDoes | SectionDoes | PageDoes | None = None
    hold: bool | None = None
    threshold: Annotated[int, msgspec.Meta(ge=1, le=127)] = 1
    opens: bool = False
    encoding: Encoding = "absolute"
    song: _Text | None = None
    page: _Page | None = None

    @property
    def is_held(self) -> bool:
        """Whether it acts only once it has been held for a while."""
        if self.hold is not None:
            return self.hold
        return bool(HELD & set(presses_of(self.does)))

    @property
    def sets_level(self) -> bool:
        """Whether it is a fader or knob of a level."""
        if isinstance(self.does, BankDoes):
            return self.does.bank == "stems" and self.does.of not in STEM_SWITCHES
        return isinstance(self.does, LevelDoes)

    @property
    def controls(self) -> tuple[Control, ...]:
        """The control, and its second number where it comes in two parts."""
        if self.encoding != "fine" or self.control.kind != "controller":
            return (self.control,)
        return self.control, msgspec.structs.replace(self.control, number=self.control.number + FINE)


class Act(msgspec.Struct, frozen=True):
    """What a control makes: a press, or another page of the port's pads (``press`` empty)."""

    press: str
    args: dict[str, Any]
    binding: str
    page: PageDoes | None = None


def presses_of(does: Does) -> tuple[str, ...]:
    """The presses that a control may make, by name; empty for banks and levels."""
    match does:
        case PressDoes(press=press):
            return (press,)
        case FirstOf(presses=presses):
            return tuple(p.press for p in presses)
    return ()


def active(bindings: Iterable[Binding], song: str, pages: Mapping[str, int] | None = None) -> dict[Control, Binding]:
    """What each control does in a song, with these pages of pads (1 where none is said).

    A binding of the page is in place of one of all pages, the song's own in place of the band's.
    """
    pages = pages or {}
    shown = (b for b in bindings if b.song in (None, song) and b.page in (None, pages.get(b.control.port, 1)))
    listed = sorted(shown, key=lambda b: (b.song is not None, b.page is not None))
    return {control: b for b in listed for control in b.controls}


def clashes(bindings: Sequence[Binding]) -> list[tuple[Binding, Binding]]:
    """Bindings of one control that hold in the same place, each two of them."""
    return [
        (a, b)
        for a, b in combinations(bindings, 2)
        if (a.song, a.page) == (b.song, b.page) and set(a.controls) & set(b.controls)
    ]


def pages_of(bindings: Iterable[Binding]) -> dict[str, int]:
    """How many pages of pads each port has."""
    found: dict[str, int] = {}
    for binding in bindings:
        port = binding.control.port
        found[port] = max(found.get(port, 1), binding.page or 1)
    return found
