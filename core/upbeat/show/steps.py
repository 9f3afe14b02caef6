"""What a listener notices from one song of a setlist to the next: louder, faster, higher."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypedDict

from upbeat.song.chords import fifths, parse_key


@dataclass(frozen=True)
class Heard:
    """A song of a setlist as it begins: key as written, quarter notes a minute, loudness in the house (LUFS)."""

    key: str
    bpm: float
    lufs: float | None


class StepBetween(TypedDict):
    """From a song to the next: semitones up (−5 to 6) from tonic to tonic, percent of tempo, LU; None where one is not known."""

    semitones: int | None
    tempo_percent: float
    loudness_lu: float | None


def step_between(before: Heard, after: Heard) -> StepBetween:
    old, new = parse_key(before.key), parse_key(after.key)
    up = 7 * (fifths(new[0]) - fifths(old[0])) % 12 if old and new else None
    known = before.lufs is not None and after.lufs is not None
    return StepBetween(
        semitones=None if up is None else up - 12 if up > 6 else up,
        tempo_percent=round(100 * (after.bpm / before.bpm - 1), 1),
        loudness_lu=round((after.lufs or 0.0) - (before.lufs or 0.0), 1) if known else None,
    )
