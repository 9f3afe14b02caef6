"""Loops as the stems of a song (rule V3): made where they are read, the same samples however they are read."""

from __future__ import annotations

from fractions import Fraction
from math import ceil

import numpy as np

from upbeat.audio.file_pcm import Pcm
from upbeat.audio.pcm import full_scale
from upbeat.audio.stretch import excerpt, stretched
from upbeat.mix.loops import looped
from upbeat.song.layers import Layer
from upbeat.song.laying import Pieces, lead_in, stretches, struck_pieces
from upbeat.song.song import Song

TONAL_JOIN_S = 0.03  # over which two bars that were stretched give way to each other
AROUND_S = 0.5  # of a loop, before and after a bar of it, that stretching listens to


class LaidPcm:
    """(frames, channels) float32 of pieces of sounds, read by slices of rows."""

    dtype = np.dtype(np.float32)

    def __init__(self, pieces: Pieces, sounds: list[np.ndarray]) -> None:
        self._pieces, self._sounds = pieces, sounds
        self._ends = np.maximum.accumulate(pieces.start + pieces.frames) if len(pieces.start) else pieces.start
        self.shape = int(self._ends[-1]) if len(self._ends) else 0, sounds[0].shape[1]

    def __len__(self) -> int:
        return self.shape[0]

    def __getitem__(self, rows: slice) -> np.ndarray:
        first, last, step = rows.indices(len(self))
        assert step == 1
        found = np.zeros((max(0, last - first), self.shape[1]), dtype=np.float32)
        begin = int(np.searchsorted(self._ends, first, side="right"))
        end = int(np.searchsorted(self._pieces.start, last, side="left"))
        for i in range(begin, end):
            self._add(i, first, found)
        return found

    def _add(self, i: int, first: int, into: np.ndarray) -> None:
        """Add a piece to rows from frame ``first`` on."""
        start, source, frames, fade_in, fade_out, sound = (int(column[i]) for column in self._pieces)
        a, b = max(start, first), min(start + frames, first + len(into))
        of = self._sounds[sound]
        b = min(b, start + len(of) - source)
        if a >= b:
            return
        rows = of[source + a - start : source + b - start]
        if a - start < fade_in or b - start > frames - fade_out:
            at = np.arange(a - start, b - start, dtype=np.float32) + np.float32(0.5)
            weight = np.ones(b - a, dtype=np.float32)
            if fade_in:
                np.minimum(weight, at / np.float32(fade_in), out=weight)
            if fade_out:
                np.minimum(weight, (np.float32(frames) - at) / np.float32(fade_out), out=weight)
            rows = rows * weight[:, None]
        into[a - first : b - first] += rows


def laid(layer: Layer, song: Song, pcm: Pcm, sample_rate: int) -> LaidPcm:
    """A loop under a song, from its bar 1 to its last bar line. ``pcm``: (frames, channels) of int16 or float32."""
    sound = _as_float(pcm)
    if layer.kind == "struck":
        before, end = lead_in(sample_rate), round(layer.seconds * sample_rate)
        lead = np.zeros((before, sound.shape[1]), np.float32)
        known = sound[max(0, end - before) : end]
        lead[: len(known)] = known
        return LaidPcm(struck_pieces(layer, song, len(sound), sample_rate), [np.concatenate([lead, sound])])
    if layer.kind == "held":
        return _held(layer, song, sound, sample_rate)
    return _tonal(layer, song, sound, sample_rate)


def _as_float(pcm: Pcm) -> np.ndarray:
    return np.asarray(pcm[:], dtype=np.float32) * np.float32(full_scale(pcm))


def _held(layer: Layer, song: Song, sound: np.ndarray, sample_rate: int) -> LaidPcm:
    """Round and round from bar 1 on, by the crossfade of a pad (rule P10)."""
    cycle = sound if _meets_itself(sound) else np.ascontiguousarray(looped(sound.T, sample_rate).T)
    if layer.semitones:
        # Of three rounds the middle one, so that it still leads into itself.
        rounds = stretched(np.concatenate([cycle] * 3), sample_rate=sample_rate, semitones=layer.semitones)
        cycle = np.ascontiguousarray(looped(rounds[len(cycle) : 2 * len(cycle)].T, sample_rate).T)
    first, last = song.grid.bar_lines([0, song.total_bars], sample_rate)
    start = np.arange(first, last, len(cycle), dtype=np.int64)
    zero = np.zeros(len(start), dtype=np.int64)
    return LaidPcm(Pieces(start, zero, np.minimum(len(cycle), last - start), zero, zero, zero), [cycle])


def _meets_itself(sound: np.ndarray) -> bool:
    """Whether the end of a sound leads into its beginning as any frame of it leads into the next."""
    if len(sound) < 8:
        return True
    bends = np.abs(np.diff(sound, n=2, axis=0)).max(axis=1)
    join = np.abs(np.diff(np.concatenate([sound[-3:], sound[:3]]), n=2, axis=0)).max()
    return bool(join <= bends.max())


def _tonal(layer: Layer, song: Song, sound: np.ndarray, sample_rate: int) -> LaidPcm:
    """Stretched bar by bar, each with a little of what lies before it, which the one before gives way to."""
    end, around, join = (round(s * sample_rate) for s in (layer.seconds, AROUND_S, TONAL_JOIN_S))
    whole = np.zeros((end, sound.shape[1]), np.float32)
    whole[: len(sound)] = sound[:end]
    around = min(around, end)
    source = np.concatenate([whole[end - around :], whole, whole[:around], whole[:around]])
    made: dict[tuple[Fraction, Fraction], tuple[int, int]] = {}
    sounds: list[np.ndarray] = []
    columns: list[tuple[int, int, int]] = []
    listed = list(stretches(layer, song))
    starts = song.grid.frames([s.position for s in listed], sample_rate)
    ends = [*starts[1:], song.grid.bar_lines([song.total_bars], sample_rate)[0]]
    for one, start, stop in zip(listed, starts, ends, strict=True):
        seconds = song.grid.seconds(one.position + one.length) - song.grid.seconds(one.position)
        percent = (one.length * layer.pace * 60 / layer.bpm) / seconds * 100
        key = one.loop, percent
        if key not in made or made[key][1] < stop - start:
            place = round((around + one.loop * 60 / layer.bpm * sample_rate) * 100 / percent)
            frames = ceil(seconds * sample_rate) + 2
            sounds.append(
                excerpt(
                    source,
                    place - join,
                    place + frames,
                    sample_rate=sample_rate,
                    semitones=layer.semitones,
                    percent=percent,
                )
            )
            made[key] = len(sounds) - 1, frames
        columns.append((start - join, made[key][0], stop - start + join))
    table = np.array(columns, dtype=np.int64)
    zero, joins = np.zeros(len(table), dtype=np.int64), np.full(len(table), join, dtype=np.int64)
    return LaidPcm(Pieces(table[:, 0], zero, table[:, 2], joins, joins, table[:, 1]), sounds)
