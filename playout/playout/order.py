"""Entries of the ordered log: what is asked of the renderers, each at its output frame (rule E1)."""

from __future__ import annotations

import time
from collections.abc import Iterable, Sequence
from typing import Annotated, NamedTuple

import msgspec

from playout.commands import KeptOfShow, Name, Scalar
from playout.files import plain
from upbeat.play.hand import Hand
from upbeat.play.state import Place, Tonight


class PressEntry(msgspec.Struct, frozen=True, tag_field="kind", tag="press"):
    """A press, and who or what pressed."""

    press: Name
    args: dict[Name, Scalar] = {}
    by: Name = ""


class LoadEntry(msgspec.Struct, frozen=True, tag_field="kind", tag="load"):
    """A show to be made ready, as generation ``generation``.

    It stands by at ``entry``, or stopped at ``place``, with the mix by hand as in ``hand`` and the night
    as in ``tonight``. ``asked_at``: seconds since 1970.
    ``recover``: it is what played before a crash. ``onto``: it takes the place of the show that it is, changed (rule P8);
    ``kept``: what sounds on of shows before, known once it has begun; ``night``: the file of the night that it goes on.
    """

    generation: int
    folder: Annotated[str, msgspec.Meta(max_length=2048)]
    show: Name
    band: Name = ""
    asked_at: float = 0.0
    entry: int = 0
    place: Place | None = None
    hand: Hand = Hand()
    tonight: Tonight = Tonight()
    recover: bool = False
    onto: bool = False
    kept: tuple[KeptOfShow, ...] = ()
    night: str = ""

    @property
    def night_file(self) -> str:
        """The file of its night: band and show are part of it, so that a page lists those of its band alone."""
        at = time.strftime("%Y%m%d-%H%M%S", time.gmtime(self.asked_at))
        return self.night or f"{at}-{self.generation}-{plain(self.band)}-{plain(self.show)}.jsonl"


class BeginEntry(msgspec.Struct, frozen=True, tag_field="kind", tag="begin"):
    """The show of a generation takes the place of what was there."""

    generation: int


class LeaveEntry(msgspec.Struct, frozen=True, tag_field="kind", tag="leave"):
    """No show is loaded any more. ``given_back``: nor is the last one to come back after a crash."""

    given_back: bool = False


AnyEntry = PressEntry | LoadEntry | BeginEntry | LeaveEntry
_decoder = msgspec.json.Decoder(AnyEntry)


class Entry(NamedTuple):
    """Entry ``number`` of the log, which applies at output frame ``frame``; ``heard``: the one audible then."""

    number: int
    frame: int
    heard: int
    body: AnyEntry


def not_begun(bodies: Iterable[AnyEntry]) -> LoadEntry | None:
    """The show that was asked for last, where it has not begun: the only one of a log that still may."""
    waiting = None
    for body in bodies:
        if isinstance(body, LoadEntry):
            waiting = body
        elif isinstance(body, BeginEntry) and waiting is not None and body.generation == waiting.generation:
            waiting = None
    return waiting


def given_back(bodies: Sequence[AnyEntry]) -> bool:
    """Whether the last show of a log was given back."""
    last = next((b for b in reversed(bodies) if isinstance(b, LoadEntry | LeaveEntry)), None)
    return isinstance(last, LeaveEntry) and last.given_back


def encoded(body: AnyEntry) -> bytes:
    return msgspec.json.encode(body)


def decoded(number: int, frame: int, heard: int, body: bytes) -> Entry:
    return Entry(number, frame, heard, _decoder.decode(body))
