"""Stems read from their files and set out for mixing, a lane at a time."""

from __future__ import annotations

from collections.abc import Sequence
from math import prod
from sys import byteorder

import numpy as np

from upbeat.audio.stem_kernels import split_stereo
from upbeat.mix.matrix import Lane
from upbeat.mix.stem_audio import StemAudio, is_plain, read_plain, read_stem


class Room:
    """Memory that is used again and again: memory that was used lately is near."""

    def __init__(self) -> None:
        self._bytes = np.zeros(0, dtype=np.uint8)

    def array(self, shape: tuple[int, ...], dtype: type) -> np.ndarray:
        """An array in one piece with anything in it, good until the next one is asked for."""
        size = prod(shape) * np.dtype(dtype).itemsize
        if len(self._bytes) < size:
            self._bytes = np.zeros(size, dtype=np.uint8)
        return self._bytes[:size].view(dtype).reshape(shape)


class LaneReader:
    """The stems of a lane. They are read for a stretch at once, and taken out of it in smaller pieces.

    Most are int16 samples far from their edges: they are kept as they are, in half of the memory, until they are taken.
    """

    def __init__(self) -> None:
        self._room, self._block = Room(), Room()
        self._sound = np.zeros((0, 0, 0), dtype=np.int16)

    def read(self, stems: Sequence[StemAudio], lane: Lane, src: int, frames: int) -> None:
        """Read ``frames`` from source frame ``src`` of the stems of a lane."""
        own = [stems[i] for i in lane.stems]
        if all(is_plain(stem, src, frames) for stem in own):
            self._sound = self._room.array((len(own), frames, lane.channels), np.int16)
            for place, stem in enumerate(own):
                read_plain(stem, src, self._sound[place])
        else:
            self._sound = self._room.array((lane.channels, len(own), frames), np.float32)
            for place, stem in enumerate(own):
                read_stem(stem, src, self._sound[:, place].T)

    def take(self, at: int, frames: int) -> np.ndarray:
        """float32 (channels, stems, frames), unscaled, from frame ``at`` of what was read."""
        if self._sound.dtype == np.float32:
            return np.ascontiguousarray(self._sound[:, :, at : at + frames])
        stems, _, channels = self._sound.shape
        block = self._block.array((channels, stems, frames), np.float32)
        if channels == 2 and byteorder == "little":
            split_stereo(self._sound.view(np.int32)[:, :, 0], at, block)
        else:
            block[:] = self._sound[:, at : at + frames].transpose(2, 0, 1)
        return block
