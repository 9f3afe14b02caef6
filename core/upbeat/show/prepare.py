"""The stems of a song prepared for another key and tempo (rule V1)."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from mmap import mmap
from pathlib import Path
from typing import TypedDict

import numpy as np

from upbeat.audio.stretch import stretch_file
from upbeat.show.cores import cores, on_every_core
from upbeat.show.ready import inside
from upbeat.song.key_tempo import KeyTempo
from upbeat.song.played_in import change_of, is_struck
from upbeat.song.song import Song
from upbeat.song.stems import Stem


class PreparedStem(TypedDict):
    """A stem's file in a folder; ``crc32``: of its samples."""

    id: str
    name: str
    file: str
    crc32: int


class TempoShown(TypedDict):
    """The tempo from a position (quarter notes after bar 1) on, in beats of ``unit`` quarters a minute."""

    position: float
    bpm: float
    unit: str
    ramp: bool


def prepare_stem(
    stem: Stem,
    source: Path,
    target: Path,
    change: KeyTempo,
    sample_rate: int,
    progress: Callable[[float], object] = lambda share: None,
) -> int:
    """Write a stem's file as :func:`upbeat.song.played_in.played_in` wants it; gives its CRC-32. Raises :class:`Refused`, OSError."""
    own = change_of(stem, change)
    return stretch_file(
        source,
        target,
        sample_rate=sample_rate,
        semitones=own.semitones,
        percent=own.percent,
        struck=is_struck(stem),
        progress=progress,
    )


def prepare_song(
    song: Song,
    folder: Path,
    out: Path,
    change: KeyTempo,
    sample_rate: int,
    progress: Callable[[float], object] = lambda share: None,
) -> list[PreparedStem]:
    """Every stem of a song into a folder, on every core. ``progress``: gets the share that is done.

    Raises :class:`Refused`, OSError.
    """
    out.mkdir(parents=True, exist_ok=True)
    stems = [s for s in song.stems if s.group != "timecode" or change.percent == 100]
    names = [f"{i:02d}-{_plain(s.name)}.wav" for i, s in enumerate(stems, 1)]

    done = np.frombuffer(mmap(-1, 8 * max(1, len(stems))), dtype=np.float64)  # shared with the other processes

    def some(first: int) -> list[int]:
        crcs = []
        for i in range(first, len(stems), cores()):

            def tell(share: float, i: int = i) -> None:
                done[i] = share
                progress(float(done.sum() / len(stems)))

            source = inside(folder, stems[i].file)
            crcs.append(prepare_stem(stems[i], source, out / names[i], change, sample_rate, tell))
        return crcs

    made = on_every_core([partial(some, first) for first in range(cores())])
    crcs = {names[first + i * cores()]: crc for first, own in enumerate(made) for i, crc in enumerate(own)}
    return [
        PreparedStem(id=s.id, name=s.name, file=name, crc32=crcs[name]) for s, name in zip(stems, names, strict=True)
    ]


def tempo_at(song: Song, change: KeyTempo) -> list[TempoShown]:
    """The tempo map as it is played."""
    return [
        TempoShown(
            position=float(p.position), bpm=round(float(p.bpm * change.percent / 100), 6), unit=str(p.unit), ramp=p.ramp
        )
        for p in song.grid.tempo.points
    ]


def _plain(name: str) -> str:
    return "".join(c if c.isalnum() else "-" for c in name).strip("-")[:60] or "stem"
