"""The line check's signals: a column for each socket, which goes straight to it."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import numpy as np

from upbeat.mix.routing import Column, gain
from upbeat.mix.stem_audio import ShowAudio
from upbeat.play.advance import Span
from upbeat.play.line_check import RAMP_S, LineSocket, Signal

FULL_SINE_RMS = 2**-0.5  # 0 dBFS (AES17)
TONE_HZ = 1000  # the line-up tone of EBU R 68
NOISE_HZ, NOISE_S, NOISE_CREST = (20.0, 20_000.0), 4, 4.0  # peaks at most 12 dB above its RMS
PULSE_S, PULSES_APART_S = 0.001, 0.5
VOICE_PAUSE_S, VOICE_PEAK = 0.7, 0.9


class LineSignals:
    """What sounds follows from the span alone: nothing is to be remembered."""

    def __init__(self, sockets: Sequence[LineSocket], audio: ShowAudio, sample_rate: int):
        self._sockets, self._audio, self._rate = {s.number: s for s in sockets}, audio, sample_rate
        self._ramp = round(RAMP_S * sample_rate)
        self._row = {s.number: i for i, s in enumerate(sockets)}
        self.columns = tuple(Column(source=f"line:{s.number}", socket=s.number) for s in sockets)

    def saved(self) -> None:
        return None

    def restore(self, saved: None) -> None:
        pass

    def fill(self, span: Span, into: np.ndarray) -> bool:
        sounding = [s for s in span.signals if s.socket in self._row]
        for signal in sounding:
            self._play(signal, span, into)
        return bool(sounding)

    def _play(self, signal: Signal, span: Span, into: np.ndarray) -> None:
        a, b = max(signal.start, span.start), span.end
        if signal.end is not None:
            b = min(b, signal.end + self._ramp)
        if a >= b:
            return
        at = np.arange(a, b)
        level = np.clip((at - signal.start + 1) / self._ramp, 0, 1)
        if signal.end is not None:
            level = level * np.clip(1 - (at - signal.end + 1) / self._ramp, 0, 1)
        wave = self._wave(signal, at - signal.zero)
        into[self._row[signal.socket], a - span.start : b - span.start] += wave * level.astype(np.float32)

    def _wave(self, signal: Signal, at: np.ndarray) -> np.ndarray:
        """A signal at its level, float32, in frames from its beginning on."""
        if signal.kind == "pulse":
            return pulse(self._rate, at) * np.float32(gain(signal.db))
        level = gain(signal.db) * FULL_SINE_RMS
        if signal.kind == "voice":
            return self._voice(signal, at, level)
        cycle = tone(self._rate) if signal.kind == "tone" else pink_noise(self._rate)
        return cycle[at % len(cycle)] * np.float32(level)

    def _voice(self, signal: Signal, at: np.ndarray, level: float) -> np.ndarray:
        """The number and the name of the socket, again and again; never louder than its peak allows."""
        word = self._audio.words.get((self._sockets[signal.socket].spoken, False))
        if word is None or not word.any():
            return np.zeros(len(at), dtype=np.float32)
        factor = min(level / float(np.sqrt(np.mean(np.square(word)))), VOICE_PEAK / float(np.abs(word).max()))
        at = at % (len(word) + round(VOICE_PAUSE_S * self._rate))
        said = at < len(word)
        return np.where(said, word[np.where(said, at, 0)], 0).astype(np.float32) * np.float32(factor)


@lru_cache(maxsize=4)
def tone(sample_rate: int) -> np.ndarray:
    """A second of a sine with an RMS of 1, (frames,) float32: a whole number of its periods."""
    turns = 2 * np.pi * TONE_HZ * np.arange(sample_rate) / sample_rate
    return (np.sin(turns) / FULL_SINE_RMS).astype(np.float32)


@lru_cache(maxsize=4)
def pink_noise(sample_rate: int) -> np.ndarray:
    """Noise with the same power in every octave and an RMS of 1, (frames,) float32, that goes round without a seam."""
    frames = NOISE_S * sample_rate
    hertz = np.fft.rfftfreq(frames, 1 / sample_rate)
    within = (hertz >= NOISE_HZ[0]) & (hertz <= min(NOISE_HZ[1], 0.45 * sample_rate))
    size = np.where(within, 1 / np.sqrt(np.maximum(hertz, 1)), 0)
    turns = np.random.default_rng(1).uniform(0, 2 * np.pi, len(hertz))
    noise = np.fft.irfft(size * np.exp(1j * turns), frames)
    noise /= np.sqrt(np.mean(np.square(noise)))
    return np.clip(noise, -NOISE_CREST, NOISE_CREST).astype(np.float32)


def pulse(sample_rate: int, at: np.ndarray) -> np.ndarray:
    """Half a sine upwards, twice a second, at frames ``at``: float32 of their shape. What arrives the other way round is wired so."""
    into = at % round(PULSES_APART_S * sample_rate) / (PULSE_S * sample_rate)
    return np.where(into < 1, np.sin(np.pi * np.clip(into, 0, 1)), 0).astype(np.float32)
