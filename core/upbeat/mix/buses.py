"""Buses: the feeds that carry a processor.

Without processors, sockets = matrix × sources. A feed with one becomes a bus: its input is a row of
the same matrix, its output a column of a second one: sources × A → buses → processors → × B → sockets.
Everything else stays folded into A.
"""

from __future__ import annotations

from collections.abc import Mapping
from copy import deepcopy
from dataclasses import dataclass, replace

import numpy as np

from upbeat.mix.matrix import Lane, Ramped, times
from upbeat.mix.processors import Processor
from upbeat.mix.processors.tone_filter import ToneFilter
from upbeat.song.tone import Tone


@dataclass(frozen=True)
class Bus:
    """A feed with its processors in order. ``columns``: its channels among the outputs of all buses."""

    feed: str
    columns: slice
    processors: tuple[Processor, ...]


SavedBuses = tuple[list[tuple[Processor, ...]], Ramped | None]


class Buses:
    """Runs the buses of a show in feed order, so that one may take from another."""

    def __init__(self, buses: tuple[Bus, ...]):
        self.buses = buses
        self.channels = sum(b.columns.stop - b.columns.start for b in buses)
        self.memory_frames = sum(p.memory_frames for b in buses for p in b.processors)
        self._returns: Ramped | None = None

    def with_rows(self, old: np.ndarray) -> None:
        """Go on with other rows (:meth:`Ramped.with_rows`); the state of the processors continues."""
        if self._returns is not None:
            self._returns.with_rows(old)

    def set_tones(self, tones: Mapping[str, Tone], frame: int) -> None:
        """Have feeds, each by its id, sound so from an output frame on, which is the next to be rendered."""
        for bus in self.buses:
            for processor in bus.processors:
                if isinstance(processor, ToneFilter) and bus.feed in tones:
                    processor.to(tones[bus.feed], frame)

    def saved(self) -> SavedBuses:
        """Where the buses are, to be restored."""
        return deepcopy([b.processors for b in self.buses]), self._returns and self._returns.copy()

    def restore(self, saved: SavedBuses) -> None:
        processors, returns = saved
        self.buses = tuple(replace(b, processors=p) for b, p in zip(self.buses, deepcopy(processors), strict=True))
        self._returns = returns and returns.copy()

    def render(self, work: np.ndarray, out: np.ndarray, matrix: np.ndarray, ramp: int) -> None:
        """Add the buses' output to ``out``, float32 (rows, frames).

        ``work``: (rows + bus channels, frames): what the sources give to the rows, then to the buses.
        ``matrix``: (rows + bus channels, bus channels): what each bus gives to the rows and to later buses.
        """
        rows, frames = out.shape
        sound = np.zeros((self.channels, frames), dtype=np.float32)
        for bus in self.buses:
            into = slice(rows + bus.columns.start, rows + bus.columns.stop)
            # Feed order: only earlier buses have a gain here.
            block = work[into] + times(matrix[into], sound)
            for processor in bus.processors:
                block = processor.process(block)
            sound[bus.columns] = block
        returned = matrix[:rows]
        if self._returns is None:
            self._returns = Ramped(returned, [1] * self.channels)
        self._returns.to(returned, ramp)
        if not self._returns.lanes:
            self._returns.skip(frames)
            return
        out += self._returns.mix([_block(sound, lane) for lane in self._returns.lanes], frames)


def _block(sound: np.ndarray, lane: Lane) -> np.ndarray:
    return sound[list(lane.stems)]
