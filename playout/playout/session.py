"""A loaded show being played: the core's transport and renderer, block by block."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from playout.devices import BLOCK
from upbeat.mix.sounding import StemNow, stems_now
from upbeat.play.advance import Span, advance
from upbeat.play.presses import Outcome, press
from upbeat.play.state import Hand, State
from upbeat.show.ready import ReadyShow


class Session:
    """One show from its loading on; its output frames begin with it."""

    def __init__(self, show: str, ready: ReadyShow):
        self.show, self.ready = show, ready
        self.state = State()
        self.renderer = ready.renderer()
        self._places = [s.number - 1 for s in ready.show.routing.sockets]
        self._channels = {f.id: f.channels for f in ready.show.routing.feeds}
        self._rows = self._new_rows()
        self._stems_now: tuple[tuple[int, int, Hand], list[StemNow]] | None = None

    def _new_rows(self) -> np.ndarray:
        return np.zeros((self.renderer.rows, BLOCK), dtype=np.float32)

    def render(self, out: np.ndarray) -> Span:
        """Fill ``out``, float32 (device channels, BLOCK), with the next block."""
        self.state, span = advance(self.ready.plan, self.state, BLOCK)
        self.renderer.render(span, self._rows)
        out[self._places] = self._rows[: len(self._places)]
        return span

    def press(self, name: str, args: Mapping[str, Any], heard: int) -> Outcome:
        """Apply a press at the next block. ``heard``: the output frame that is audible now."""
        self.state, outcome = press(self.ready.plan, self.state, name, args, heard)
        return outcome

    def set_taps(self, feeds: list[str]) -> tuple[str, ...]:
        """Choose the feeds to be rendered besides the sockets; gives those that are there."""
        self.renderer.set_taps(feeds)
        self._rows = self._new_rows()
        return self.renderer.taps

    def tapped(self) -> list[tuple[str, np.ndarray]]:
        """The newest block of each tap, as (feed, float32 (channels, BLOCK))."""
        found, row = [], len(self._places)
        for tap in self.renderer.taps:
            found.append((tap, self._rows[row : row + self._channels[tap]].copy()))
            row += self._channels[tap]
        return found

    def stems_now(self, entry: int, step: int) -> list[StemNow]:
        """What every stem of an entry does in a step, worked out when one of them changes."""
        if not self.ready.plan.entries:
            return []
        key = (entry, step, self.state.hand)
        if self._stems_now is None or self._stems_now[0] != key:
            made = stems_now(self.ready.plan.entries[entry], step, self.ready.show.away, self.state.hand)
            self._stems_now = key, made
        return self._stems_now[1]
