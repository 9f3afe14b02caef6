"""Decoding, block by block, with every sample looked at (libsndfile by way of soundfile)."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import soundfile
import soxr

from upbeat.audio.headers import Header, check_header
from upbeat.errors import refuse

BLOCK = 1 << 16
MAX_HOURS = 2.5


class Source:
    """An open sound file. ``frames`` is what the header says; count what :meth:`blocks` gives.

    Use as a context manager. Raises :class:`Refused` for what cannot be taken.
    """

    def __init__(self, path: str | os.PathLike[str], name: str | None = None):
        self.name = name or Path(path).name
        self.header: Header = check_header(path, self.name)
        try:
            self._file = soundfile.SoundFile(os.fspath(path))
        except (soundfile.LibsndfileError, RuntimeError, ValueError, TypeError):
            raise refuse(
                "file-unreadable",
                f"“{self.name}” cannot be read as {self.header.format}: it is damaged or not sound. Export it again.",
            ) from None
        self.sample_rate: int = self._file.samplerate
        self.channels: int = self._file.channels
        self.frames: int = self._file.frames
        self.subtype: str = self._file.subtype
        if self.header.format != "MP3" and self.frames > MAX_HOURS * 3600 * self.sample_rate:
            hours = self.frames / self.sample_rate / 3600
            self._file.close()
            raise refuse(
                "file-too-long", f"“{self.name}” is {hours:.1f} hours long; a stem is at most {MAX_HOURS} hours."
            )

    @property
    def bit_depth(self) -> int | None:
        """Bits a sample, None for lossy coders."""
        if self.header.bit_depth is not None:
            return self.header.bit_depth
        digits = "".join(c for c in self.subtype if c.isdigit())
        return int(digits) if self.subtype.startswith("PCM") and digits else None

    @property
    def is_16_bit(self) -> bool:
        """Whether int16 holds every sample exactly."""
        return self.subtype in ("PCM_16", "PCM_S8", "PCM_U8")

    def blocks(self, dtype: str = "float32", frames: int = BLOCK) -> Iterator[np.ndarray]:
        """The sound as (frames, channels) blocks. Raises :class:`Refused` where it is damaged."""
        given = 0
        while True:
            try:
                block = self._file.read(frames, dtype=dtype, always_2d=True)
            except (soundfile.LibsndfileError, RuntimeError):
                at = given / self.sample_rate
                raise refuse(
                    "file-damaged", f"“{self.name}” is damaged about {at:.1f} s in: copy or export it again."
                ) from None
            if not len(block):
                break
            if block.dtype.kind == "f" and not np.isfinite(block).all():
                raise refuse(
                    "not-numbers",
                    f"“{self.name}” holds values that are not numbers about {given / self.sample_rate:.1f} s in: export it again.",
                )
            given += len(block)
            yield block
        if given == 0:
            raise refuse("no-frames", f"“{self.name}” has no sound in it: export it again.")
        if given == 1:
            raise refuse("too-short", f"“{self.name}” holds a single sample: export it again.")
        if self.header.format in ("WAV", "RF64", "AIFF", "AIFC", "FLAC") and given < self.frames:
            raise refuse(
                "file-cut-short",
                f"“{self.name}” is cut short: it promises {self.frames:,} frames and holds {given:,}. Copy or export it again.",
            )

    def close(self) -> None:
        self._file.close()

    def __enter__(self) -> Source:
        return self

    def __exit__(self, *args: object) -> None:
        self.close()


def read_whole(path: str | os.PathLike[str], sample_rate: int | None = None) -> np.ndarray:
    """A whole file as (frames, channels) float32, resampled where a rate is given and differs."""
    with Source(path) as source:
        sound = np.concatenate(list(source.blocks()))
        if sample_rate is not None and source.sample_rate != sample_rate:
            sound = soxr.resample(sound, source.sample_rate, sample_rate, "VHQ")
    return np.asarray(sound, dtype=np.float32)
