"""Four sounds by hand, synthesised: a gong, a rocket that starts, a crowd, thunder."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import soundfile

RATE = 48_000


def _time(seconds: float) -> np.ndarray:
    return np.arange(round(seconds * RATE)) / RATE


def _smoothed(noise: np.ndarray, frames: int) -> np.ndarray:
    """Noise without what is quicker than about ``RATE / frames`` Hz, at a peak of 1."""
    kernel = np.hanning(frames + 2)[1:-1]
    size = 1 << int(np.ceil(np.log2(len(noise) + frames)))
    line = np.fft.irfft(np.fft.rfft(noise, size) * np.fft.rfft(kernel, size), size)[: len(noise)]
    return np.asarray(line / np.abs(line).max())


def gong(rng: np.random.Generator) -> np.ndarray:
    """Partials that are no harmonics; the higher ones come later and go sooner."""
    t = _time(5)
    line = np.zeros_like(t)
    for i, ratio in enumerate((1, 1.48, 1.93, 2.36, 2.97, 3.51, 4.38, 5.27, 6.61)):
        swell = 1 - np.exp(-t / (0.004 + 0.02 * i))
        wobble = 1 + 0.15 * np.sin(2 * np.pi * (0.7 + 0.3 * i) * t + rng.uniform(0, 6))
        line += swell * wobble * np.exp(-t * (0.5 + 0.28 * i)) * np.sin(2 * np.pi * 92 * ratio * t) / (1 + 0.5 * i)
    return line


def rocket_start(rng: np.random.Generator) -> np.ndarray:
    """A rumble that grows, with a tone that climbs out of it."""
    t = _time(4)
    noise = rng.standard_normal(len(t))
    grows = (t / 4) ** 2
    climb = np.sin(2 * np.pi * np.cumsum(60 * 2 ** (3.2 * t / 4)) / RATE)
    line = grows * (0.7 * _smoothed(noise, 160) + 0.3 * noise / np.abs(noise).max() * t / 4 + 0.25 * climb)
    return line * np.clip((4 - t) / 0.4, 0, 1)


def crowd(rng: np.random.Generator) -> np.ndarray:
    """Many voices at once: hundreds of short vowels, each at its own pitch and moment."""
    t = _time(5)
    line = np.zeros_like(t)
    for _ in range(260):
        start, length = rng.uniform(0, 4.2), rng.uniform(0.3, 0.9)
        v = _time(length)
        pitch = rng.uniform(140, 420) * (1 + 0.05 * np.sin(2 * np.pi * rng.uniform(3, 6) * v))
        phase = 2 * np.pi * np.cumsum(pitch) / RATE
        voice = sum(np.sin(k * phase) / k**1.3 for k in range(1, 6))
        at = round(start * RATE)
        end = min(len(line), at + len(v))
        line[at:end] += (voice * np.hanning(len(v)))[: end - at]
    return line * np.clip(t / 0.4, 0, 1) * np.clip((5 - t) / 1.5, 0, 1)


def thunder(rng: np.random.Generator) -> np.ndarray:
    """A crack, then rolls that come in waves and sink."""
    t = _time(6)
    noise = rng.standard_normal(len(t))
    rolls = sum(np.exp(-(((t - at) / width) ** 2)) for at, width in ((0.5, 0.3), (1.4, 0.5), (2.6, 0.8), (4.1, 0.9)))
    crack = np.exp(-t / 0.05) * noise / np.abs(noise).max()
    return 0.5 * crack + _smoothed(noise, 420) * rolls * np.exp(-t / 3)


SOUNDS: dict[str, Callable[[np.random.Generator], np.ndarray]] = {
    "Gong": gong,
    "Rocket start": rocket_start,
    "Crowd": crowd,
    "Thunder": thunder,
}


def write_hand_sounds(folder: Path) -> list[Path]:
    """The files, in their order."""
    folder.mkdir(parents=True, exist_ok=True)
    files = []
    for i, (name, make) in enumerate(SOUNDS.items()):
        left, right = make(np.random.default_rng(10 + i)), make(np.random.default_rng(30 + i))
        pair = np.column_stack((0.7 * left + 0.3 * right, 0.3 * left + 0.7 * right))
        files.append(folder / f"{name}.wav")
        soundfile.write(files[-1], 0.8 * pair / np.abs(pair).max(), RATE, subtype="PCM_16")
    return files
