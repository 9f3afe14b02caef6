"""Tracks: what is written against a song, mapped through a run to output frames."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Generic, TypeVar

from upbeat.play.state import Run

Payload = TypeVar("Payload")


@dataclass(frozen=True)
class Track(Generic[Payload]):
    """Source frames in ascending order, each with a payload.

    ``frames`` is a list of Python integers: bisection is quicker on a list than on an array.
    """

    frames: list[int]
    payloads: Sequence[Payload]


def mapped(track: Track[Payload], run: Run, start: int, end: int) -> Iterator[tuple[int, Payload]]:
    """(output frame, payload) of everything in a track that a run plays in output frames ``start`` to ``end``."""
    shift = run.out_start - run.src_start
    first, last = bisect_left(track.frames, start - shift), bisect_left(track.frames, end - shift)
    for i in range(first, last):
        yield track.frames[i] + shift, track.payloads[i]
