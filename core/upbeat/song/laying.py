"""Where a loop lies under a song (rule V3): which part of it begins at which frame.

A loop begins anew with every section, and its bar line lies on every bar line of the song. A note of the loop is as
long as that note of the song. Where their metres differ:

- a bar of the song that holds whole bars of the loop has so many of them (two of 2/4 in 4/4), and a bar of the loop that
  holds whole bars of the song lies over so many of those;
- a shorter bar of the song cuts the loop's bar at its bar line;
- a longer one is filled with the loop's bar after its first beat, as often as it takes, so that its first beat is heard once.
"""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from upbeat.song.layers import Layer
from upbeat.song.song import Song
from upbeat.time.meter import counted

BEFORE_S = 0.003  # heard before an attack, which begins a little sooner than it is found
JOIN_S = 0.002  # over which a piece gives way to the next
END_S = 0.010  # over which a piece fades out where nothing follows it at once
NEAR_S = 0.015  # an attack so soon after a place begins there
SNAP = 48  # parts of a quarter note: what lies within a frame of one is on it


class Stretch(NamedTuple):
    """Part of a loop, from quarter note ``loop`` on, at a position of the song (quarter notes), for ``length`` quarter notes of the song.

    ``goes_on``: it follows what lies before it in the loop as well.
    """

    loop: Fraction
    position: Fraction
    length: Fraction
    goes_on: bool


class Pieces(NamedTuple):
    """Sound that is laid, by the frame of the song at which each piece begins: int64 arrays.

    ``source``: the first frame of a piece in its sound; ``frames``: its length; ``fade_in`` and ``fade_out``: frames within it.
    ``sound``: which sound it is from.
    """

    start: np.ndarray
    source: np.ndarray
    frames: np.ndarray
    fade_in: np.ndarray
    fade_out: np.ndarray
    sound: np.ndarray


def stretches(layer: Layer, song: Song) -> Iterator[Stretch]:
    """What of a loop lies where, bar by bar of the song."""
    meters, bar, end = song.grid.meters, 1, None
    own, whole = layer.meter.quarters, layer.bars * layer.meter.quarters
    for section in song.sections:
        at = Fraction(0)
        for n in range(section.bars):
            position, length = meters.bar_start(bar + n), meters.at_bar(bar + n).quarters * layer.pace
            if at % own and (own % length or at % own % length):
                at = _next_bar(at, own)
            for begin, part in _within_bar(layer, length, at):
                loop = begin % whole
                yield Stretch(loop, position, part / layer.pace, loop == end)
                position += part / layer.pace
                end = (loop + part) % whole
            at = at + length if length % own == 0 or own % length == 0 else _next_bar(at, own)
        bar += section.bars


def _next_bar(at: Fraction, own: Fraction) -> Fraction:
    return (at // own + 1) * own


def _within_bar(layer: Layer, length: Fraction, at: Fraction) -> Iterator[tuple[Fraction, Fraction]]:
    """Parts of the loop, (first quarter note, quarter notes), that fill ``length``; none goes over a bar line of the loop."""
    own = layer.meter.quarters
    if length <= own:
        yield at, length
        return
    if length % own == 0:
        yield from ((at + n * own, own) for n in range(int(length // own)))
        return
    first = _first_beat(layer)
    yield at, own
    left = length - own
    while left > 0:
        part = min(left, own - first)
        yield at + first, part
        left -= part


def _first_beat(layer: Layer) -> Fraction:
    """How long the first beat of a loop's bar is; nothing where it has one beat alone."""
    beats = (*counted(layer.meter).felt_beats, layer.meter.quarters)
    return beats[1] if len(beats) > 2 else Fraction(0)


def struck_pieces(layer: Layer, song: Song, frames: int, sample_rate: int) -> Pieces:
    """A loop cut at its attacks, of a sound that begins with :func:`lead_in` frames before the loop's first one.

    ``frames``: how long the loop's sound is, what rings on after its last bar included. At its own tempo the pieces
    add up to the loop as it is.
    """
    cuts = _cuts(layer, sample_rate)
    end = max(frames, round(layer.seconds * sample_rate))
    follows = dict(pairwise([*(frame for _, frame in cuts), end]))
    positions: list[Fraction] = []
    sources: list[int] = []
    for one in stretches(layer, song):
        for place, frame in _cuts_within(layer, one, cuts, sample_rate):
            positions.append(one.position + (place - one.loop) / layer.pace)
            sources.append(frame)
    before, join, ending = (round(s * sample_rate) for s in (BEFORE_S, JOIN_S, END_S))
    start = np.array(song.grid.frames(positions, sample_rate), dtype=np.int64) - before
    source_end = [follows.get(f) or next((c for _, c in cuts if c > f), end) for f in sources]
    last = song.grid.bar_lines([song.total_bars], sample_rate)[0] - before
    return _joined(start, np.array(sources, dtype=np.int64), np.array(source_end, dtype=np.int64), join, ending, last)


def lead_in(sample_rate: int) -> int:
    """Frames that are heard before an attack."""
    return round(BEFORE_S * sample_rate)


def _joined(start: np.ndarray, source: np.ndarray, source_end: np.ndarray, join: int, ending: int, last: int) -> Pieces:
    """Pieces that give way to each other over ``join`` frames; the last one does so at frame ``last``."""
    follows = np.append(start[1:], last)
    there = np.maximum(0, source_end - source)
    until = np.maximum(0, follows - start)
    meets = until <= there
    frames = np.where(meets, until + join, there)
    fade_out = np.where(meets, join, np.minimum(ending, there))
    zero = np.zeros(len(start), dtype=np.int64)
    return Pieces(start, source, frames, np.full(len(start), join, dtype=np.int64), fade_out, zero)


def _cuts(layer: Layer, sample_rate: int) -> list[tuple[Fraction, int]]:
    """The attacks of a loop with its beginning: (quarter note, frame), in order."""
    whole = layer.bars * layer.meter.quarters
    found: dict[int, Fraction] = {}
    for at in sorted(layer.attacks):
        frame = round(at * sample_rate)
        place = _on_a_note(Fraction(frame, sample_rate) * layer.bpm / 60, layer, sample_rate)
        if 0 <= place < whole:
            found[frame] = place
    if not found or min(found) > round(NEAR_S * sample_rate):
        found[0] = Fraction(0)
    return sorted((place, frame) for frame, place in found.items())


def _on_a_note(place: Fraction, layer: Layer, sample_rate: int) -> Fraction:
    note = Fraction(round(place * SNAP), SNAP)
    return note if abs(place - note) * 60 / layer.bpm <= Fraction(1, sample_rate) else place


def _cuts_within(
    layer: Layer, one: Stretch, cuts: list[tuple[Fraction, int]], sample_rate: int
) -> Iterator[tuple[Fraction, int]]:
    """The cuts that lie in a stretch, in quarter notes and frames of the loop; one at its beginning where it does not go on."""
    near = Fraction(NEAR_S) * layer.bpm / 60
    inside = [cut for cut in cuts if one.loop <= cut[0] < one.loop + one.length * layer.pace]
    if not one.goes_on and (not inside or inside[0][0] - one.loop > near):
        yield one.loop, round(one.loop * 60 / layer.bpm * sample_rate)
    yield from inside
