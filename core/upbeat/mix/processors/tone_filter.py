"""The tone of a feed, sample by sample (rule M8)."""

from __future__ import annotations

import numpy as np

from upbeat.audio.kernels import second_order
from upbeat.mix.processors.matched import sections
from upbeat.mix.tone import FLAT, Tone

GRID_S = 0.05  # another tone begins at the next line of this grid, and fades in until the one after it
LINES = 10  # every so many, filters that began anew take over


class ToneFilter:
    """Filters of a tone; another one fades in within 0.1 s.

    A recursive filter never quite forgets, to the last bit, what it began with. So that two renderers, and a bounce that
    begins anywhere, make the same samples, filters begin anew every half a second of the output, run silently for as long,
    and then take over from those before: what sounds depends on the last second alone.
    """

    def __init__(self, channels: int, sample_rate: int, tone: Tone = FLAT):
        self._channels, self._rate = channels, sample_rate
        self._grid = round(GRID_S * sample_rate)
        self._asked, self._frame = tone, 0
        self._heard, self._next = (_Faded(channels, sample_rate, tone) for _ in range(2))

    @property
    def memory_frames(self) -> int:
        return 2 * LINES * self._grid

    def to(self, tone: Tone, frame: int) -> None:
        """Have another tone from an output frame on, which is the next to be processed."""
        self._asked, self._frame = tone, frame

    def process(self, block: np.ndarray) -> np.ndarray:
        """The output for ``block``, float32 (channels, frames)."""
        out = np.empty_like(block)
        at, frames = 0, block.shape[1]
        while at < frames:
            past = self._frame % self._grid
            if past == 0:
                self._cross(self._frame // self._grid)
            end = min(frames, at + self._grid - past)
            part = np.ascontiguousarray(block[:, at:end])
            out[:, at:end] = self._heard.process(part, past, self._grid)
            self._next.process(part, past, self._grid)
            self._frame += end - at
            at = end
        return out

    def _cross(self, line: int) -> None:
        """Cross a line of the grid."""
        if line % LINES == 0:
            self._heard, self._next = self._next, _Faded(self._channels, self._rate, self._asked)
        self._heard.turn_to(self._asked)
        self._next.turn_to(self._asked)


class _Faded:
    """Filters of a tone, and those of the one before while that fades out."""

    def __init__(self, channels: int, sample_rate: int, tone: Tone):
        self._channels, self._rate, self._tone = channels, sample_rate, tone
        self._now = _Filters(channels, sections(tone, sample_rate))
        self._before: _Filters | None = None

    def turn_to(self, tone: Tone) -> None:
        self._before = None
        if tone != self._tone:
            self._before, self._tone = self._now, tone
            self._now = _Filters(self._channels, sections(tone, self._rate))

    def process(self, part: np.ndarray, past: int, fade: int) -> np.ndarray:
        """The output for a part that begins ``past`` frames after a line of the grid, and a fade of ``fade`` frames with it."""
        made = self._now.process(part)
        if self._before is None:
            return made
        x = (past + np.arange(part.shape[1]) + 0.5) / fade
        weight = (0.5 - 0.5 * np.cos(np.pi * x)).astype(np.float32)
        return made * weight + self._before.process(part) * (1 - weight)


class _Filters:
    """Second-order sections in a row, with where they are."""

    def __init__(self, channels: int, own: np.ndarray):
        self._sections = own
        self._state = np.zeros((channels, len(own), 2))

    def process(self, block: np.ndarray) -> np.ndarray:
        if not len(self._sections):
            return block
        out = np.empty_like(block)
        second_order(block, self._sections, self._state, out)
        return out
