"""The whole dress run of a show."""

from __future__ import annotations

import mmap
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from upbeat.audio.file_pcm import Pcm, SilentPcm, open_to_play
from upbeat.errors import Refused
from upbeat.mix.routing import Routing, routing_problems
from upbeat.play.advance import Span
from upbeat.play.state import standing_by
from upbeat.show.bounce import rehearse
from upbeat.show.cores import cores, on_every_core
from upbeat.show.document import Show
from upbeat.show.dress_run import judged, paper
from upbeat.show.dress_run.faults import Fault, worst_first
from upbeat.show.dress_run.kept import Kept, packed
from upbeat.show.dress_run.sound import (
    Place,
    Sounded,
    entries_of,
    measured,
    places_of,
    runs_of_songs,
    shared_out,
)
from upbeat.show.left import after_s, own_left_s
from upbeat.show.ready import ReadyShow, make_ready

#: Given the share that is done, 0 to 1; raises what is to end the run.
Progress = Callable[[float], None]


@dataclass(frozen=True, kw_only=True)
class DressRun:
    """``seconds``: the length of the show, intervals and all. ``faults``: worst first. ``counts``: what was looked at.

    ``kept``: measures by content, for the next run. ``sockets`` and ``entries`` as ``upbeat dress-run`` gives them (docs/cli.md).
    """

    seconds: float
    faults: tuple[Fault, ...]
    sockets: list[dict[str, Any]]
    entries: list[dict[str, Any]]
    counts: dict[str, int]
    kept: dict[str, Any]


def dress_run(
    show: Show,
    folder: Path,
    words_folder: Path | None = None,
    progress: Progress | None = None,
    kept: Kept | None = None,
) -> DressRun:
    """Look at a show whose files lie in ``folder``, and play it. Raises :class:`Refused` where there is nothing to play.

    What cannot be played is a fault, and the rest is played without it. ``kept``: measures of songs that may be the same
    as they are now; these are not played again.
    """
    faults, files = paper.file_faults(show, folder)
    faults += [
        *paper.routing_faults(show.routing),
        *paper.link_faults(show),
        *paper.pad_faults(show),
        *paper.line_up_faults(show),
        *paper.reference_faults(show),
    ]
    ready = _ready(replace(show, routing=_playable(show.routing)), folder, words_folder)
    seams, looked = paper.seam_faults(ready)
    cues, words = paper.cue_faults(ready)
    sounded, to_keep = _played(ready, kept or Kept(), progress)
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
        kept=to_keep,
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


def _played(ready: ReadyShow, kept: Kept, progress: Progress | None) -> tuple[Sounded, dict[str, Any]]:
    """The show played on every core but for what is kept; and what is to be kept of it."""
    spans, events = rehearse(ready, None)
    if not spans:
        return Sounded(), {}
    places = places_of(events)
    parts = runs_of_songs(spans, places)
    entries = [entries_of(spans[first:last], places) for first, last in parts]
    keys = [kept.key(own) for own in entries]
    sounded: dict[int, Sounded] = {i: known for i, key in enumerate(keys) if (known := kept.sounded(key, entries[i]))}
    new = [i for i in range(len(parts)) if i not in sounded]
    sounded |= _measured_anew(ready, spans, places, {i: parts[i] for i in new}, progress)
    whole = Sounded()
    for i in range(len(parts)):
        whole.join(sounded[i])
    return whole, {key: packed(sounded[i], entries[i]) for i, key in enumerate(keys) if key}


def _measured_anew(
    ready: ReadyShow,
    spans: Sequence[Span],
    places: Sequence[Place],
    parts: Mapping[int, tuple[int, int]],
    progress: Progress | None,
) -> dict[int, Sounded]:
    lengths = [spans[last - 1].end - spans[first].start for first, last in parts.values()]
    heaps = [[list(parts)[k] for k in heap] for heap in shared_out(lengths, cores())]
    if not heaps:
        return {}
    # Frames that each core has played, where all of them see it.
    done = np.frombuffer(mmap.mmap(-1, 8 * len(heaps)), dtype=np.int64)

    def of_heap(which: int) -> dict[int, Sounded]:
        found = {}
        for i in heaps[which]:
            first, last = parts[i]
            begun = int(done[which])

            def reached(frame: int, begun: int = begun, start: int = spans[first].start) -> None:
                done[which] = begun + max(0, frame - start)
                if progress is not None and which == 0:
                    progress(min(1.0, float(done.sum()) / sum(lengths)))

            found[i] = measured(ready, spans[:last], places, first, reached)
        return found

    results = on_every_core([partial(of_heap, which) for which in range(len(heaps))])
    return {i: one for result in results for i, one in result.items()}


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
                "bars": own.bars,
                "seconds": round(seconds, 3),
                "integrated_lufs": None if lufs is None else round(lufs, 3),
            }
        )
    return found
