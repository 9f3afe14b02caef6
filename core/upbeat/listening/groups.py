"""The group a stem belongs to, guessed from its sound where its name says nothing."""

from __future__ import annotations

import numpy as np

from upbeat.listening.comparing import click_tempo, one_line
from upbeat.listening.trace import TRACE_RATE

_FRAME = 512


def group_by_sound(trace: np.ndarray) -> tuple[str, float]:
    """Group and how sure, from a trace (:mod:`upbeat.listening.trace`).

    Drums are noise in short hits: a flat spectrum (Wiener entropy over 0.02) whose loud tenth
    stands 10 dB over its middle. Bass is struck notes with most of the power under 200 Hz.
    """
    line = one_line(trace)
    if not line.any():
        return "tonal", 0.0
    if click_tempo(line) is not None:
        return "click", 0.9
    if len(line) < 4 * _FRAME:
        return "tonal", 0.1
    frames = np.lib.stride_tricks.sliding_window_view(line, _FRAME)[:: _FRAME // 2] * np.hanning(_FRAME).astype(
        np.float32
    )
    power = np.abs(np.fft.rfft(frames, axis=1)) ** 2
    energy = power.sum(axis=1)
    heard = energy > 1e-4 * energy.max()
    power = power[heard]
    flat = float(np.median(np.exp(np.log(power + 1e-12).mean(axis=1)) / (power.mean(axis=1) + 1e-12)))
    db = 10 * np.log10(energy[heard])
    spread = float(np.percentile(db, 95) - np.percentile(db, 50))
    if flat > 0.02 and spread > 10:
        return "rhythm", 0.7
    hz = np.arange(power.shape[1]) * TRACE_RATE / _FRAME
    total = power.sum(axis=0)
    low = float(total[(hz > 25) & (hz < 200)].sum() / total.sum())
    rises = np.diff(10 * np.log10(np.maximum(energy, 1e-5 * energy.max()))) > 6
    struck = float(rises.sum()) / (len(line) / TRACE_RATE) > 0.5
    return ("rhythm", 0.6) if low > 0.6 and struck else ("tonal", 0.4)
