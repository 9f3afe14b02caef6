"""Playing a show offline, as the engine would, into one multichannel file and a list of events."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from upbeat.errors import refuse
from upbeat.mix.render import Renderer
from upbeat.play.advance import Span, advance
from upbeat.play.events import record
from upbeat.play.plan import ShowPlan
from upbeat.play.presses import PRESSES, press
from upbeat.play.runs import ending_of, natural_end
from upbeat.play.state import Music, State, standing_by
from upbeat.show.ready import ReadyShow
from upbeat.time.tempo import to_frame

BLOCK = 32768
MAX_HOURS = 12
MEMORY_S = 6.0  # the longest word and the longest delay of a socket, with room to spare


@dataclass(frozen=True)
class TimedPress:
    frame: int
    name: str
    args: dict[str, Any]


def read_presses(raw: object, sample_rate: int) -> list[TimedPress]:
    """A presses file (docs/show-format.md) in order of time. Raises :class:`Refused`."""
    if not isinstance(raw, list):
        raise refuse(
            "presses-format", 'A presses file is a list of presses such as {"at_s": 12.5, "press": "release"}.'
        )
    presses = []
    for i, item in enumerate(raw, 1):
        if (
            not isinstance(item, dict)
            or not isinstance(item.get("at_s"), int | float)
            or not 0 <= item["at_s"] < MAX_HOURS * 3600
        ):
            raise refuse("presses-format", f"Press {i} needs at_s, a time in seconds from 0.")
        if item.get("press") not in PRESSES:
            raise refuse("press-unknown", f"Press {i} is “{item.get('press')}”: choose one of {', '.join(PRESSES)}.")
        args = {k: v for k, v in item.items() if k not in ("at_s", "press")}
        presses.append(TimedPress(to_frame(item["at_s"], sample_rate), item["press"], args))
    return sorted(presses, key=lambda p: p.frame)


def rehearse(
    ready: ReadyShow, presses: Sequence[TimedPress] | None, only_entry: int | None = None
) -> tuple[list[Span], list[dict[str, Any]]]:
    """A show played on paper: every span from the first to the last, and every event by frame.

    Without presses each song starts as soon as the one before is over, and a vamp is released in
    its first round. With them, only they are done (and go at 0 if none of them is go); after the
    last one, a vamp is released, so that the sound has an end. ``only_entry`` counts from 0.
    Raises :class:`Refused` where there is no such entry.
    """
    plan = ready.plan
    if not plan.entries or (only_entry is not None and not 0 <= only_entry < len(plan.entries)):
        raise refuse(
            "entry-unknown",
            "The setlist has no such entry." if plan.entries else "The show has no songs: put some in the setlist.",
        )
    state = standing_by(only_entry or 0)
    queue = list(presses or [])
    if not any(p.name == "go" for p in queue):
        queue.insert(0, TimedPress(0, "go", {}))
    events: list[dict[str, Any]] = []
    spans: list[Span] = []
    limit = MAX_HOURS * 3600 * plan.sample_rate
    while state.head < limit:
        while queue and queue[0].frame <= state.head:
            state = _apply(plan, state, queue.pop(0), events)
        if not queue:
            state = _carry_on(plan, state, presses is None, only_entry, events)
            if state.silent:
                break
        frames = min(BLOCK, queue[0].frame - state.head) if queue else BLOCK
        state, span = advance(plan, state, frames)
        run = state.music.run
        if only_entry is not None and run is not None and run.entry != only_entry:
            over = Music(entry=only_entry, past=state.music.past, finished=True, runs=state.music.runs)
            state = State(head=state.head, music=over, messages=state.messages)
        spans.append(span)
        events += [record(e) for e in span.events]
    return spans, sorted(events, key=lambda e: e["frame"])


def render(renderer: Renderer, spans: Sequence[Span], sink: Callable[[np.ndarray], None], first: int = 0) -> None:
    """Render spans from index ``first`` on into ``sink``, which takes (rows, frames) blocks and may keep them.

    A renderer remembers no further back than its longest sound and delay, so that rendering may
    begin anywhere: what comes ``MEMORY_S`` before is rendered too, and not kept. Where stems change
    over beats, the section is rendered from its start.
    """
    if first >= len(spans):
        return
    since = _remembered_since(renderer.plan, spans, first) - renderer.memory_frames
    for i, span in enumerate(spans):
        if span.end <= since:
            continue
        # Rows that lie frame by frame, as they are written.
        block = np.empty((span.end - span.start, renderer.rows), dtype=np.float32).T
        renderer.render(span, block)
        if i >= first:
            sink(block)


def _remembered_since(plan: ShowPlan, spans: Sequence[Span], first: int) -> int:
    changing = {s.run for s in spans[first].slices if plan.entries[s.entry].steps[s.step].fades}
    begins = first
    while begins > 0 and any(s.run in changing for s in spans[begins - 1].slices):
        begins -= 1
    return spans[begins].start - round(MEMORY_S * plan.sample_rate)


def play(
    ready: ReadyShow,
    presses: Sequence[TimedPress] | None,
    sink: Callable[[np.ndarray], None],
    only_entry: int | None = None,
    renderer: Renderer | None = None,
) -> list[dict[str, Any]]:
    """Play a show into ``sink``, which takes (rows, frames) float32, as :func:`rehearse` and :func:`render` do; returns every event by frame."""
    spans, events = rehearse(ready, presses, only_entry)
    render(renderer or ready.renderer(), spans, sink)
    return events


def _apply(plan: ShowPlan, state: State, timed: TimedPress, events: list[dict[str, Any]]) -> State:
    state, outcome = press(plan, state, timed.name, timed.args)
    events.append(
        {
            "frame": state.head,
            "kind": "press",
            "press": timed.name,
            **timed.args,
            "accepted": outcome.accepted,
            "message": outcome.message,
            "at_frame": outcome.frame,
            "at_bar": outcome.bar,
            "late": outcome.late,
            "state": state.status,
        }
    )
    return state


def _carry_on(
    plan: ShowPlan, state: State, auto_go: bool, only_entry: int | None, events: list[dict[str, Any]]
) -> State:
    """What nobody is there to press: release a vamp, start the next song."""
    run = state.music.run
    if (
        run is not None
        and state.music.next_up is None
        and ending_of(plan, state.music, run.entry, run.step).kind == "vamp"
    ):
        released, outcome = press(plan, state, "release")
        if outcome.accepted:
            return released
        if state.head >= natural_end(plan, run) - BLOCK:
            return _apply(plan, state, TimedPress(state.head, "stop", {}), events)
    if auto_go and state.silent and state.status == "standby" and only_entry is None:
        # No hand presses go here: what keeps a tap at a song's end from starting the next one does not apply.
        state = state._replace(music=state.music._replace(ended=None))
        return _apply(plan, state, TimedPress(state.head, "go", {}), events)
    return state
