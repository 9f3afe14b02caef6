"""The tone of a feed, sample by sample (rule M8)."""

from __future__ import annotations

import numpy as np

from upbeat.audio.kernels import second_order
from upbeat.mix.processors.matched import sections
from upbeat.mix.tone import FLAT, Tone

GRID_S = 0.05  # another tone begins at the next line of this grid, and fades in until the one after it
LINES = 10  # every so many, filters that began anew take over
LANES = 4  # that the filters take at once
STILL = 1e-30


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
            out[:, at:end] = self._part(part, past)
            self._frame += end - at
            at = end
        return out

    def _part(self, part: np.ndarray, past: int) -> np.ndarray:
        heard, following = self._heard, self._next
        if heard.before is None and following.before is None and heard.tone == following.tone:
            return _filtered(part, heard.now, following.now)[0]
        following.process(part, past, self._grid)
        return heard.process(part, past, self._grid)

    def _cross(self, line: int) -> None:
        """Cross a line of the grid."""
        if line % LINES == 0:
            self._heard, self._next = self._next, _Faded(self._channels, self._rate, self._asked)
        self._heard.turn_to(self._asked)
        self._next.turn_to(self._asked)


class _Faded:
    """Filters of a tone, and those of the one before while that fades out."""

    def __init__(self, channels: int, sample_rate: int, tone: Tone):
        self._channels, self._rate, self.tone = channels, sample_rate, tone
        self.now = _Filters(channels, sections(tone, sample_rate))
        self.before: _Filters | None = None

    def turn_to(self, tone: Tone) -> None:
        self.before = None
        self.now.settle()
        if tone != self.tone:
            self.before, self.tone = self.now, tone
            self.now = _Filters(self._channels, sections(tone, self._rate))

    def process(self, part: np.ndarray, past: int, fade: int) -> np.ndarray:
        """The output for a part that begins ``past`` frames after a line of the grid, and a fade of ``fade`` frames with it."""
        made = _filtered(part, self.now)[0]
        if self.before is None:
            return made
        x = (past + np.arange(part.shape[1]) + 0.5) / fade
        weight = (0.5 - 0.5 * np.cos(np.pi * x)).astype(np.float32)
        return made * weight + _filtered(part, self.before)[0] * (1 - weight)


class _Filters:
    """Second-order sections in a row, with where they are: state (channels, filters, 2)."""

    def __init__(self, channels: int, own: np.ndarray):
        self.sections = own
        self.state = np.zeros((channels, len(own), 2))

    def settle(self) -> None:
        """In silence they ring down into numbers so small that the processor slows tenfold."""
        self.state[np.abs(self.state) < STILL] = 0


def _filtered(part: np.ndarray, *filters: _Filters) -> list[np.ndarray]:
    """What filters with the same sections, of four channels together at most, make of a part."""
    own, channels = filters[0].sections, len(part)
    if not len(own):
        return [part] * len(filters)
    block, out = np.zeros((2, LANES, part.shape[1]), dtype=np.float32)
    state = np.zeros((LANES, len(own), 2))
    places = [slice(i * channels, (i + 1) * channels) for i in range(len(filters))]
    for one, place in zip(filters, places, strict=True):
        block[place], state[place] = part, one.state
    second_order(block, own, state, out)
    for one, place in zip(filters, places, strict=True):
        one.state = state[place].copy()
    return [out[place] for place in places]
