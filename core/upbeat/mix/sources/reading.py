"""Stems read from their files for mixing, a lane at a time."""

from __future__ import annotations

from collections.abc import Sequence
from math import prod
from sys import byteorder

import numpy as np

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
    """The stems of a lane, as :meth:`Ramped.mix` takes them.

    Stereo of int16 samples far from their edges, as most are, stays as it lies in the file, in half of the memory.
    """

    def __init__(self) -> None:
        self._plain, self._sound = Room(), Room()

    def read(self, stems: Sequence[StemAudio], lane: Lane, src: int, frames: int) -> np.ndarray:
        """``frames`` from source frame ``src`` of the stems of a lane, unscaled, good until more is read.

        int32 (stems, frames) of pairs, or float32 (channels of the stems, frames).
        """
        own, channels = [stems[i] for i in lane.stems], lane.channels
        if channels <= 2 and all(is_plain(stem, src, frames) for stem in own):
            plain = self._plain.array((len(own), frames, channels), np.int16)
            for place, stem in enumerate(own):
                read_plain(stem, src, plain[place])
            if channels == 2 and byteorder == "little":
                return plain.view(np.int32)[:, :, 0]
            sound = self._sound.array((len(own), channels, frames), np.float32)
            sound[:] = plain.transpose(0, 2, 1)
            return sound.reshape(-1, frames)
        sound = self._sound.array((len(own), channels, frames), np.float32)
        for place, stem in enumerate(own):
            read_stem(stem, src, sound[place].T)
        return sound.reshape(-1, frames)
