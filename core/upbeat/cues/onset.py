"""Where a spoken word is heard to fall: its perceived onset (rule Q2)."""

from __future__ import annotations

import numpy as np


def perceived_onset(sound: np.ndarray, sample_rate: int) -> int:
    """Frame of a word's beat: the midpoint of the rise of its first vowel's energy.

    After Cummins and Port, "Rhythmic constraints on stress timing in English" (Journal of
    Phonetics 26, 1998): a band of about 700 to 1300 Hz holds the vowels and little of fricatives
    or voicing; its rectified envelope is smoothed at 10 Hz, and the beat is where the rise stands
    halfway between 10 % and 90 %. The smoothing runs both ways, so that it adds no lag.
    Returns 0 for silence. ``sound``: mono.
    """
    if not len(sound) or not np.abs(sound).max() > 0:
        return 0
    pad = sample_rate // 5
    line = np.pad(sound.astype(np.float64), pad)
    vowel = _filtered(line, sample_rate, 700, 1300)
    smooth = _filtered(np.abs(vowel), sample_rate, 0, 10)
    inner = smooth[1:-1]
    peaks = 1 + np.flatnonzero((inner >= smooth[:-2]) & (inner > smooth[2:]) & (inner >= 0.35 * smooth.max()))
    top = int(peaks[0]) if len(peaks) else int(smooth.argmax())
    before = smooth[: top + 1]
    low = int(np.flatnonzero(before <= 0.1 * smooth[top])[-1]) if (before <= 0.1 * smooth[top]).any() else 0
    high = low + int(np.flatnonzero(before[low:] >= 0.9 * smooth[top])[0])
    return int(np.clip((low + high) // 2 - pad, 0, len(sound) - 1))


def _filtered(line: np.ndarray, sample_rate: int, low: float, high: float) -> np.ndarray:
    """Second-order Butterworth magnitudes between two corners in Hz, without phase (by FFT)."""
    hz = np.fft.rfftfreq(len(line), 1 / sample_rate)
    response = 1 / np.sqrt(1 + (hz / high) ** 4)
    if low:
        response *= 1 / np.sqrt(1 + (low / np.maximum(hz, 1e-9)) ** 4)
    return np.fft.irfft(np.fft.rfft(line) * response, len(line))
