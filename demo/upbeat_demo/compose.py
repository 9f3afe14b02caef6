"""Playing the songs: every part as notes on the song's own grid, mixed into one file for each stem."""

from __future__ import annotations

import sys
from fractions import Fraction
from pathlib import Path

import numpy as np

from upbeat.audio.pcm import WavWriter
from upbeat.show.document import read_grid
from upbeat.time.grid import Grid
from upbeat_demo import synth
from upbeat_demo.songs import DemoSong, Part

NAMES = {
    "drums": "Drums",
    "shakers": "Shakers, gongs",
    "bass": "Bass",
    "pads": "Glass pads",
    "choir": "Choir",
    "bells": "Bells",
    "organ": "Organ",
    "harp": "Harp",
    "guide": "Violin guide",
    "mix": "Full mix",
}
_NOTES = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}


def pitches(chord: str, transpose: int = 0) -> tuple[int, list[int]]:
    """Root and chord tones as semitones above C; no tones for N."""
    if chord == "N":
        return 0, []
    root = _NOTES[chord[0]] + (chord[1:2] == "b") * -1 + (chord[1:2] == "#") + transpose
    rest = chord[2:] if chord[1:2] in ("b", "#") else chord[1:]
    tones = [0, 3 if rest.startswith("m") else 4, 7] + ([10] if "7" in rest else [])
    return root % 12, [(root + t) % 12 for t in tones]


def hz(semitone: int, octave: int) -> float:
    """Pitch of a semitone above C in an octave, A4 = 440 Hz (ISO 16)."""
    return round(440.0 * 2 ** ((semitone - 9) / 12 + octave - 4), 3)


class _Track:
    def __init__(self, seconds: float):
        self.sound = np.zeros((int((seconds + 4) * synth.RATE), 2), dtype=np.float32)

    def add(self, at_s: float, sound: np.ndarray, level: float = 1.0, pan: float = 0.0) -> None:
        at = round(at_s * synth.RATE)
        if at < 0:
            return
        n = min(len(sound), len(self.sound) - at)
        angle = (pan + 1) * np.pi / 4
        self.sound[at : at + n, 0] += sound[:n] * np.float32(level * np.cos(angle))
        self.sound[at : at + n, 1] += sound[:n] * np.float32(level * np.sin(angle))


class _Player:
    """Knows where every beat is, and plays the parts bar by bar."""

    def __init__(self, song: DemoSong):
        self.song = song
        self.grid: Grid = read_grid(
            {"tempo": song.tempo, "meters": song.meters, "bar1_s": song.bar1_s, "pickup": song.pickup}
        )
        self.bars = sum(p.bars for p in song.parts)
        self.rng = np.random.default_rng(len(song.title))
        self.tracks = {s: _Track(float(self.grid.bar_seconds(self.bars + 1))) for s in song.stems if s != "mix"}

    def at(self, bar: int, quarters: float) -> float:
        return float(self.grid.seconds(self.grid.meters.bar_start(bar) + Fraction(quarters).limit_denominator(192)))

    def play(self) -> None:
        bar = 1
        for part in self.song.parts:
            chords = part.chords.split()
            for i in range(part.bars):
                self._bar(bar, part, chords[i % len(chords)], i, i == part.bars - 1)
                bar += 1
        if self.grid.pickup > 0 and self.tracks:
            lead = "harp" if "harp" in self.tracks else next(iter(self.tracks))
            for k, semitone in enumerate((2, 5)):
                self.tracks[lead].add(self.at(1, float(-self.grid.pickup) + k / 2), synth.harp(hz(semitone, 5)), 0.9)

    def _bar(self, bar: int, part: Part, chord: str, index: int, last: bool) -> None:
        signature = self.grid.meters.at_bar(bar)
        length = float(signature.quarters)
        beats = [float(b) for b in signature.felt_beats]
        root, tones = pitches(chord, self.song.transpose)
        for name in self.tracks:
            if name not in part.without:
                getattr(self, f"_{name}")(bar, beats, length, root, tones, part.energy, index, last)

    def _swung(self, quarters: float) -> float:
        whole, part = divmod(quarters, 1)
        return whole + (self.song.swing if abs(part - 0.5) < 1e-6 else part)

    def _drums(self, bar, beats, length, root, tones, energy, index, last) -> None:
        track = self.tracks["drums"]

        def hit(at, name, level, pan=0.0):
            return track.add(
                self.at(bar, self._swung(at)), synth.drum(name), level * (0.94 + 0.12 * self.rng.random()), pan
            )

        if index == 0 and energy > 0.7:
            hit(0, "crash", 0.7, 0.3)
        for i, beat in enumerate(beats):
            hit(beat, "kick" if i % 2 == 0 else "snare", 0.5 + 0.5 * energy)
            hit(beat, "ride" if energy > 0.8 else "hat", 0.5, 0.25)
            following = beats[i + 1] if i + 1 < len(beats) else length
            for k in range(1, round((following - beat) / 0.5)):
                hit(beat + k / 2, "hat", 0.35 + 0.2 * energy, 0.25)
            if energy > 0.5 and i % 2 == 1:
                hit(beat + 0.25 if following - beat <= 1 else beat + 0.5, "ghost", 0.6, -0.1)
            if energy > 0.7 and i % 4 == 2:
                hit(beat + 0.5, "kick", 0.6)
        if last and energy > 0.4:
            for k in range(4):
                hit(max(0.0, length - 1 + k / 4), "tom" if k < 3 else "snare", 0.5 + 0.12 * k, -0.4 + 0.25 * k)

    def _shakers(self, bar, beats, length, root, tones, energy, index, last) -> None:
        for k in range(int(length * 4)):
            self.tracks["shakers"].add(
                self.at(bar, k / 4), synth.drum("shaker"), (0.9 if k % 4 == 0 else 0.55) * (0.4 + 0.6 * energy), -0.35
            )

    def _bass(self, bar, beats, length, root, tones, energy, index, last) -> None:
        for i, beat in enumerate(beats):
            following = beats[i + 1] if i + 1 < len(beats) else length
            tone = root if i % 2 == 0 else (tones[2] if i % 4 == 1 else root)
            if last and i == len(beats) - 1:
                tone = (root + 11) % 12
            seconds = self.at(bar, following) - self.at(bar, beat)
            if energy > 0.45 or i == 0:
                self.tracks["bass"].add(
                    self.at(bar, beat),
                    synth.bass(hz(tone, 2 if tone < 9 else 1), round(seconds * 0.92, 3)),
                    0.7 + 0.3 * energy,
                )
            if energy > 0.75 and following - beat >= 1:
                self.tracks["bass"].add(
                    self.at(bar, self._swung(beat + 0.5)), synth.bass(hz(root, 2), round(seconds * 0.4, 3)), 0.6
                )

    def _chord(
        self, track: str, instrument, octave: int, at: float, seconds: float, tones: list[int], level: float
    ) -> None:
        for i, tone in enumerate(tones):
            self.tracks[track].add(at, instrument(hz(tone, octave), round(seconds, 3)), level, (-0.5, 0.5, 0.0, 0.2)[i])

    def _pads(self, bar, beats, length, root, tones, energy, index, last) -> None:
        at = self.at(bar, 0)
        self._chord("pads", synth.pad, 4, at, self.at(bar, length) - at, tones, 0.6 + 0.4 * energy)

    def _choir(self, bar, beats, length, root, tones, energy, index, last) -> None:
        at = self.at(bar, 0)
        self._chord("choir", synth.choir, 4, at, self.at(bar, length) - at, tones, 0.5 + 0.5 * energy)

    def _organ(self, bar, beats, length, root, tones, energy, index, last) -> None:
        for i, beat in enumerate(beats):
            at = self.at(bar, self._swung(beat + 0.5) if i % 2 and energy > 0.7 else beat)
            self._chord("organ", synth.organ, 4, at, 0.28 + 0.2 * (1 - energy), tones, 0.5 + 0.5 * energy)

    def _harp(self, bar, beats, length, root, tones, energy, index, last) -> None:
        for k in range(int(length * 2)):
            tone = tones[(k + index) % len(tones)]
            self.tracks["harp"].add(
                self.at(bar, k / 2), synth.harp(hz(tone, 4 + (k % 3 == 2))), 0.5 + 0.4 * energy, 0.3 * (-1) ** k
            )

    def _bells(self, bar, beats, length, root, tones, energy, index, last) -> None:
        if index % 2 == 0 or energy > 0.9:
            for k, beat in enumerate(beats[: 3 if energy > 0.6 else 1]):
                self.tracks["bells"].add(
                    self.at(bar, beat), synth.bell(hz(tones[(index // 2 + k) % len(tones)], 6)), 0.6, 0.4 - 0.4 * k
                )

    def _guide(self, bar, beats, length, root, tones, energy, index, last) -> None:
        steps = [beats[0], beats[len(beats) // 2]] if len(beats) > 1 else [0.0]
        for k, beat in enumerate(steps):
            end = steps[k + 1] if k + 1 < len(steps) else length
            seconds = self.at(bar, end) - self.at(bar, beat)
            self.tracks["guide"].add(
                self.at(bar, beat), synth.violin(hz(tones[(index + k) % len(tones)], 5), round(seconds * 0.95, 3))
            )


def write_stems(song: DemoSong, folder: Path) -> list[Path]:
    """Compose a song and write its stems as 16-bit WAV; gives the files in order."""
    folder.mkdir(parents=True, exist_ok=True)
    player = _Player(song)
    player.play()
    level = 10 ** (song.level_db / 20)
    end = round((float(player.grid.bar_seconds(player.bars + 1)) + 1.5) * synth.RATE)
    mix = np.zeros((end, 2), dtype=np.float32)
    files = []
    for name in song.stems:
        sound = mix if name == "mix" else player.tracks[name].sound[:end] * np.float32(level)
        if name == song.fade_stem:
            tail = 12 * synth.RATE
            sound[-tail:] *= np.linspace(1, 0, tail, dtype=np.float32)[:, None] ** 2
        if name not in ("mix", "guide"):
            mix += sound
        if name == "guide":
            sound = sound.mean(axis=1, keepdims=True)
        sound[-2400:] *= np.linspace(1, 0, 2400, dtype=np.float32)[:, None]
        peak = np.abs(sound).max(initial=0)
        files.append(folder / f"{song.title} - {NAMES[name]}.wav")
        with WavWriter(files[-1], synth.RATE, sound.shape[1], np.int16) as writer:
            writer.write(np.round(sound * (32767 * min(1.0, 0.97 / peak if peak else 1.0))).astype(np.int16))
    return files


if __name__ == "__main__":
    from upbeat_demo.songs import SONGS

    for made in SONGS:
        for written in write_stems(made, Path(sys.argv[1]) / made.title):
            print(written)
