"""A show played into measures instead of a file: peaks of every socket, loudness and silence of the house."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any, NamedTuple

import numpy as np

from upbeat.audio.measure import Meter, TruePeak
from upbeat.mix.render import Renderer
from upbeat.play.advance import Span
from upbeat.show.bounce import render
from upbeat.show.loudness import house_feeds, summed
from upbeat.show.ready import ReadyShow


class Place(NamedTuple):
    """From output frame ``frame`` on: the bar of a step of an entry; entries and steps from 0, bar 0 in a count-in."""

    frame: int
    entry: int
    step: int
    bar: int


@dataclass
class Sounded:
    """What was measured.

    ``peaks``: (entry, row) to its true peak, of full scale, and the bar it lies in. ``house``: (entry, step, bar) to
    the sample peak of the house. ``lufs``: entry to its integrated loudness in the house, None in silence.
    """

    peaks: dict[tuple[int, int], tuple[float, int]] = field(default_factory=dict)
    house: dict[tuple[int, int, int], float] = field(default_factory=dict)
    lufs: dict[int, float | None] = field(default_factory=dict)

    def join(self, other: Sounded) -> None:
        """Take in what another stretch, of other entries, gave."""
        self.peaks |= other.peaks
        self.house |= other.house
        self.lufs |= other.lufs


def places_of(events: Sequence[dict[str, Any]]) -> list[Place]:
    """Where an output frame lies, from the events of :func:`upbeat.show.bounce.rehearse`."""
    found: list[Place] = []
    begun: list[int] = []
    for event in events:
        if event["kind"] == "press" and event["press"] == "go" and event["accepted"]:
            begun.append(event["frame"])
        elif event["kind"] == "bar":
            found += [Place(frame, event["entry"], event["step"], 0) for frame in begun]
            begun = []
            found.append(Place(event["frame"], event["entry"], event["step"], event["bar"]))
    return found or [Place(0, 0, 0, 0)]


def runs_of_songs(spans: Sequence[Span], places: Sequence[Place]) -> list[tuple[int, int]]:
    """(first, last) index of the spans of each run of songs: from a go to the next, out of silence into silence."""
    starts = {p.frame for p in places if p.bar == 0}
    edges = [0] + [i for i, span in enumerate(spans) if i and span.start in starts]
    return list(zip(edges, [*edges[1:], len(spans)], strict=True))


def entries_of(spans: Sequence[Span], places: Sequence[Place]) -> range:
    """The entries that some spans play, in order."""
    first, last = spans[0].start, spans[-1].end
    own = [p.entry for p in places if first <= p.frame < last]
    return range(min(own, default=0), max(own, default=-1) + 1)


def shared_out(lengths: Sequence[int], count: int) -> list[list[int]]:
    """Indices of ``lengths`` in at most ``count`` heaps about as long as each other: the longest first, to the least."""
    heaps: list[list[int]] = [[] for _ in range(count)]
    for i in sorted(range(len(lengths)), key=lambda i: -lengths[i]):
        min(heaps, key=lambda heap: sum(lengths[k] for k in heap)).append(i)
    return [heap for heap in heaps if heap]


def measured(
    ready: ReadyShow,
    spans: Sequence[Span],
    places: Sequence[Place],
    first: int = 0,
    progress: Callable[[int], None] | None = None,
) -> Sounded:
    """What spans from index ``first`` on sound like. ``progress`` is given the output frame that is reached."""
    house = [f for f in house_feeds(ready.show.routing.feeds) if f in ready.show.routing.feeds]
    renderer = Renderer(ready.plan, ready.audio, ready.show.routing, ready.show.away, tuple(f.id for f in house))
    ear = _Ear(ready.plan.sample_rate, len(ready.show.routing.sockets), [f.channels for f in house], places)
    # One span more, for what the filters of the peak meters remember.
    begins = max(0, first - 1)
    ear.at = spans[begins].start
    ear.from_frame = spans[first].start

    def sink(block: np.ndarray) -> None:
        ear.push(block)
        if progress:
            progress(ear.at)

    render(renderer, spans, sink, begins)
    return ear.result()


class _Ear:
    """Takes the blocks of a renderer, sockets first, then the house."""

    def __init__(self, sample_rate: int, sockets: int, house: list[int], places: Sequence[Place]):
        self.at = self.from_frame = 0
        self._rate, self._sockets, self._house = sample_rate, sockets, house
        self._places = places
        self._frames = [p.frame for p in places]
        self._meters = [TruePeak(1) for _ in range(sockets)]
        self._sounded = Sounded()
        self._loud: Meter | None = None
        self._entry = -1

    def push(self, block: np.ndarray) -> None:
        for place, part in self._by_place(block):
            self._push_sockets(place, part[: self._sockets])
            if self._house and place is not None:
                self._push_house(place, part[self._sockets :])

    def _by_place(self, block: np.ndarray) -> Iterator[tuple[Place | None, np.ndarray]]:
        """The block cut where bars begin; no place before ``from_frame``."""
        start, end = self.at, self.at + block.shape[1]
        self.at = end
        within = self._frames[bisect_right(self._frames, start) : bisect_right(self._frames, end - 1)]
        edges = sorted({start, end, *within, *([self.from_frame] if start < self.from_frame < end else [])})
        for a, b in pairwise(edges):
            place = self._places[max(0, bisect_right(self._frames, a) - 1)] if a >= self.from_frame else None
            yield place, block[:, a - start : b - start]

    def _push_sockets(self, place: Place | None, part: np.ndarray) -> None:
        peaks = self._sounded.peaks
        for row, meter in enumerate(self._meters):
            key = (place.entry, row) if place is not None else None
            before = peaks[key][0] if key in peaks else 0.0
            meter.peak = before
            meter.push(np.ascontiguousarray(part[row : row + 1]))
            if key is not None and place is not None and (meter.peak > before or key not in peaks):
                peaks[key] = (meter.peak, place.bar)

    def _push_house(self, place: Place, rows: np.ndarray) -> None:
        if place.entry != self._entry:
            self._entry_over()
            self._entry, self._loud = place.entry, Meter(self._rate, 2)
        sound = summed(rows, self._house)
        assert self._loud is not None
        self._loud.push(sound)
        key = place.entry, place.step, place.bar
        loudest = float(max(sound.max(initial=0), -sound.min(initial=0)))
        self._sounded.house[key] = max(self._sounded.house.get(key, 0.0), loudest)

    def _entry_over(self) -> None:
        if self._loud is not None:
            self._sounded.lufs[self._entry] = self._loud.result("house", None).integrated_lufs

    def result(self) -> Sounded:
        self._entry_over()
        return self._sounded
