"""Rendering a long show on every core: each process takes a stretch of the spans, all write one file."""

from __future__ import annotations

import os
import pickle
import signal
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TypeVar

from upbeat.audio.pcm import seek_frame, write_block
from upbeat.errors import refuse
from upbeat.play.advance import Span
from upbeat.show.bounce import render
from upbeat.show.ready import ReadyShow

Result = TypeVar("Result")

_WORTH_S = 60  # a stretch shorter than this is not worth a process


def render_on_every_core(ready: ReadyShow, spans: Sequence[Span], path: Path) -> None:
    """Fill the WAV at ``path`` with what the spans sound like. Raises :class:`Refused` if a process fails."""
    if not spans:
        return
    seconds = spans[-1].end / ready.plan.sample_rate
    count = max(1, min(cores(), int(seconds // _WORTH_S)))
    edges = [len(spans) * i // count for i in range(count + 1)]
    children = [_forked(ready, spans[: edges[i + 1]], edges[i], path) for i in range(1, count)]
    try:
        _stretch(ready, spans[: edges[1]], 0, path)
    finally:
        ended = [os.waitpid(child, 0)[1] for child in children]
    if any(ended):
        raise refuse("bounce-broken", "A part of the show could not be written: is the disk full?")


def on_every_core(jobs: Sequence[Callable[[], Result]]) -> list[Result]:
    """What each job gives, each in a process of its own but for the first. Raises :class:`Refused` if one fails."""
    others = [_forked_job(job) for job in jobs[1:]]
    try:
        results = [jobs[0]()]
    except BaseException:
        # What is called off is called off on every core.
        for child, pipe in others:
            os.kill(child, signal.SIGKILL)
            os.waitpid(child, 0)
            os.close(pipe)
        raise
    answers = [(_read_whole(pipe), os.waitpid(child, 0)[1]) for child, pipe in others]
    if any(status or not answer for answer, status in answers):
        raise refuse("show-unplayed", "A part of the show could not be played: is there memory left?")
    return results + [pickle.loads(answer) for answer, _ in answers]


def cores() -> int:
    """How many the process may use."""
    return len(os.sched_getaffinity(0))


def _forked_job(job: Callable[[], Result]) -> tuple[int, int]:
    ours, theirs = os.pipe()
    child = os.fork()
    if child:
        os.close(theirs)
        return child, ours
    status = 1
    try:
        os.close(ours)
        with os.fdopen(theirs, "wb") as out:
            out.write(pickle.dumps(job()))
        status = 0
    finally:
        os._exit(status)


def _read_whole(pipe: int) -> bytes:
    with os.fdopen(pipe, "rb") as file:
        return file.read()


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
