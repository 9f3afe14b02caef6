"""A night played again from its log: the same documents, the same presses, the same samples (rules E1 and P5)."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import msgspec
import numpy as np

from upbeat.errors import refuse
from upbeat.play.advance import Span, advance
from upbeat.play.events import record
from upbeat.play.hand import Hand
from upbeat.play.presses import press
from upbeat.play.state import Place, State, Tonight, standing_by, stopped_at
from upbeat.show.bounce import BLOCK
from upbeat.show.ready import ReadyShow

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


@dataclass(frozen=True)
class Night:
    """A night log: how the show stood when it began, its presses, the frame of its last line, and every line."""

    start: State
    presses: tuple[LoggedPress, ...]
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
        start = _start(lines[0])
    except (msgspec.ValidationError, TypeError, ValueError):
        raise refuse(
            "log-format", f"{path.name} has a line that no night log has: it cannot be played again."
        ) from None
    end = max((int(line["frame"]) for line in lines[1:] if isinstance(line.get("frame"), int)), default=0)
    return Night(start, tuple(presses), end, tuple(lines))


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


def spans_of(ready: ReadyShow, night: Night, frames: int, events: list[dict[str, Any]]) -> Iterator[Span]:
    """The spans of a night up to frame ``frames``; adds what happens in them to ``events``."""
    plan, state = ready.plan, night.start
    presses = list(night.presses)
    while state.head < frames:
        while presses and presses[0].frame <= state.head:
            one = presses.pop(0)
            state, outcome = press(plan, state, one.press, one.args, one.heard)
            events.append(
                {"kind": "press", **one.args, "frame": one.frame, "press": one.press, "accepted": outcome.accepted}
                | {"at_entry": state.music.entry, "at_bar": outcome.bar}
            )
        until = min(frames, state.head + BLOCK, presses[0].frame if presses else frames)
        state, span = advance(plan, state, until - state.head)
        events += [record(e) for e in span.events]
        yield span


def replay(
    ready: ReadyShow, night: Night, sink: Callable[[np.ndarray], None], frames: int | None = None
) -> list[dict[str, Any]]:
    """Play a night again into ``sink``, which takes (rows, frames) float32; returns every event by frame."""
    length = night.end + round(TAIL_S * ready.plan.sample_rate) if frames is None else frames
    renderer = ready.renderer()
    events: list[dict[str, Any]] = []
    for span in spans_of(ready, night, length, events):
        out = np.empty((renderer.rows, span.end - span.start), dtype=np.float32)
        renderer.render(span, out)
        sink(out)
    return sorted(events, key=lambda e: e["frame"])
