"""From an uploaded file to what the engine maps: decoded once, resampled, with peaks and measures."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
import soxr

from upbeat.audio.measure import Measured, Meter
from upbeat.audio.pcm import WavWriter
from upbeat.audio.peaks import PeakBuilder
from upbeat.audio.read import Source

Progress = Callable[[float], None]


@dataclass(frozen=True, kw_only=True)
class Prepared:
    """What came of it: ``frames`` at the library's rate and the ``crc32`` of what was written; the rest of the original."""

    frames: int
    crc32: int
    channels: int
    dtype: str
    peaks: np.ndarray
    measured: Measured


def prepare(
    path: str | os.PathLike[str],
    out: str | os.PathLike[str],
    sample_rate: int,
    name: str | None = None,
    progress: Progress | None = None,
) -> Prepared:
    """Decode ``path``, write it to ``out`` as plain PCM at ``sample_rate`` and measure it on the way.

    16-bit sound at the right rate stays 16-bit, bit for bit; all else becomes float32.
    ``progress`` is called with 0 to 1 and may raise to cancel. Raises :class:`Refused`.
    """
    with Source(path, name) as source:
        exact = source.is_16_bit and source.sample_rate == sample_rate
        meter = Meter(source.sample_rate, source.channels)
        peaks = PeakBuilder()
        with WavWriter(out, sample_rate, source.channels, np.int16 if exact else np.float32) as writer:
            for block, planar in _decoded(source, meter, exact, sample_rate, progress):
                peaks.push(planar)
                writer.write(block)
            frames, crc32 = writer.frames, writer.crc32
        return Prepared(
            frames=frames,
            crc32=crc32,
            channels=source.channels,
            dtype="int16" if exact else "float32",
            peaks=peaks.result(),
            measured=meter.result(source.header.format, source.bit_depth),
        )


def _decoded(
    source: Source, meter: Meter, exact: bool, sample_rate: int, progress: Progress | None
) -> Iterator[tuple[np.ndarray, np.ndarray]]:
    """Blocks as they are to be written, each with itself as (channels, frames) float32; measured on the way."""
    stream = (
        None
        if source.sample_rate == sample_rate
        else soxr.ResampleStream(source.sample_rate, sample_rate, source.channels, dtype="float32", quality="VHQ")
    )
    done = 0
    for block in source.blocks("int16" if exact else "float32"):
        planar = planar_float(block)
        meter.push(planar)
        done += len(block)
        if progress:
            progress(min(1.0, done / max(1, source.frames)))
        if stream is None:
            yield block, planar
        else:
            part = stream.resample_chunk(block)
            yield part, planar_float(part)
    if stream is not None:
        part = stream.resample_chunk(np.zeros((0, source.channels), dtype=np.float32), last=True)
        yield part, planar_float(part)


def planar_float(block: np.ndarray) -> np.ndarray:
    """(frames, channels) of int16 or float32 as contiguous (channels, frames) float32."""
    if block.dtype == np.int16:
        return np.multiply(block.T, np.float32(1 / 32768), dtype=np.float32, order="C")
    return np.ascontiguousarray(block.T, dtype=np.float32)
