"""The tone of a stem or a feed, sample by sample (rule M8)."""

from __future__ import annotations

from copy import copy

import numpy as np

from upbeat.audio.kernels import second_order
from upbeat.mix.processors.matched import sections
from upbeat.song.tone import FLAT, Tone

GRID_S = 0.05  # another tone by hand begins at the next line of this grid, and fades in until the one after it
AT_ONCE_S = 0.02  # over which another one fades in that begins where it is asked for
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
        self._grid, self._quick = round(GRID_S * sample_rate), round(AT_ONCE_S * sample_rate)
        self._asked, self._frame = tone, 0
        self._heard, self._next = (_Faded(channels, sample_rate, tone) for _ in range(2))

    def __deepcopy__(self, memo: object) -> ToneFilter:
        made = copy(self)
        made._heard, made._next = self._heard.copy(), self._next.copy()
        return made

    @property
    def memory_frames(self) -> int:
        return 2 * LINES * self._grid

    def to(self, tone: Tone, frame: int, at_once: bool = False) -> None:
        """Have another tone from an output frame on, which is the next to be processed; on the grid, or ``at_once``."""
        self._asked, self._frame = tone, frame
        if at_once:
            self._heard.turn_to(tone, frame, self._quick)
            self._next.turn_to(tone, frame, self._quick)

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
            out[:, at:end] = self._part(part)
            self._frame += end - at
            at = end
        return out

    def _part(self, part: np.ndarray) -> np.ndarray:
        heard, following = self._heard, self._next
        if heard.still and following.still and heard.tone == following.tone:
            return _filtered(part, heard.now, following.now)[0]
        following.process(part, self._frame)
        return heard.process(part, self._frame)

    def _cross(self, line: int) -> None:
        """Cross a line of the grid."""
        if line % LINES == 0:
            self._heard, self._next = self._next, _Faded(self._channels, self._rate, self._asked)
        for one in (self._heard, self._next):
            one.settle()
            one.turn_to(self._asked, self._frame, self._grid)


class _Faded:
    """Filters of a tone, and those of the ones before it while they give way to it."""

    def __init__(self, channels: int, sample_rate: int, tone: Tone):
        self._channels, self._rate, self.tone = channels, sample_rate, tone
        self.now = _Filters(channels, sections(tone, sample_rate))
        # The filters before, each with the frame from which on, and the frames in which, it gives way to those after it.
        self._before: list[tuple[_Filters, int, int]] = []

    def copy(self) -> _Faded:
        made = copy(self)
        made.now, made._before = copy(self.now), [(copy(f), begun, length) for f, begun, length in self._before]
        return made

    @property
    def still(self) -> bool:
        return not self._before

    def settle(self) -> None:
        for filters in (self.now, *(f for f, _, _ in self._before)):
            filters.settle()

    def turn_to(self, tone: Tone, frame: int, length: int) -> None:
        """Have another tone from output frame ``frame`` on, faded in over ``length`` frames."""
        self._forget(frame)
        if tone != self.tone:
            self._before.append((self.now, frame, length))
            self.tone, self.now = tone, _Filters(self._channels, sections(tone, self._rate))

    def _forget(self, frame: int) -> None:
        """Drop the filters of which nothing is heard any more from ``frame`` on."""
        gone = [i for i, (_, begun, length) in enumerate(self._before, 1) if frame >= begun + length]
        self._before = self._before[max(gone, default=0) :]

    def process(self, part: np.ndarray, frame: int) -> np.ndarray:
        """The output for a part that begins at an output frame."""
        self._forget(frame)
        if not self._before:
            return _filtered(part, self.now)[0]
        made = _filtered(part, self._before[0][0])[0]
        following = [*(f for f, _, _ in self._before[1:]), self.now]
        for (_, begun, length), filters in zip(self._before, following, strict=True):
            x = np.clip((frame - begun + np.arange(part.shape[1]) + 0.5) / length, 0, 1)
            weight = (0.5 - 0.5 * np.cos(np.pi * x)).astype(np.float32)
            made = made * (1 - weight) + _filtered(part, filters)[0] * weight
        return made


class _Filters:
    """Second-order sections in a row, with where they are: state (channels, filters, 2)."""

    def __init__(self, channels: int, own: np.ndarray):
        self.sections = own
        self.state = np.zeros((channels, len(own), 2))

    def settle(self) -> None:
        """In silence they ring down into numbers so small that the processor slows tenfold."""
        self.state = np.where(np.abs(self.state) < STILL, 0, self.state)


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
