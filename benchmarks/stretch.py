"""Sound in another key and tempo (rule V1): how good, beside the plain library with its usual settings, and how fast.

The truth is made anew: the same music synthesised in the new key and tempo. ``lsd``: log-spectral distance to it in dB
(A. H. Gray and J. D. Markel, Distance measures for speech processing, 1976), root mean square over the frames that sound;
``rise``: ms in which the energy of an attack rises from a tenth to nine tenths; ``off``: ms from its place, median and most.
``resampled``: the recording made faster or slower until it has the pitch, read at the places of the truth: what a tape
would do, with its attacks squeezed or drawn out.

    .venv/bin/python benchmarks/stretch.py
"""

from __future__ import annotations

import sys
import tempfile
import time
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

ROOT = Path(__file__).parents[1]
sys.path[:0] = [str(ROOT / "core" / "tests")]

import numpy as np
import python_stretch
import soxr
from scipy.signal import stft
from test_key_tempo import begins

from upbeat.audio.pcm import WavWriter
from upbeat.audio.stretch import excerpt, stretched, stretched_frames
from upbeat.show.cores import cores
from upbeat.show.prepare import prepare_song
from upbeat.song.forms import Form, Step
from upbeat.song.key_tempo import KeyTempo
from upbeat.song.song import Section, Song
from upbeat.song.stems import Stem
from upbeat.time.grid import Grid
from upbeat.time.meter import MeterMap, TimeSignature
from upbeat.time.tempo import TempoMap

RATE, SECONDS, APART = 48000, 12, 0.43
CHANGES = [(2, 100), (-5, 100), (0, 80)]
TEMPOS = [(0, 120), (0, 60), (0, 80)]  # of drums, which keep their pitch
Places = np.ndarray


def _decaying(begins: Places, frames: int, one: Callable[[int, np.ndarray], np.ndarray], seconds: float) -> np.ndarray:
    sound = np.zeros(frames)
    t = np.arange(round(seconds * RATE)) / RATE
    for i, at in enumerate(begins):
        first = round(at * RATE)
        part = one(i, t)[: max(0, frames - first)]
        sound[first : first + len(part)] += part
    return sound


def drums(begins: Places, frames: int, ratio: float) -> np.ndarray:
    """A drum that falls with a beater on it, and bursts of noise; drums keep their pitch."""
    noise = np.random.default_rng(3).normal(size=(8, RATE))

    def one(i: int, t: np.ndarray) -> np.ndarray:
        tone = np.sin(2 * np.pi * (60 * t - 3 * np.exp(-20 * t)))
        beater = 0.2 * np.exp(-300 * t) * noise[i % 8, : len(t)]
        return 0.5 * np.exp(-9 * t) * tone + beater if i % 2 else 0.4 * np.exp(-30 * t) * noise[i % 8, : len(t)]

    return _decaying(begins, frames, one, 0.4)


def strings(begins: Places, frames: int, ratio: float) -> np.ndarray:
    """Plucked: a chord of partials that each die away."""

    def one(i: int, t: np.ndarray) -> np.ndarray:
        sound = np.zeros(len(t))
        for root in (196.0, 246.9, 293.7):
            for k in range(1, 12):
                sound += 0.12 / k * np.exp(-(2 + 1.5 * k) * t) * np.sin(2 * np.pi * root * ratio * k * t)
        return sound

    return _decaying(begins, frames, one, 1.2)


def organ(begins: Places, frames: int, ratio: float) -> np.ndarray:
    """Held tones that begin softly."""
    t = np.arange(frames) / RATE
    return sum(0.05 * np.sin(2 * np.pi * 110 * k * ratio * t + k) for k in (1, 2, 3, 4, 6, 8))


def mixed(begins: Places, frames: int, ratio: float) -> np.ndarray:
    """Plucked strings over an organ."""
    return 0.7 * strings(begins, frames, ratio) + 0.7 * organ(begins, frames, ratio)


def by_library(sound: np.ndarray, semitones: int, percent: Fraction) -> np.ndarray:
    stretch = python_stretch.Signalsmith.Stretch()
    stretch.preset(1, RATE)
    if semitones:
        stretch.setTransposeSemitones(semitones)
    stretch.timeFactor = float(percent / 100)
    return np.asarray(stretch.process(sound.astype(np.float32)[None]))[0]


def by_resampling(sound: np.ndarray, semitones: int, percent: Fraction, frames: int) -> np.ndarray:
    """Windows of the resampled recording, laid where the truth has them."""
    ratio = 2 ** (semitones / 12)
    tape = soxr.resample(sound, RATE * ratio, RATE, "VHQ")
    size, hop = 4096, 1024
    out, weight = np.zeros(frames + size), np.zeros(frames + size)
    window = np.hanning(size)
    for at in range(0, frames, hop):
        src = round(at * float(percent) / 100 / ratio)
        part = tape[src : src + size]
        out[at : at + len(part)] += part * window[: len(part)]
        weight[at : at + len(part)] += window[: len(part)]
    return (out / np.maximum(weight, 1e-3))[:frames]


def lsd(sound: np.ndarray, truth: np.ndarray) -> float:
    """dB, over the frames and the bands that sound: 60 dB below the loudest is silence."""
    powers = [np.abs(stft(x, RATE, nperseg=2048, noverlap=1536)[2]) ** 2 for x in (sound, truth)]
    floor = 1e-6 * powers[1].max()
    ours, theirs = (10 * np.log10(p + floor) for p in powers)
    sounds = powers[1].max(axis=0) > 10 * floor
    return float(np.mean(np.sqrt(np.mean((ours - theirs)[:, sounds] ** 2, axis=0))))


def attacks_of(sound: np.ndarray, places: Places) -> tuple[float, float, float]:
    """Ms: median and most of how far the attacks are off, and how long they rise."""
    off, rise = begins(sound, places)
    return float(np.median(np.abs(off))), float(np.max(np.abs(off))), float(rise)


def quality() -> None:
    print(
        "music    change          ours: lsd  off (most)  rise   library: lsd  off (most)  rise   resampled: lsd  rise"
    )
    for music in (drums, strings, organ, mixed):
        for semis, percent in TEMPOS if music is drums else CHANGES:
            keeps, tempo = music is drums, Fraction(percent)
            starts = np.arange(0.4, SECONDS - 1.5, APART)
            own = music(starts, SECONDS * RATE, 1.0)
            frames = stretched_frames(len(own), tempo)
            moved = starts * 100 / float(tempo)
            truth = music(moved, frames, 2 ** (semis / 12))
            made = stretched(
                own[:, None].astype(np.float32), sample_rate=RATE, semitones=semis, percent=tempo, struck=keeps
            )
            rows = []
            for sound in (made[:, 0], by_library(own, semis, tempo)[:frames], by_resampling(own, semis, tempo, frames)):
                whole = np.zeros(frames)
                whole[: len(sound)] = sound
                rows.append((lsd(whole, truth), *(attacks_of(whole, moved) if music is not organ else (0, 0, 0))))
            (d, o, m, r), (ld, lo, lm, lr), (rd, _, _, rr) = rows
            change = f"{semis:+d} st {float(tempo):g} %"
            print(
                f"{music.__name__:8} {change:14} {d:10.2f} {o:5.2f} ({m:4.2f}) {r:6.2f} "
                f"{ld:14.2f} {lo:5.2f} ({lm:4.2f}) {lr:6.2f} {rd:16.2f} {rr:6.2f}"
            )


def speed() -> None:
    """Eight stereo stems of four minutes to another key, and a bar of sixteen such stems at once."""
    noise = np.random.default_rng(1)
    with tempfile.TemporaryDirectory() as temporary:
        folder = Path(temporary)
        starts = np.arange(0.4, 239, APART)
        one = mixed(starts, 240 * RATE, 1.0).astype(np.float32)
        stems = []
        for i in range(8):
            with WavWriter(folder / f"{i}.wav", RATE, 2, np.int16) as writer:
                writer.write(np.round(20000 * np.stack([np.roll(one, 4800 * i), one], axis=1)))
            stems.append(Stem(id=str(i), name=f"Stem {i}", file=f"{i}.wav"))
        section = Section(id="a", name="A", bars=120)
        grid = Grid(TempoMap.steady("120"), MeterMap([(1, TimeSignature.parse("4/4"))]))
        song = Song(
            id="s",
            title="S",
            grid=grid,
            sections=(section,),
            forms=(Form("full", "Full", (Step("a"),)),),
            stems=tuple(stems),
        )
        begun = time.perf_counter()
        prepare_song(song, folder, folder / "made", KeyTempo(2), RATE)
        took = time.perf_counter() - begun
        print(
            f"\neight stereo stems of 4 minutes, +2 semitones: {took:.1f} s on {cores()} cores ({8 * 240 / took:.0f} x real time)"
        )
    sound = np.stack([one, one], axis=1) + 0.001 * noise.normal(size=(len(one), 2)).astype(np.float32)
    begun = time.perf_counter()
    for _ in range(16):
        excerpt(sound, 100 * RATE, 101 * RATE, sample_rate=RATE, semitones=2)
    print(f"the first second from bar 51 of sixteen such stems: {time.perf_counter() - begun:.2f} s")


if __name__ == "__main__":
    quality()
    speed()
