"""Rendering a long show on every core: each process takes a stretch of the spans, all write one file."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path

from upbeat.audio.pcm import seek_frame, write_block
from upbeat.errors import refuse
from upbeat.play.advance import Span
from upbeat.show.bounce import render
from upbeat.show.ready import ReadyShow

_WORTH_S = 60  # a stretch shorter than this is not worth a process


def render_on_every_core(ready: ReadyShow, spans: Sequence[Span], path: Path) -> None:
    """Fill the WAV at ``path`` with what the spans sound like. Raises :class:`Refused` if a process fails."""
    if not spans:
        return
    seconds = spans[-1].end / ready.plan.sample_rate
    count = max(1, min(len(os.sched_getaffinity(0)), int(seconds // _WORTH_S)))
    edges = [len(spans) * i // count for i in range(count + 1)]
    children = [_forked(ready, spans[: edges[i + 1]], edges[i], path) for i in range(1, count)]
    try:
        _stretch(ready, spans[: edges[1]], 0, path)
    finally:
        ended = [os.waitpid(child, 0)[1] for child in children]
    if any(ended):
        raise refuse("bounce-broken", "A part of the show could not be written: is the disk full?")


def _forked(ready: ReadyShow, spans: Sequence[Span], first: int, path: Path) -> int:
    # A fork has the show ready at once; nothing here has started a thread yet.
    child = os.fork()
    if child:
        return child
    status = 1
    try:
        _stretch(ready, spans, first, path)
        status = 0
    finally:
        os._exit(status)


def _stretch(ready: ReadyShow, spans: Sequence[Span], first: int, path: Path) -> None:
    with open(path, "r+b") as file:
        seek_frame(file, spans[first].start, len(ready.show.routing.sockets))
        render(ready.renderer(), spans, lambda block: write_block(file, block.T), first)
