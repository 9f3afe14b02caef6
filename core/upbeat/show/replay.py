"""A night played again from its log: the same documents, the same presses, the same samples (rules E1 and P5)."""

from __future__ import annotations

import json
from collections import deque
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any, NamedTuple

import msgspec
import numpy as np

from upbeat.errors import Refused, refuse
from upbeat.play.advance import Span, advance
from upbeat.play.events import record
from upbeat.play.hand import Hand
from upbeat.play.presses import press
from upbeat.play.state import Place, State, Tonight, standing_by, stopped_at
from upbeat.show.bounce import BLOCK
from upbeat.show.bundle import read_document
from upbeat.show.ready import ReadyShow, make_ready
from upbeat.show.taking_in import Change, ChangedShow, gone_on

VERSION = 1
TAIL_S = 2.0  # rendered after the last line of a log


class LoggedPress(msgspec.Struct, frozen=True):
    """Entry ``n`` of the log: a press at frame ``frame`` of the show; ``heard``: the frame that was audible then."""

    n: int
    frame: int
    heard: int
    press: str
    args: dict[str, Any]
    at: float = 0.0
    by: str = ""
    accepted: bool | None = None


class LoggedChange(msgspec.Struct, frozen=True):
    """Entry ``n`` of the log: changes taken in at frame ``frame`` of the show, which lie in ``folder``."""

    n: int
    frame: int
    folder: str


@dataclass(frozen=True)
class Night:
    """A night log: how the show stood when it began, its presses and changes, the frame of its last line, every line."""

    start: State
    presses: tuple[LoggedPress, ...]
    changes: tuple[LoggedChange, ...]
    end: int
    lines: tuple[dict[str, Any], ...]

    @property
    def head(self) -> dict[str, Any]:
        return self.lines[0]


def read_night(path: Path) -> Night:
    """A night log. Lines that were only half written when a machine died are left out. Raises :class:`Refused`."""
    try:
        raw = path.read_text(encoding="utf-8", errors="replace").splitlines()
    except OSError as error:
        raise refuse("log-missing", f"The log {path.name} cannot be read: {error.strerror}.") from None
    lines = [line for text in raw if isinstance(line := _json(text), dict)]
    if not lines or lines[0].get("kind") != "night-log":
        raise refuse("log-format", f"{path.name} is not a night log: take one from the folder “night-logs”.")
    if lines[0].get("version") != VERSION:
        raise refuse("log-version", f"{path.name} was written by another version: this one reads version {VERSION}.")
    try:
        # A renderer that was held up may have written a press that the other one wrote as well.
        found = (msgspec.convert(line, LoggedPress) for line in lines if line.get("kind") == "press")
        presses = sorted({p.n: p for p in found}.values(), key=lambda p: p.n)
        found_changes = (msgspec.convert(line, LoggedChange) for line in lines if line.get("kind") == "taken_in")
        changes = {c.n: c for c in found_changes}.values()
        start = _start(lines[0])
    except (msgspec.ValidationError, TypeError, ValueError):
        raise refuse(
            "log-format", f"{path.name} has a line that no night log has: it cannot be played again."
        ) from None
    end = max((int(line["frame"]) for line in lines[1:] if isinstance(line.get("frame"), int)), default=0)
    return Night(start, tuple(presses), tuple(changes), end, tuple(lines))


def _json(text: str) -> Any:
    try:
        return json.loads(text)
    except ValueError:
        return None


def _start(head: dict[str, Any]) -> State:
    hand, place = msgspec.convert(list((head.get("hand") or {}).values()), Hand), head.get("place")
    tonight = msgspec.convert(head.get("tonight") or Tonight(), Tonight)
    if place is not None:
        return stopped_at(msgspec.convert(place, Place), hand, tonight)
    return standing_by(int(head.get("entry", 0)), hand, tonight)


def show_in(folder: str) -> ReadyShow:
    """The show that changes were taken in from, if it is still there. Raises :class:`Refused`."""
    if not Path(folder).is_dir():
        raise refuse(
            "log-changed", "Changes were taken in that night, and are not there any more: play it where it was."
        )
    return make_ready(read_document(Path(folder)), Path(folder))


def other_show() -> Refused:
    return refuse("log-other-show", "This is the log of another show: take the one that was played that night.")


def check_begins(ready: ReadyShow, start: State) -> None:
    """Raise :class:`Refused` where a night begins at a place that the show does not have."""
    music, entries = start.music, ready.plan.entries
    place = music.place
    if music.entry >= len(entries):
        raise other_show()
    if place is not None:
        there = place.entry < len(entries) and place.step < len(entries[place.entry].steps)
        if not there or place.bar > entries[place.entry].bars:
            raise other_show()


class Played(NamedTuple):
    """A span, the show that it is of, and the changes that were taken in where it begins."""

    ready: ReadyShow
    changes: tuple[Change, ...]
    span: Span


def spans_of(
    ready: ReadyShow,
    night: Night,
    frames: int,
    events: list[dict[str, Any]],
    block: int = BLOCK,
    open_show: Callable[[str], ReadyShow] = show_in,
) -> Iterator[Played]:
    """The spans of a night up to frame ``frames``; adds what happens in them to ``events``. Raises :class:`Refused`.

    ``block``: frames of a span at most; ``open_show``: opens a show by its folder that changes were taken in from.
    """
    show, state = ChangedShow(ready), night.start
    check_begins(ready, state)
    logged: list[LoggedPress | LoggedChange] = [*night.presses, *night.changes]
    entries = deque(sorted(logged, key=lambda e: e.n))
    while state.head < frames:
        changes: list[Change] = []
        while entries and entries[0].frame <= state.head:
            one = entries.popleft()
            if isinstance(one, LoggedChange):
                changes.append(gone_on(show, state, open_show(one.folder), str(one.n)))
                show, state = changes[-1].show, changes[-1].state
                continue
            state, outcome = press(show.ready.plan, state, one.press, one.args, one.heard)
            events.append(
                {
                    "kind": "press",
                    **one.args,
                    "frame": one.frame,
                    "press": one.press,
                    "accepted": outcome.accepted,
                    "by": one.by,
                }
                | {"at_entry": state.music.entry, "at_bar": outcome.bar}
            )
        until = min(frames, state.head + block, entries[0].frame if entries else frames)
        state, span = advance(show.ready.plan, state, until - state.head)
        events += [record(e) for e in span.events]
        yield Played(show.ready, tuple(changes), span)


def replay(
    ready: ReadyShow, night: Night, sink: Callable[[np.ndarray], None], frames: int | None = None
) -> list[dict[str, Any]]:
    """Play a night again into ``sink``, which takes (rows, frames) float32; returns every event by frame."""
    length = night.end + round(TAIL_S * ready.plan.sample_rate) if frames is None else frames
    renderer = ready.renderer()
    events: list[dict[str, Any]] = []
    for _, changes, span in spans_of(ready, night, length, events):
        for change in changes:
            renderer = change.renderer(renderer)
        out = np.empty((renderer.rows, span.end - span.start), dtype=np.float32)
        renderer.render(span, out)
        sink(out)
    return sorted(events, key=lambda e: e["frame"])
