"""``upbeat align``: what was heard, as figures and as a sentence."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

import numpy as np

from upbeat.audio.read import Source
from upbeat.errors import Problem, refuse
from upbeat.listening.follow.align import Beats, Progress, beats_per_bar, listen
from upbeat.listening.follow.fit import Moments, straight
from upbeat.listening.follow.grid import BAR_UNSURE, UNSURE
from upbeat.listening.follow.novelty import RATE, mono
from upbeat.time.meter import TimeSignature
from upbeat.time.tempo import parse_bpm

LONGEST_S, SHORTEST_S = 1800.0, 4.0
UNHEARD_MS = 8.0  # of drift over a whole song
WITHIN_BAR_S = 0.004
MIN_HEARD, MAX_HEARD = 20.0, 400.0


def hear_file(path: str | os.PathLike[str], name: str | None = None) -> np.ndarray:
    """A sound file as one line (frames,) for :func:`upbeat.listening.follow.align.listen`. Raises :class:`Refused`."""
    name = name or Path(path).name
    with Source(path, name) as source:
        seconds = source.frames / source.sample_rate
        if seconds > LONGEST_S and source.header.format != "MP3":
            raise refuse(
                "align-too-long",
                f"“{name}” is {seconds / 3600:.1f} hours long: tempo is measured in recordings of up to {LONGEST_S / 60:.0f} minutes.",
            )
        line = mono(_at_most(source, name), source.sample_rate)
    if len(line) < SHORTEST_S * RATE:
        raise refuse(
            "align-too-short", f"“{name}” is {len(line) / RATE:.1f} s long: measure a recording of at least some bars."
        )
    if float(np.abs(line).max(initial=0)) < 1e-4:
        raise refuse("silent", f"“{name}” is silent: there is nothing to measure.")
    return line


def _at_most(source: Source, name: str) -> Any:
    given = 0
    for block in source.blocks():
        given += len(block)
        if given > LONGEST_S * source.sample_rate:
            raise refuse(
                "align-too-long", f"“{name}” is longer than {LONGEST_S / 60:.0f} minutes: measure a shorter recording."
            )
        yield block


def align(
    path: str | os.PathLike[str],
    bpm: object,
    meter: TimeSignature,
    pickup: int = 0,
    follow: bool = False,
    progress: Progress | None = None,
) -> dict[str, Any]:
    """The fields of docs/cli.md for one file. Raises :class:`Refused`."""
    typed = checked_bpm(bpm)
    if not 0 <= pickup < 4 * beats_per_bar(meter):
        raise refuse("pickup-range", f"A pickup of {pickup} beats cannot be: it has fewer beats than four bars.")
    name = Path(path).name
    found = listen(hear_file(path), typed, meter, pickup, progress)
    return as_document(found, typed, name, follow)


def checked_bpm(bpm: object) -> float:
    """A tempo to listen for, in beats a minute. Raises :class:`Refused`."""
    typed = float(parse_bpm(bpm))
    if not MIN_HEARD <= typed <= MAX_HEARD:
        raise refuse(
            "tempo-range",
            f"A tempo of {typed:g} is not listened for: it goes from {MIN_HEARD:g} to {MAX_HEARD:g} beats a minute.",
        )
    return typed


def as_document(found: Beats, typed: float, name: str, follow: bool) -> dict[str, Any]:
    """What was heard as a plain object. Raises :class:`Refused` where that is nothing."""
    if not len(found.beats):
        raise refuse(
            "align-nothing", f"“{name}” has too little music in it to measure: choose a stem that plays the beat."
        )
    beats = found.beats
    k = np.arange(len(beats), dtype=float)
    line = straight(k, Moments(beats, np.ones(len(beats))))
    if not follow and not found.steady:
        beats = line.at(k)
    bpm = found.bpm if found.steady else 60 / line.period
    problems = list(found.problems)
    if found.confidence < UNSURE:
        problems.append(
            Problem(
                "align-unsure",
                f"No beat can be relied on in “{name}”: place bar 1 by ear, or choose a stem that plays the beat.",
            )
        )
    elif found.unnamed:
        problems.append(
            Problem(
                "align-pickup",
                f"“{name}” has {found.unnamed} beat{'s' if found.unnamed > 1 else ''} before bar 1: name a pickup, or look at bar 1.",
            )
        )
    elif found.bar_sure < BAR_UNSURE:
        problems.append(
            Problem("align-bar-unsure", f"Which beat opens the bars of “{name}” is not sure: look at bar 1.")
        )
    return {
        "ok": True,
        "problems": [p.as_dict() for p in problems],
        "bpm": round(bpm, 4),
        "offset_s": round(float(found.beats[found.bar1]), 6),
        "drift_ms_per_min": round(found.drift_ms_per_min, 2),
        "confidence": found.confidence,
        "bar_confidence": found.bar_sure,
        "steady": found.steady,
        "typed_factor": found.typed_factor,
        "beats_s": np.round(beats, 6).tolist(),
        "downbeats_s": np.round(beats[found.bar1 :: found.per_bar], 6).tolist(),
        "beat_confidence": np.round(found.sure, 3).tolist(),
        "tempo_map": tempo_map(found) if follow else [{"bar": 1, "beat": 1, "bpm": round(bpm, 4)}],
        "proposal": proposal(found, typed, bpm),
    }


def tempo_map(found: Beats) -> list[dict[str, Any]]:
    """Tempo by bar, and by beat where a bar is not even; one entry where it is steady."""
    if found.steady:
        return [{"bar": 1, "beat": 1, "bpm": round(found.bpm, 4)}]

    def bars(i: int) -> dict[str, Any]:
        return {"bar": (i - found.bar1) // found.per_bar + 1, "beat": (i - found.bar1) % found.per_bar + 1}

    if found.steps:
        return [{**bars(max(i, found.bar1)), "bpm": round(bpm, 4)} for i, bpm in found.steps if i < len(found.beats)]
    entries = []
    beats, n = found.beats, found.per_bar
    for first in range(found.bar1, len(beats) - 1, n):
        last = min(first + n, len(beats) - 1)
        count = last - first
        even = beats[first] + (beats[last] - beats[first]) * np.arange(count + 1) / count
        if np.abs(beats[first : last + 1] - even).max() <= WITHIN_BAR_S:
            entries.append({**bars(first), "bpm": round(60 * count / float(beats[last] - beats[first]), 4)})
        else:
            entries += [{**bars(i), "bpm": round(60 / float(beats[i + 1] - beats[i]), 4)} for i in range(first, last)]
    return [e for i, e in enumerate(entries) if i == 0 or abs(e["bpm"] - entries[i - 1]["bpm"]) > 1e-3]


def proposal(found: Beats, typed: float, bpm: float) -> str:
    """What to do, in one sentence or two."""
    at = f"put bar 1 at {found.beats[found.bar1]:.3f} s"
    if found.confidence < UNSURE:
        return "No beat is sure enough to go by: place bar 1 by ear, or listen to a stem that plays the beat."
    count = {2.0: f"Twice the typed {typed:g} is played. ", 0.5: f"Half the typed {typed:g} is played. "}.get(
        found.typed_factor, ""
    )
    if not found.steady:
        slowest, fastest = _range(found)
        if found.steps:
            tempos = ", then ".join(f"{tempo:.2f}" for _, tempo in found.steps)
            return f"{count}The recording is played at {tempos}: take these tempos and {at}."
        return f"{count}The recording breathes between {slowest:.1f} and {fastest:.1f}: follow it bar by bar, and {at}."
    expected = typed * found.typed_factor
    minutes = float(found.beats[-1] - found.beats[found.bar1]) / 60
    drift = abs(found.drift_ms_per_min) * minutes
    if drift < UNHEARD_MS:
        return f"{count}The recording keeps {expected:.2f}: {at}."
    way = "ahead of" if bpm > expected else "behind"
    return (
        f"{count}At {expected:.2f} the band would be {drift:.0f} ms {way} the click by the end: set {bpm:.2f} and {at}."
    )


def _range(found: Beats) -> tuple[float, float]:
    lengths = np.diff(found.beats[found.bar1 :: found.per_bar])
    if not len(lengths):
        lengths = np.diff(found.beats) * found.per_bar
    tempos = 60 * found.per_bar / lengths
    return float(np.quantile(tempos, 0.02)), float(np.quantile(tempos, 0.98))
