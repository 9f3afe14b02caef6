"""Making a spoken word clear and equally loud wherever it is heard. Sounds are mono float32."""

from __future__ import annotations

import math
from functools import cache

import numpy as np

from upbeat.audio.measure import k_weighting

TARGET_LUFS = -18.0
PEAK_DB = -1.0
LOW_CUT_HZ, LIFT_HZ, LIFT_DB, LIFT_Q = 250.0, 3000.0, 6.0, 0.8
CONSONANTS_HZ, EVENING, EVENING_HZ, EVENING_FLOOR = 2200.0, 0.6, 25.0, 0.02


def clearer(sound: np.ndarray, sample_rate: int) -> np.ndarray:
    """A word made to be understood beside loud music: no lows, a presence lift, quiet consonants raised.

    Consonants tell words apart, and they are the quiet and high part of speech. What lies below
    250 Hz is cut (12 dB an octave), 3 kHz lifted by 6 dB (peaking filter of the W3C's Audio EQ
    Cookbook), and above 2.2 kHz the envelope, against the loudest moment of the word, is raised to the
    power of 0.4. Below that nothing is raised, so that its vowels rise where they did and the word
    stays on its beat. Chosen by how many words a recogniser takes right under drums (docs/click.md).
    """
    from scipy.signal import sosfilt, sosfiltfilt

    colour, high, slow = _filters(sample_rate)
    line = sosfilt(colour, sound.astype(np.float64))
    consonants = sosfiltfilt(high, line)
    top = _envelope(line, slow).max(initial=0)
    if top <= 1e-5:
        return line.astype(np.float32)
    even = line + consonants * (np.maximum(_envelope(consonants, slow) / top, EVENING_FLOOR) ** -EVENING - 1)
    return (even / np.abs(even).max()).astype(np.float32)


def _envelope(line: np.ndarray, slow: np.ndarray) -> np.ndarray:
    from scipy.signal import sosfiltfilt

    return np.sqrt(np.maximum(sosfiltfilt(slow, line**2), 1e-12))


@cache
def _filters(sample_rate: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """The low cut with the lift, the band of consonants, and what smooths an envelope."""
    from scipy.signal import butter

    cut = butter(2, LOW_CUT_HZ, "high", fs=sample_rate, output="sos")
    high = butter(4, CONSONANTS_HZ, "high", fs=sample_rate, output="sos")
    return (
        np.vstack((cut, _peaking(LIFT_HZ, LIFT_DB, LIFT_Q, sample_rate))),
        high,
        butter(1, EVENING_HZ, fs=sample_rate, output="sos"),
    )


def _peaking(hz: float, db: float, q: float, sample_rate: int) -> np.ndarray:
    a, w = 10 ** (db / 40), 2 * math.pi * hz / sample_rate
    alpha, cos = math.sin(w) / (2 * q), math.cos(w)
    return np.array([[1 + alpha * a, -2 * cos, 1 - alpha * a, 1 + alpha / a, -2 * cos, 1 - alpha / a]]) / (
        1 + alpha / a
    )


def trim(sound: np.ndarray, sample_rate: int, floor_db: float = -45.0, size: np.ndarray | None = None) -> np.ndarray:
    """Cut the silence off both ends of (frames,) float32, leaving 5 ms before and 15 ms after, faded. Silence gives 10 ms of it.

    Silent is what lies ``floor_db`` below the peak of ``size``, (frames,), which is ``sound`` itself if not given.
    """
    size = np.abs(sound) if size is None else size
    peak = size.max(initial=0)
    loud = np.flatnonzero(size > peak * 10 ** (floor_db / 20)) if peak > 0 else np.zeros(0, dtype=int)
    if not len(loud):
        return np.zeros(sample_rate // 100, dtype=np.float32)
    a, b = max(0, loud[0] - sample_rate // 200), min(len(sound), loud[-1] + sample_rate * 15 // 1000)
    cut = sound[a:b].astype(np.float32)
    ramp = min(len(cut) // 2, sample_rate // 200)
    cut[:ramp] *= np.linspace(0, 1, ramp, dtype=np.float32)
    cut[-ramp:] *= np.linspace(1, 0, ramp, dtype=np.float32)
    return cut


def loudness(sound: np.ndarray, sample_rate: int) -> float | None:
    """Loudness of a word, (frames,), in LUFS while it lasts, None for silence.

    The short-term loudness of EBU Tech 3341 takes three seconds; a word is over before, so its
    window is the word itself, with the weighting and the offset of BS.1770.
    """
    from scipy.signal import sosfilt

    if not len(sound):
        return None
    power = float(np.mean(sosfilt(k_weighting(sample_rate), sound.astype(np.float64)) ** 2))
    return -0.691 + 10 * math.log10(power) if power > 1e-12 else None


def level(sound: np.ndarray, sample_rate: int, target: float = TARGET_LUFS) -> np.ndarray:
    """The same word, (frames,) float32, at ``target`` LUFS; peaks that would pass −1 dB of full scale are held back, and the rest raised for it."""
    ceiling, line = 10 ** (PEAK_DB / 20), sound.astype(np.float64)
    for _ in range(4):
        now = loudness(line, sample_rate)
        if now is None:
            return sound.astype(np.float32)
        line *= 10 ** ((target - now) / 20)
        if np.abs(line).max() <= ceiling:
            break
        line = _limited(line, ceiling, sample_rate)
    return line.astype(np.float32)


def _limited(line: np.ndarray, ceiling: float, sample_rate: int) -> np.ndarray:
    """Peaks above ``ceiling`` turned down, with a gain that moves over three milliseconds and is there before them."""
    from scipy.ndimage import minimum_filter1d, uniform_filter1d

    size = np.abs(line)
    width = sample_rate * 3 // 1000 | 1
    needed = np.minimum(1.0, ceiling / np.maximum(size, 1e-9))
    return line * uniform_filter1d(minimum_filter1d(needed, width, mode="nearest"), width, mode="nearest")


def shortened(sound: np.ndarray, sample_rate: int, by: float) -> np.ndarray:
    """A word in ``1/by`` of its time at the same pitch, trimmed again (python-stretch)."""
    import python_stretch

    stretch = python_stretch.Signalsmith.Stretch()
    stretch.preset(1, sample_rate)
    stretch.setTimeFactor(by)
    # What it reads ahead and holds back is given to it as silence, and cut off by the trimming.
    room = stretch.inputLatency() + stretch.outputLatency()
    padded = np.pad(sound.astype(np.float32), (stretch.inputLatency(), room))
    return trim(np.asarray(stretch.process(padded[None]))[0], sample_rate)
