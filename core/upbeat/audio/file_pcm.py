"""A prepared stem that is read from its file as it is played, and never mapped.

A mapped file that is cut short ends the process that reads it (SIGBUS). Here what cannot be read is
silence, and said. The file stays open: one that is deleted or replaced meanwhile is played as it was.
"""

from __future__ import annotations

import os
from pathlib import Path

import numpy as np

from upbeat.audio.pcm import open_prepared, pcm_layout


class FilePcm:
    """(frames, channels) of int16 or float32 samples in a file, read by slices of rows.

    ``broken``: something of it could not be read, and was silent.
    """

    def __init__(self, path: str | os.PathLike[str], start: int, frames: int, channels: int, dtype: np.dtype) -> None:
        self.shape = frames, channels
        self.dtype = dtype
        self.broken = False
        self._start, self._width = start, channels * dtype.itemsize
        self._handle = os.open(path, os.O_RDONLY | os.O_CLOEXEC)

    def __len__(self) -> int:
        return self.shape[0]

    def __getitem__(self, rows: slice) -> np.ndarray:
        first, last, step = rows.indices(self.shape[0])
        assert step == 1
        sound = np.empty((max(0, last - first), self.shape[1]), dtype=self.dtype)
        if len(sound):
            self.read(first, sound)
        return sound

    def read(self, first: int, sound: np.ndarray) -> None:
        """Fill ``sound`` (frames, channels), in one piece and of the file's type, from frame ``first`` on."""
        at, done, size = self._start + first * self._width, 0, sound.nbytes
        try:
            while done < size:
                got = os.preadv(self._handle, [sound.data.cast("B")[done:] if done else sound.data], at + done)
                if not got:
                    break
                done += got
        except OSError:
            pass
        if done < size:
            self.broken = True
            # Half a frame would be noise.
            sound[done // self._width :] = 0

    def read_ahead(self) -> None:
        """Ask the system to bring the whole file into memory."""
        os.posix_fadvise(self._handle, 0, 0, os.POSIX_FADV_WILLNEED)

    def __del__(self) -> None:
        if hasattr(self, "_handle"):
            os.close(self._handle)


class SilentPcm:
    """Stands in for a file that cannot be played: no frames, and ``broken``."""

    def __init__(self) -> None:
        self.shape = 0, 1
        self.dtype = np.dtype(np.int16)
        self.broken = True

    def __len__(self) -> int:
        return 0

    def __getitem__(self, rows: slice) -> np.ndarray:
        return np.zeros((0, 1), dtype=self.dtype)


Pcm = np.ndarray | FilePcm | SilentPcm  # (frames, channels) of int16 or float32


def open_to_play(path: str | os.PathLike[str], sample_rate: int) -> np.ndarray | FilePcm:
    """A stem's sound for the engine: read from its file where that is prepared, else decoded into memory.

    Raises :class:`Refused` like :func:`upbeat.audio.pcm.open_prepared`.
    """
    layout = pcm_layout(path) if Path(path).is_file() else None
    if layout is None or layout.sample_rate != sample_rate:
        return open_prepared(path, sample_rate)
    return FilePcm(path, layout.start, layout.frames, layout.channels, layout.dtype)
