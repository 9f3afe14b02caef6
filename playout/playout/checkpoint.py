"""The place to come back to after a crash (rule P4): kept in shared memory at once, on the disk a moment later."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import TypeVar

import msgspec

from playout import shared
from playout.commands import KeptOfShow, Name
from playout.files import replace_file
from playout.order import AnyEntry, LoadEntry, decoded, given_back
from playout.session import Session
from playout.shared import RENDERERS, Shared
from upbeat.play.hand import Hand
from upbeat.play.state import Place, State, Tonight
from upbeat.play.view import position

Kind = TypeVar("Kind")
CHECKPOINT, LOADED = "checkpoint.json", "loaded.json"


class LastShow(msgspec.Struct, frozen=True, kw_only=True):
    """The show that is loaded; ``kept``: what sounds on in it of shows before."""

    generation: int
    folder: str
    show: Name
    band: Name = ""
    kept: tuple[KeptOfShow, ...] = ()


class Checkpoint(msgspec.Struct, frozen=True, kw_only=True):
    """Where a show is at an output frame, the place it can be resumed at, the mix by hand."""

    last: LastShow
    frame: int = 0
    entry: int = 0
    place: Place | None = None
    hand: Hand = Hand()
    tonight: Tonight = Tonight()


def last_show(load: LoadEntry) -> LastShow:
    return LastShow(generation=load.generation, folder=load.folder, show=load.show, band=load.band, kept=load.kept)


def checkpoint(load: LoadEntry, session: Session, state: State, frame: int) -> Checkpoint:
    """The place of a show in a state: while a song plays, the bar that plays."""
    music = state.music
    place = music.place
    if music.run is not None:
        at = position(session.ready.plan, state, state.head)
        place = Place(music.run.entry, at["step"], max(1, at["bar"]))
    return Checkpoint(
        last=last_show(load), frame=frame, entry=music.entry, place=place, hand=state.hand, tonight=music.tonight
    )


def keep(memory: Shared, renderer: int, at: Checkpoint) -> None:
    memory.set_text(renderer * shared.OWN_TEXTS + shared.PLACE, msgspec.json.encode(at))


def kept(memory: Shared) -> Checkpoint | None:
    """The newest place that a renderer has kept of the show that sounds."""
    texts = (memory.text(r * shared.OWN_TEXTS + shared.PLACE) for r in range(RENDERERS))
    places = [msgspec.json.decode(text, type=Checkpoint) for text in texts if text]
    playing = memory.number(shared.PLAYING)
    return max((p for p in places if p.last.generation == playing), key=lambda p: p.frame, default=None)


def save(folder: Path, memory: Shared) -> None:
    """Write the place that is in memory to the disk, before the memory is given back."""
    at = kept(memory)
    if at is not None:
        replace_file(folder / LOADED, msgspec.json.encode(at.last))
        replace_file(folder / CHECKPOINT, msgspec.json.encode(at))


def to_come_back_to(folder: Path, memory: Shared) -> Checkpoint | None:
    """What was loaded and where it was: as it is in memory, or where that is gone, on the disk."""
    log = _log(memory)
    if given_back(log):
        return None
    at = kept(memory) or _as_loaded(memory, log)
    if at is not None:
        return at
    last, at = _read(folder / LOADED, LastShow), _read(folder / CHECKPOINT, Checkpoint)
    if last is None:
        return None
    return at if at is not None and at.last.generation == last.generation else Checkpoint(last=last)


def _log(memory: Shared) -> list[AnyEntry]:
    count = memory.number(shared.COUNT)
    return [decoded(*entry).body for entry in memory.entries(max(0, count - shared.ENTRIES // 2))]


def _as_loaded(memory: Shared, log: Iterable[AnyEntry]) -> Checkpoint | None:
    """Where the show that sounds began, for renderers that died before they kept a place of it."""
    playing = memory.number(shared.PLAYING)
    for body in log:
        if isinstance(body, LoadEntry) and body.generation == playing and not body.onto:
            return Checkpoint(
                last=last_show(body), entry=body.entry, place=body.place, hand=body.hand, tonight=body.tonight
            )
    return None


def _read(path: Path, kind: type[Kind]) -> Kind | None:
    try:
        return msgspec.json.decode(path.read_bytes(), type=kind)
    except (OSError, msgspec.MsgspecError):
        return None
