"""The whole dress run of a show."""

from __future__ import annotations

import mmap
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from upbeat.audio.file_pcm import Pcm, SilentPcm, open_to_play
from upbeat.errors import Refused
from upbeat.mix.routing import Routing, routing_problems
from upbeat.play.state import standing_by
from upbeat.show.bounce import rehearse
from upbeat.show.cores import cores, on_every_core
from upbeat.show.document import Show
from upbeat.show.dress_run import judged, paper
from upbeat.show.dress_run.faults import Fault, worst_first
from upbeat.show.dress_run.sound import Sounded, measured, places_of, stretches
from upbeat.show.left import after_s, own_left_s
from upbeat.show.ready import ReadyShow, make_ready

#: Given the share that is done, 0 to 1; raises what is to end the run.
Progress = Callable[[float], None]


@dataclass(frozen=True, kw_only=True)
class DressRun:
    """``seconds``: the length of the show, intervals and all. ``faults``: worst first. ``counts``: what was looked at.

    ``sockets`` and ``entries`` as ``upbeat dress-run`` gives them (docs/cli.md).
    """

    seconds: float
    faults: tuple[Fault, ...]
    sockets: list[dict[str, Any]]
    entries: list[dict[str, Any]]
    counts: dict[str, int]


def dress_run(show: Show, folder: Path, words_folder: Path | None = None, progress: Progress | None = None) -> DressRun:
    """Look at a show whose files lie in ``folder``, and play it. Raises :class:`Refused` where there is nothing to play.

    What cannot be played is a fault, and the rest is played without it.
    """
    faults, files = paper.file_faults(show, folder)
    faults += [
        *paper.routing_faults(show.routing),
        *paper.link_faults(show),
        *paper.line_up_faults(show),
        *paper.reference_faults(show),
    ]
    ready = _ready(replace(show, routing=_playable(show.routing)), folder, words_folder)
    seams, looked = paper.seam_faults(ready)
    cues, words = paper.cue_faults(ready)
    sounded = _played(ready, progress)
    entry, own = own_left_s(ready.plan, standing_by(0))
    seconds = own + after_s(ready.plan, standing_by(0).music, entry)
    faults += [*seams, *cues, *paper.slot_faults(ready, seconds)]
    faults += judged.overloads(ready, sounded)
    # One cause, one fault: without one of its files a song is softer, without wires its sockets are silent.
    harmed = {f.entry for f in faults if f.code in ("file-missing", "file-changed")}
    faults += [f for f in judged.out_of_line(ready, sounded) if f.entry not in harmed]
    faults += judged.silences(ready, sounded) if ready.show.routing.patches == show.routing.patches else ()
    return DressRun(
        seconds=seconds,
        faults=tuple(worst_first(faults)),
        sockets=judged.wired_sockets(show, sounded),
        entries=_entries(ready, sounded),
        counts={"files": files, "seams": looked, "words": words, "messages": 0},
    )


def _playable(routing: Routing) -> Routing:
    """As much of a routing as may be played: without the guides in its house, without its wires, or nothing of it."""
    feeds = paper.without_guides(routing.feeds)
    tried = (routing, replace(routing, feeds=feeds), Routing(feeds, routing.sockets), Routing((), routing.sockets))
    return next(r for r in tried if not routing_problems(r))


def _ready(show: Show, folder: Path, words_folder: Path | None) -> ReadyShow:
    try:
        return make_ready(show, folder, words_folder=words_folder, open_stem=_open_or_silent)
    except Refused:
        # A sound of the band's own, or a word, that cannot be read: the run goes on with those that ship.
        bare = replace(show, words=(), sounds={})
        return make_ready(bare, folder, words_folder=words_folder, open_stem=_open_or_silent)


def _open_or_silent(path: Path, sample_rate: int) -> Pcm:
    try:
        return open_to_play(path, sample_rate)
    except Refused:
        return SilentPcm()


def _played(ready: ReadyShow, progress: Progress | None) -> Sounded:
    """The show played on every core, a stretch of whole songs on each."""
    spans, events = rehearse(ready, None)
    if not spans:
        return Sounded()
    places = places_of(events)
    parts = stretches(spans, places, cores())
    # How far each has come, in frames, where all of them see it.
    done = np.frombuffer(mmap.mmap(-1, 8 * len(parts)), dtype=np.int64)
    whole = spans[-1].end

    def reached(part: int, frame: int) -> None:
        done[part] = frame - spans[parts[part][0]].start
        if progress is not None and part == 0:
            progress(min(1.0, float(done.sum()) / whole))

    jobs = [
        partial(measured, ready, spans[:last], places, first, partial(reached, i))
        for i, (first, last) in enumerate(parts)
    ]
    results = on_every_core(jobs)
    sounded = results[0]
    for other in results[1:]:
        sounded.join(other)
    return sounded


def _entries(ready: ReadyShow, sounded: Sounded) -> list[dict[str, Any]]:
    found = []
    for i in ready.plan.listed:
        own = ready.plan.entries[i]
        lufs = sounded.lufs.get(i)
        seconds = own_left_s(ready.plan, standing_by(i))[1]
        found.append(
            {
                "id": own.id,
                "title": own.title,
                "seconds": round(seconds, 3),
                "integrated_lufs": None if lufs is None else round(lufs, 3),
            }
        )
    return found
