"""Stems added up outside of any show: to be measured, listened to, or looked at around a moment."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from upbeat.audio.measure import Measured, Meter
from upbeat.mix.routing import gain
from upbeat.mix.stem_audio import StemAudio, read_stem

BLOCK = 1 << 16
_MIDDLE = float(np.sqrt(0.5))  # equal power: a mono stem lies 3 dB down on either side


def ends(stems: Sequence[StemAudio]) -> int:
    """The frame at which the last of the stems ends, delays included."""
    return max((s.over + s.delay for s in stems), default=0)


def one_line(stems: Sequence[StemAudio], first: int, frames: int) -> np.ndarray:
    """(frames,) float32 from ``first`` on: every stem at its gain, as the mean of its channels."""
    total = np.zeros(frames, dtype=np.float32)
    for s in stems:
        total += _block(s, first, frames).mean(axis=1) * np.float32(gain(s.stem.gain_db))
    return total


def lines(stems: Sequence[StemAudio]) -> Iterator[np.ndarray]:
    """:func:`one_line` from start to end, as (frames, 1) blocks."""
    last = ends(stems)
    for at in range(0, last, BLOCK):
        yield one_line(stems, at, min(BLOCK, last - at))[:, None]


def measured_together(stems: Sequence[StemAudio], sample_rate: int) -> Measured:
    """Measures of all stems added up in stereo at their gains, mono ones in the middle."""
    meter = Meter(sample_rate, 2)
    last = ends(stems)
    for at in range(0, last, BLOCK):
        total = np.zeros((2, min(BLOCK, last - at)), dtype=np.float32)
        for s in stems:
            part = _block(s, at, total.shape[1]).T * np.float32(gain(s.stem.gain_db))
            total += part[:2] if len(part) > 1 else part * np.float32(_MIDDLE)
        meter.push(total)
    return meter.result("sum", None)


def outline(line: np.ndarray, points: int) -> tuple[np.ndarray, np.ndarray]:
    """Least and greatest value of ``points`` equal parts of a line (frames,), each (points,), as parts of its loudest sample."""
    edges = np.linspace(0, len(line), points + 1).astype(int)[:-1]
    top = float(np.abs(line).max(initial=0)) or 1.0
    return np.minimum.reduceat(line, edges) / top, np.maximum.reduceat(line, edges) / top


def _block(s: StemAudio, first: int, frames: int) -> np.ndarray:
    block = np.empty((frames, s.pcm.shape[1]), dtype=np.float32)
    read_stem(s, first, block)
    block *= np.float32(s.scale)
    return block
