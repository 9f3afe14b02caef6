"""Small instruments. Each gives mono float32 at 48 kHz for a pitch in Hz and a length in seconds."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

RATE = 48000


def _t(seconds: float) -> np.ndarray:
    return np.arange(max(1, int(seconds * RATE))) / RATE


def _shape(n: int, attack: float, release: float) -> np.ndarray:
    env = np.ones(n)
    a, r = min(n, int(attack * RATE)), min(n, int(release * RATE))
    if a:
        env[:a] *= np.linspace(0, 1, a) ** 1.5
    if r:
        env[-r:] *= np.linspace(1, 0, r) ** 1.5
    return env


def _harmonics(hz: float, t: np.ndarray, levels: list[float], vibrato: float = 0.0) -> np.ndarray:
    phase = 2 * np.pi * hz * t
    if vibrato:
        phase = phase + vibrato * hz / 5.5 * (1 - np.cos(2 * np.pi * 5.5 * t)) * np.minimum(1, t / 0.4)
    return sum((level * np.sin(k * phase) for k, level in enumerate(levels, 1) if k * hz < 16000), np.zeros_like(t))


@lru_cache(maxsize=400)
def bass(hz: float, seconds: float) -> np.ndarray:
    t = _t(seconds)
    tone = _harmonics(hz, t, [1, 0.5, 0.28, 0.12, 0.06]) * (0.55 + 0.45 * np.exp(-t * 5))
    return (0.34 * tone * _shape(len(t), 0.004, 0.05)).astype(np.float32)


@lru_cache(maxsize=400)
def pad(hz: float, seconds: float) -> np.ndarray:
    t = _t(seconds + 0.5)
    tone = sum((_harmonics(hz * d, t, [1, 0.42, 0.22, 0.1, 0.05]) for d in (0.997, 1.0, 1.004)), np.zeros_like(t))
    return (0.045 * tone * _shape(len(t), 0.25, 0.6)).astype(np.float32)


@lru_cache(maxsize=400)
def choir(hz: float, seconds: float) -> np.ndarray:
    t = _t(seconds + 0.3)
    # Harmonics near 700 and 1150 Hz stand out, as in an open "ah".
    levels = [
        0.5 * np.exp(-0.5 * ((k * hz - 700) / 260) ** 2) + 0.3 * np.exp(-0.5 * ((k * hz - 1150) / 300) ** 2) + 0.35 / k
        for k in range(1, 14)
    ]
    return (0.075 * _harmonics(hz, t, levels, 0.006) * _shape(len(t), 0.12, 0.35)).astype(np.float32)


@lru_cache(maxsize=400)
def bell(hz: float, seconds: float = 1.6) -> np.ndarray:
    t = _t(1.6)
    parts = ((1, 1, 1.6), (2.01, 0.5, 1.1), (2.76, 0.35, 0.7), (5.4, 0.2, 0.35))
    tone = sum(
        (a * np.sin(2 * np.pi * hz * r * t) * np.exp(-4.5 * t / d) for r, a, d in parts if hz * r < 18000),
        np.zeros_like(t),
    )
    return (0.14 * tone * _shape(len(t), 0.001, 0.2)).astype(np.float32)


@lru_cache(maxsize=400)
def organ(hz: float, seconds: float) -> np.ndarray:
    t = _t(seconds)
    tone = _harmonics(hz, t, [1, 0.7, 0.45, 0.35, 0, 0.2, 0, 0.14]) * (1 + 0.08 * np.sin(2 * np.pi * 6.3 * t))
    return (0.06 * tone * _shape(len(t), 0.006, 0.04)).astype(np.float32)


@lru_cache(maxsize=400)
def harp(hz: float, seconds: float = 1.2) -> np.ndarray:
    t = _t(1.2)
    tone = sum(
        (np.sin(2 * np.pi * hz * k * t) / k * np.exp(-t * (2.2 + 1.6 * k)) for k in range(1, 8) if k * hz < 16000),
        np.zeros_like(t),
    )
    return (0.2 * tone * _shape(len(t), 0.001, 0.1)).astype(np.float32)


@lru_cache(maxsize=400)
def violin(hz: float, seconds: float) -> np.ndarray:
    t = _t(seconds)
    return (0.11 * _harmonics(hz, t, [1 / k for k in range(1, 11)], 0.008) * _shape(len(t), 0.05, 0.08)).astype(
        np.float32
    )


def _noise(seconds: float, seed: int) -> np.ndarray:
    return np.random.default_rng(seed).standard_normal(int(seconds * RATE))


@lru_cache(maxsize=64)
def drum(name: str) -> np.ndarray:
    """kick, snare, ghost, hat, open, ride, tom, crash, shaker, stick: one sound of each."""
    if name == "kick":
        t = _t(0.35)
        sound = np.sin(2 * np.pi * (48 * t + 22 * (1 - np.exp(-t * 38)) / 3.8)) * np.exp(-t * 11) + 0.3 * np.exp(
            -t * 400
        )
    elif name in ("snare", "ghost"):
        t = _t(0.22)
        sound = 0.6 * _noise(0.22, 5)[: len(t)] * np.exp(-t * 24) * 0.5 + 0.6 * np.cos(2 * np.pi * 190 * t) * np.exp(
            -t * 28
        )
        sound = sound * (0.22 if name == "ghost" else 0.85)
    elif name in ("hat", "open", "shaker"):
        length, decay = {"hat": (0.09, 60), "open": (0.3, 12), "shaker": (0.12, 34)}[name]
        t = _t(length)
        raw = np.diff(np.diff(_noise(length, 9), prepend=0), prepend=0)
        sound = raw * np.exp(-t * decay) * (0.1 if name != "shaker" else 0.07)
    elif name in ("ride", "crash"):
        length, decay = (0.7, 5) if name == "ride" else (1.9, 2.2)
        t = _t(length)
        metal = sum((np.cos(2 * np.pi * f * t) for f in (3137, 4211, 5273, 6917, 8231)), np.zeros_like(t)) / 5
        sound = (0.35 * metal + 0.12 * np.diff(_noise(length, 13), prepend=0)) * np.exp(-t * decay) * 0.45
    elif name == "tom":
        t = _t(0.4)
        sound = 0.8 * np.cos(2 * np.pi * (105 * t + 1.5 * (1 - np.exp(-t * 20)))) * np.exp(-t * 9)
    else:
        t = _t(0.05)
        sound = 0.5 * np.cos(2 * np.pi * 2100 * t) * np.exp(-t * 90)
    sound = sound.astype(np.float32)
    sound[-64:] *= np.linspace(1, 0, 64, dtype=np.float32)
    return sound * np.float32(0.55)
