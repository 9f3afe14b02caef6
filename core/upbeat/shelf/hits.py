"""Single strokes and shouts that shipped loops are made of, synthesised.

Each is (frames,) float64 with its attack on its first frames and a peak of about one. Struck skins are a tone that falls
to its pitch and noise (as in J. Pierce and others, Synthesis of drums, in any text on the subject); shouts are pulses and noise
through resonances at the formants of vowels (G. Peterson and H. Barney, Control methods used in a study of the
vowels, JASA 24, 1952, table II: men).
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

#: Formants of vowels in Hz (Peterson and Barney 1952; "o" is the vowel of "hawed").
_VOWELS = {"a": (730, 1090, 2440), "e": (530, 1840, 2480), "o": (570, 840, 2410)}
_BANDWIDTHS_HZ = (70, 100, 140)


def _time(seconds: float, rate: int) -> np.ndarray:
    return np.arange(round(seconds * rate)) / rate


def _noise(frames: int, seed: int) -> np.ndarray:
    return np.random.default_rng(seed).uniform(-1, 1, frames)


def _band(sound: np.ndarray, low: float, high: float, rate: int) -> np.ndarray:
    from scipy.signal import butter, sosfilt  # takes two seconds: a server that names the loops is up without

    return np.asarray(sosfilt(butter(2, [low, min(high, 0.45 * rate)], "bandpass", fs=rate, output="sos"), sound))


def _whole(sound: np.ndarray) -> np.ndarray:
    """With a peak of one, and silent at its end."""
    tail = min(len(sound), max(1, len(sound) // 10))
    sound = sound.copy()
    sound[-tail:] *= np.linspace(1, 0, tail)
    return sound / np.abs(sound).max()


def _skin(
    rate: int, *, hz: float, falls_hz: float, seconds: float, decay: float, noise: float, seed: int
) -> np.ndarray:
    t = _time(seconds, rate)
    phase = 2 * np.pi * (hz * t + falls_hz / 40 * (1 - np.exp(-40 * t)))
    tone = np.cos(phase) * np.exp(-decay * t)
    stick = _band(_noise(len(t), seed), 800, 6000, rate) * np.exp(-120 * t)
    return _whole(tone + noise * stick)


def kick(rate: int) -> np.ndarray:
    return _skin(rate, hz=48, falls_hz=110, seconds=0.35, decay=11, noise=0.35, seed=1)


def tom(hz: float) -> Callable[[int], np.ndarray]:
    return lambda rate: _skin(rate, hz=hz, falls_hz=0.5 * hz, seconds=0.5, decay=8, noise=0.4, seed=round(hz))


def shaker(rate: int) -> np.ndarray:
    t = _time(0.09, rate)
    shape = np.minimum(1, t / 0.006) * np.exp(-38 * t)
    return _whole(_band(_noise(len(t), 3), 4500, 14000, rate) * shape)


def tambourine(rate: int) -> np.ndarray:
    t = _time(0.22, rate)
    jingles = sum(
        np.cos(2 * np.pi * hz * t + k) * np.exp(-(14 + k) * t) for k, hz in enumerate((5230, 6710, 8120, 9350))
    )
    return _whole(0.25 * jingles + _band(_noise(len(t), 5), 5000, 15000, rate) * np.exp(-22 * t))


def clap(rate: int) -> np.ndarray:
    """Several hands, a few milliseconds apart."""
    t = _time(0.25, rate)
    shape = sum((t >= at) * np.exp(-260 * np.maximum(0, t - at)) for at in (0.0, 0.009, 0.019))
    shape = shape + 0.8 * (t >= 0.026) * np.exp(-28 * np.maximum(0, t - 0.026))
    return _whole(_band(_noise(len(t), 7), 900, 4200, rate) * shape)


def snap(rate: int) -> np.ndarray:
    t = _time(0.12, rate)
    return _whole(
        _band(_noise(len(t), 9), 1800, 5200, rate) * np.exp(-70 * t)
        + 0.5 * np.cos(2 * np.pi * 2350 * t) * np.exp(-110 * t)
    )


def wood(hz: float) -> Callable[[int], np.ndarray]:
    def made(rate: int) -> np.ndarray:
        t = _time(0.14, rate)
        return _whole(
            np.cos(2 * np.pi * hz * t) * np.exp(-55 * t) + 0.4 * np.cos(2 * np.pi * 2.71 * hz * t) * np.exp(-90 * t)
        )

    return made


def shout(vowel: str, seconds: float, hz: float = 155) -> Callable[[int], np.ndarray]:
    """A handful of voices at once."""

    def made(rate: int) -> np.ndarray:
        t = _time(seconds, rate)
        chance = np.random.default_rng(round(1000 * seconds) + ord(vowel))
        voices = np.zeros(len(t))
        for _ in range(6):
            pitch = hz * chance.choice([1.0, 1.0, 2.0]) * 2 ** (chance.normal(0, 0.35) / 12)
            glide = pitch * (1 + 0.12 * np.exp(-14 * t) - 0.1 * t / seconds)
            turns = np.cumsum(glide) / rate + chance.uniform()
            pulses = np.diff(np.floor(turns), prepend=np.floor(turns[0])) + 0.04 * _noise(
                len(t), int(chance.integers(1 << 30))
            )
            voices += _through_formants(pulses, _VOWELS[vowel], chance.uniform(0.94, 1.08), rate)
        shape = np.minimum(1, t / 0.012) * np.minimum(1, (seconds - t) / (0.35 * seconds))
        breath = 0.3 * _band(_noise(len(t), 11), 1500, 7000, rate) * np.exp(-60 * t) * np.abs(voices).max()
        return _whole((voices + breath) * shape)

    return made


def _through_formants(pulses: np.ndarray, formants: tuple[int, ...], size: float, rate: int) -> np.ndarray:
    """Resonators one after another (D. Klatt, Software for a cascade/parallel formant synthesizer, JASA 67, 1980, eq. 2)."""
    from scipy.signal import lfilter  # as above

    sound = pulses
    for hz, width in zip(formants, _BANDWIDTHS_HZ, strict=True):
        c = -np.exp(-2 * np.pi * width / rate)
        b = 2 * np.exp(-np.pi * width / rate) * np.cos(2 * np.pi * size * hz / rate)
        sound = lfilter([1 - b - c], [1, -b, -c], sound)
    return np.asarray(sound)


HITS: dict[str, Callable[[int], np.ndarray]] = {
    "kick": kick,
    "low": tom(82),
    "middle": tom(116),
    "high": tom(158),
    "shaker": shaker,
    "tambourine": tambourine,
    "clap": clap,
    "snap": snap,
    "wood": wood(880),
    "wood_low": wood(620),
    "hey": shout("e", 0.32),
    "oh": shout("o", 0.7, 130),
    "ha": shout("a", 0.22),
}
