"""A stem in few samples: what comparing stems with each other needs of their sound."""

from __future__ import annotations

import os
from collections.abc import Iterable
from pathlib import Path

import numpy as np
import soxr

from upbeat.audio.pcm import full_scale, open_prepared
from upbeat.audio.read import Source

TRACE_RATE = 6000
_BLOCK = 1 << 18


def trace_prepared(path: Path, sample_rate: int) -> np.ndarray:
    """(1 or 2, frames) float32 at :data:`TRACE_RATE` of prepared sound; of more channels, the first two."""
    pcm = open_prepared(path, sample_rate)
    blocks = (pcm[i : i + _BLOCK, :2] for i in range(0, len(pcm), _BLOCK))
    scale = np.float32(full_scale(pcm))
    return _thinned((b.astype(np.float32) * scale for b in blocks), sample_rate, min(2, pcm.shape[1]))


def trace_file(path: str | os.PathLike[str]) -> np.ndarray:
    """The same of any sound file. Raises :class:`Refused`."""
    with Source(path) as source:
        return _thinned((b[:, :2] for b in source.blocks()), source.sample_rate, min(2, source.channels))


def _thinned(blocks: Iterable[np.ndarray], sample_rate: int, channels: int) -> np.ndarray:
    stream = soxr.ResampleStream(sample_rate, TRACE_RATE, channels, dtype="float32", quality="MQ")
    parts = [stream.resample_chunk(np.ascontiguousarray(b)) for b in blocks]
    parts.append(stream.resample_chunk(np.zeros((0, channels), dtype=np.float32), last=True))
    return np.ascontiguousarray(np.concatenate(parts).T)
