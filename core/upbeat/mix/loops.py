"""Sounds that go round and round without an end to be heard: pads between songs (rule P10)."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

LOOP_CROSSFADE_S = 2.0
TONE_S = 8.0
TONES = ("warm", "open", "low")
_A4_HZ, _A4_MIDI = 440.0, 69
# Of each tone: (semitones above the tonic, level, detuned in cents), and the harmonics of every note with their levels.
_NOTES: dict[str, tuple[tuple[float, float, float], ...]] = {
    "warm": ((0, 1.0, -3), (0, 1.0, 4), (7, 0.7, 2), (12, 0.6, -2), (19, 0.3, 3)),
    "open": ((0, 1.0, 0), (12, 0.8, 3), (19, 0.6, -3), (24, 0.4, 2), (31, 0.2, 0)),
    "low": ((-12, 1.0, 0), (0, 0.7, 2), (0, 0.7, -3), (7, 0.3, 0)),
}
_HARMONICS = {"warm": (1.0, 0.35, 0.16, 0.06), "open": (1.0, 0.1, 0.22, 0.03), "low": (1.0, 0.5, 0.22, 0.1, 0.05)}
_TONIC_MIDI = 48  # C3
_SWELL = 0.25
_PEAK = 10 ** (-18 / 20)


@dataclass(frozen=True)
class Loop:
    """One round of a pad, (channels, frames) float32, which follows itself; ``group`` and ``pan``: where it is routed."""

    id: str
    group: str
    cycle: np.ndarray
    pan: float = 0.0


def looped(sound: np.ndarray, sample_rate: int) -> np.ndarray:
    """A sound, (channels, frames), as a round whose end leads into its beginning by an equal-power crossfade.

    The crossfade lasts :data:`LOOP_CROSSFADE_S`, a quarter of the sound at most; the round is shorter by it.
    """
    frames = sound.shape[1]
    fade = min(round(LOOP_CROSSFADE_S * sample_rate), frames // 4)
    if fade == 0:
        return sound
    cycle = np.array(sound[:, : frames - fade], dtype=np.float32)
    angle = (np.arange(fade, dtype=np.float32) + np.float32(0.5)) / np.float32(fade) * np.float32(np.pi / 2)
    cycle[:, :fade] = cycle[:, :fade] * np.sin(angle) + sound[:, frames - fade :] * np.cos(angle)
    return cycle


@lru_cache(maxsize=24)
def tone(name: str, tonic: int, sample_rate: int) -> np.ndarray:
    """A round of the tone ``name`` over a tonic (0 for C to 11 for B), (2, frames), with its peak at −18 dBFS.

    Every partial makes a whole number of cycles in :data:`TONE_S`, so that the end is the beginning; what swells
    does so a whole number of times as well: it is made by one inverse Fourier transform of its partials.
    """
    frames = round(TONE_S * sample_rate)
    spectrum = np.zeros((2, frames // 2 + 1), dtype=complex)
    for i, (semitones, level, cents) in enumerate(_NOTES[name]):
        pitch = _TONIC_MIDI + (tonic if tonic <= 6 else tonic - 12) + semitones + cents / 100
        base = _A4_HZ * 2 ** ((pitch - _A4_MIDI) / 12)
        times, phase = 1 + i % 2, np.exp(2j * np.pi * i / len(_NOTES[name]))
        for k, harmonic in enumerate(_HARMONICS[name], 1):
            cycles = round(k * base * TONE_S)
            if cycles / TONE_S > sample_rate / 2.2:
                continue
            for side, shift in enumerate((0.0, 0.19 * (i + 1) * k)):
                # sin c (1 + s sin m) = sin c + s/2 cos(c - m) - s/2 cos(c + m)
                partial = level * harmonic * np.exp(2j * np.pi * shift)
                spectrum[side, cycles] += -1j * partial
                spectrum[side, cycles - times] += _SWELL / 2 * partial * phase.conjugate()
                spectrum[side, cycles + times] -= _SWELL / 2 * partial * phase
    sides = np.fft.irfft(spectrum, frames)
    made = (sides * (_PEAK / np.abs(sides).max())).astype(np.float32)
    made.setflags(write=False)
    return made
