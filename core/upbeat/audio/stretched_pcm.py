"""A sound in another key and tempo that is made where it is read, to be heard before it is prepared."""

from __future__ import annotations

from collections import OrderedDict
from fractions import Fraction

import numpy as np

from upbeat.audio.stretch import excerpt, stretched_frames

CHUNK_S, JOIN_S = 1.0, 0.03
KEPT = 32  # chunks of a sound


class StretchedPcm:
    """(frames, channels) float32, read by slices of rows; what is read first takes as long as a second of it does.

    It is heard as :func:`upbeat.audio.stretch.stretched` is, but is not the same to the sample.
    """

    dtype = np.dtype(np.float32)

    def __init__(
        self, sound: np.ndarray, sample_rate: int, semitones: int, percent: Fraction, struck: bool = False
    ) -> None:
        self.shape = stretched_frames(len(sound), percent), sound.shape[1]
        self._sound, self._rate, self._semitones, self._percent, self._struck = (
            sound,
            sample_rate,
            semitones,
            percent,
            struck,
        )
        self._size, self._join = round(CHUNK_S * sample_rate), round(JOIN_S * sample_rate)
        self._chunks: OrderedDict[int, np.ndarray] = OrderedDict()

    def __len__(self) -> int:
        return self.shape[0]

    def __getitem__(self, rows: slice) -> np.ndarray:
        first, last, step = rows.indices(len(self))
        assert step == 1
        found = np.empty((max(0, last - first), self.shape[1]), dtype=np.float32)
        at = first
        while at < last:
            number = at // self._size
            end = min(last, (number + 1) * self._size)
            found[at - first : end - first] = self._chunk(number)[at - number * self._size : end - number * self._size]
            at = end
        return found

    def _chunk(self, number: int) -> np.ndarray:
        """A chunk with a little of what follows, faded in over what the one before has of it."""
        had = self._chunks.get(number)
        if had is not None:
            self._chunks.move_to_end(number)
            return had
        start = number * self._size
        made = excerpt(
            self._sound,
            start,
            min(len(self), start + self._size + self._join),
            sample_rate=self._rate,
            semitones=self._semitones,
            percent=self._percent,
            struck=self._struck,
        )
        before = self._chunks.get(number - 1)
        if before is not None:
            tail = before[self._size :][: len(made)]
            fade = ((np.arange(len(tail)) + 0.5) / max(1, len(tail)))[:, None].astype(np.float32)
            made[: len(tail)] = tail * (1 - fade) + made[: len(tail)] * fade
        self._chunks[number] = made
        while len(self._chunks) > KEPT:
            self._chunks.popitem(last=False)
        return made
