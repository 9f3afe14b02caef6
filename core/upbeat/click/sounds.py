"""Built-in click sounds: short, with their full attack on the first sample.

A sound begins at its peak, so that the onset heard (and measured) is the very frame it is
placed on. All are mono float32 with a peak of 1, and deterministic.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np

from upbeat.click.own import tuned_sound
from upbeat.errors import refuse


def _partials(sample_rate: int, seconds: float, partials: tuple[tuple[float, float, float], ...]) -> np.ndarray:
    """Decaying cosines given as (Hz, level, time in s to fall by 60 dB)."""
    t = np.arange(int(sample_rate * seconds)) / sample_rate
    return sum(
        (level * np.cos(2 * np.pi * hz * t) * 10 ** (-3 * t / t60) for hz, level, t60 in partials), np.zeros_like(t)
    )


def _noise(sample_rate: int, seconds: float, t60: float, seed: int) -> np.ndarray:
    """Bright decaying noise: white noise less its own neighbour, which tilts it up by 6 dB an octave.

    The noise is the fraction of a large sine's multiples, the same on every machine (and a
    fiftieth of a second sooner there than the first number of a generator of NumPy's).
    """
    n = int(sample_rate * seconds)
    white = 3.46 * (np.modf(np.abs(np.sin(np.arange(1, n + 2) * 12.9898 + seed)) * 43758.5453)[0] - 0.5)
    return np.diff(white) * 10 ** (-3 * np.arange(n) / sample_rate / t60)


def _wood(rate: int) -> np.ndarray:
    return _partials(rate, 0.06, ((1180, 1.0, 0.045), (2390, 0.6, 0.03), (3870, 0.3, 0.015)))


def _rim(rate: int) -> np.ndarray:
    return _partials(rate, 0.04, ((1720, 1.0, 0.02), (520, 0.5, 0.03))) + 0.15 * _noise(rate, 0.04, 0.015, 11)


def _beep(rate: int) -> np.ndarray:
    return _partials(rate, 0.05, ((1000, 1.0, 0.09),)) * np.minimum(
        1, (0.05 - np.arange(int(rate * 0.05)) / rate) / 0.005
    )


def _shaker(rate: int) -> np.ndarray:
    return _noise(rate, 0.05, 0.05, 23)


def _bell(base: float) -> Callable[[int], np.ndarray]:
    # The two strongest modes of a cowbell stand about 1.48 apart.
    return lambda rate: _partials(rate, 0.12, ((base, 1.0, 0.12), (base * 1.48, 0.9, 0.1), (base * 2.57, 0.3, 0.05)))


def _clap(rate: int) -> np.ndarray:
    return _noise(rate, 0.07, 0.06, 31) + 0.6 * _partials(rate, 0.07, ((1100, 1.0, 0.03),))


def _hat(rate: int) -> np.ndarray:
    return np.diff(np.append(0, _noise(rate, 0.05, 0.03, 41)))


def _sticks(rate: int) -> np.ndarray:
    # Two sticks of hickory struck against each other: higher and drier than a wood block.
    return _partials(rate, 0.05, ((2250, 1.0, 0.03), (3310, 0.8, 0.022), (5480, 0.4, 0.012))) + 0.1 * _noise(
        rate, 0.05, 0.008, 53
    )


STICKS = "sticks"
SOUNDS: dict[str, Callable[[int], np.ndarray]] = {
    "wood": _wood,
    "rim": _rim,
    "beep": _beep,
    "shaker": _shaker,
    "bell_high": _bell(845.0),
    "bell_low": _bell(587.0),
    "clap": _clap,
    "hat": _hat,
    STICKS: _sticks,
}


def click_sound(name: str, sample_rate: int, semitones: float = 0.0) -> np.ndarray:
    """A built-in sound, mono float32, peak 1, ending in silence; tuned, it is made for another rate. Raises :class:`Refused`."""
    if name not in SOUNDS:
        raise refuse("click-sound-unknown", f"There is no click sound “{name}”: choose one of {', '.join(SOUNDS)}.")
    sound = SOUNDS[name](round(sample_rate / 2 ** (semitones / 12)))
    sound[0] = np.copysign(max(abs(sound[0]), np.abs(sound).max()), sound[0])
    fade = min(len(sound), sample_rate // 200)
    sound[-fade:] *= np.linspace(1, 0, fade)
    return (sound / np.abs(sound).max()).astype(np.float32)


VOICES = ("accent", "beat", "division", "count_in")
_LEVELS_DB = {"accent": 0.0, "beat": -4.0, "division": -10.0, "count_in": 0.0}


def click_voices(
    names: tuple[str, str, str, str],
    sample_rate: int,
    pitches: Mapping[str, float] | None = None,
    levels: Mapping[str, float] | None = None,
    own: Mapping[str, np.ndarray] | None = None,
) -> tuple[np.ndarray, ...]:
    """Accent, beat, division and count-in as sounds; an accent is 4 dB above a beat.

    ``pitches``: voice to semitones; ``levels``: voice to decibels beside that; ``own``: sounds of the
    band's own by name, made ready (upbeat.click.own).
    """
    mine = own or {}
    tuned, louder = pitches or {}, levels or {}
    return tuple(
        (
            tuned_sound(mine[name], tuned.get(voice, 0.0))
            if name in mine
            else click_sound(name, sample_rate, tuned.get(voice, 0.0))
        )
        * np.float32(10 ** ((_LEVELS_DB[voice] + louder.get(voice, 0.0)) / 20))
        for voice, name in zip(VOICES, names, strict=True)
    )
