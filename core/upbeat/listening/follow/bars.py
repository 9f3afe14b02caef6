"""Which beats open bars, and where the music begins and ends."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from upbeat.listening.follow.novelty import RATE, Novelty, near

_FFT, _HOP = 4096, 1024
_STRONG = 0.8
_STANDS_OUT_DB, _SILENT_BELOW_DB = 15.0, 22.0
_LEVELS = 20  # a second
_PITCHED = 0.11  # deviation among the twelve pitch classes: noise has 0.06, a held chord 0.17


@dataclass(frozen=True)
class Span:
    """The music: its first and last hit (indices of beats, both included) and where it begins, in seconds."""

    first: int
    last: int
    start_s: float


def harmony(line: np.ndarray) -> np.ndarray:
    """(frames, 12) pitch classes from 55 Hz to 2 kHz, of length 1, every 1024 samples of a line at 22050 Hz."""
    n = len(line) // _HOP
    window = np.hanning(_FFT).astype(np.float32)
    hz = np.arange(_FFT // 2 + 1) * RATE / _FFT
    heard = np.flatnonzero((hz > 55) & (hz < 2000))
    fold = np.zeros((len(heard), 12), dtype=np.float32)
    fold[np.arange(len(heard)), np.round(12 * np.log2(hz[heard] / 440)).astype(int) % 12] = 1
    padded = np.pad(line, (_FFT // 2, _FFT))
    folded = np.zeros((n, 12), dtype=np.float32)
    for at in range(0, n, 512):
        count = min(512, n - at)
        frames = np.lib.stride_tricks.sliding_window_view(padded[at * _HOP : (at + count - 1) * _HOP + _FFT], _FFT)[
            ::_HOP
        ]
        folded[at : at + count] = np.sqrt(np.abs(np.fft.rfft(frames * window, axis=1))[:, heard]) @ fold
    normal: np.ndarray = folded / (np.linalg.norm(folded, axis=1, keepdims=True) + 1e-6)
    return normal


def chord_changes(pitch: np.ndarray, beats: np.ndarray) -> np.ndarray:
    """How unlike the harmony before and after each beat is, 0 to 1. ``pitch``: (pitch classes, steps); ``beats``: steps."""
    period = float(np.median(np.diff(beats))) if len(beats) > 1 else 0.5

    def at(seconds: np.ndarray) -> np.ndarray:
        return np.clip(np.round(seconds * RATE / _HOP).astype(int), 0, len(pitch))

    sums = np.concatenate((np.zeros((1, 12)), np.cumsum(pitch, axis=0)))
    before = sums[at(beats - 0.03)] - sums[at(beats - period)]
    after = sums[at(beats + period)] - sums[at(beats + 0.05)]
    alike = (before * after).sum(axis=1) / (np.linalg.norm(before, axis=1) * np.linalg.norm(after, axis=1) + 1e-9)
    unlike: np.ndarray = np.where((np.abs(before).sum(axis=1) > 0) & (np.abs(after).sum(axis=1) > 0), 1 - alike, 0.0)
    return unlike


def span_of_music(n: Novelty, pitch: np.ndarray, beats: np.ndarray, strength: np.ndarray) -> Span:
    """From where the music begins to its last hit. ``pitch``: (pitch classes, steps); ``beats`` and ``strength``: of each.

    Beats are hit as hard as most are; bumps before the music are hits that nothing follows. A
    beginning that swells, or is soft, is known by its level and its pitch: it stands out from what was
    before, goes on until the hits begin, and is no noise.
    """
    strong = strength >= _STRONG * float(np.quantile(strength, 0.75))
    hits = np.flatnonzero(strong)
    if not len(hits):
        return Span(0, len(beats) - 1, float(beats[0]))
    usual = float(np.median(n.level))
    sounds = n.level > usual - _SILENT_BELOW_DB

    def goes_on(i: int) -> bool:
        upto = int(beats[min(i + 4, len(beats) - 1)] * _LEVELS)
        return bool(strong[i : i + 8].mean() >= 0.4 and sounds[int(beats[i] * _LEVELS) : upto + 1].mean() >= 0.5)

    first = next((int(i) for i in hits if goes_on(int(i))), int(hits[0]))
    return Span(first, int(hits[-1]), _softly(n, pitch, float(beats[first])))


def _softly(n: Novelty, pitch: np.ndarray, hit_s: float) -> float:
    """An earlier beginning, where sound stands out without a break up to the first hit."""
    until = int(hit_s * _LEVELS)
    if until < 2:
        return hit_s
    before = n.level[:until]
    quiet = np.flatnonzero(before <= float(np.quantile(before, 0.02)) + _STANDS_OUT_DB)
    start = (quiet[-1] + 1 if len(quiet) else 0) / _LEVELS
    if start >= hit_s - 0.15:
        return hit_s
    sounding = pitch[int(start * RATE / _HOP) : max(int(start * RATE / _HOP) + 1, int((hit_s - 0.05) * RATE / _HOP))]
    return float(start) if len(sounding) and float(sounding.std(axis=1).mean()) > _PITCHED else hit_s


def bar_phase(n: Novelty, pitch: np.ndarray, beats: np.ndarray, per_bar: int, pickup: int) -> tuple[int, float]:
    """Which beat (index modulo ``per_bar``) opens bars, and how sure that is, 0 to 1.

    Evidence: chords change there (Goto, "An audio-based real-time beat tracking system", Journal of
    New Music Research 30, 2001), low notes fall there, the music begins there after its pickup, and
    its last hit falls there.
    """
    if per_bar == 1:
        return 0, 1.0
    place = np.arange(len(beats)) % per_bar
    score = np.zeros(per_bar)
    low = near(n.coarse[0], beats)
    for weight, values in ((1.0, chord_changes(pitch, beats)), (0.35, low)):
        scale = float(values.std()) + 1e-9
        for r in range(per_bar):
            score[r] += weight * (float(values[place == r].mean()) - float(values.mean())) / scale
    score[pickup % per_bar] += 0.6
    score[(len(beats) - 1) % per_bar] += 0.4
    order = np.argsort(-score)
    return int(order[0]), float(np.clip((score[order[0]] - score[order[1]]) / 0.8, 0, 1))


def metre_doubt(changes: np.ndarray, per_bar: int) -> int | None:
    """Another number of beats that chords change by (``changes``: of each beat), where it is far likelier than ``per_bar``; else None.

    For each count, how far the mean of its best place stands out from the others, in standard errors.
    """
    if len(changes) < 24:
        return None

    def stands_out(n: int) -> float:
        place = np.arange(len(changes)) % n
        spread = float(changes.std()) + 1e-9
        best = max(range(n), key=lambda r: float(changes[place == r].mean()))
        mine, rest = changes[place == best], changes[place != best]
        return float(mine.mean() - rest.mean()) / (spread * np.sqrt(1 / len(mine) + 1 / len(rest)))

    related = {n for n in range(2, 8) if n % per_bar == 0 or per_bar % n == 0}
    others = {n: stands_out(n) for n in (3, 4, 5, 7) if n not in related}
    best = max(others, key=lambda n: others[n]) if others else None
    return best if best is not None and others[best] > 4.5 and others[best] > stands_out(per_bar) + 2.5 else None
