"""Stems that the audience would hear although they are there to learn from, or hold what other stems play."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Literal

from upbeat.intake.names import StemGuess
from upbeat.mix.sounding import standing
from upbeat.song.stems import Stem, is_performed

Reference = Literal["learned", "mixed"]


def reference(stem: Stem, stems: Sequence[Stem], away: Collection[str] = ()) -> Reference | None:
    """What a stem that sounds is besides a part: one to learn from, or a full mix beside the song's own parts."""
    if standing(stem, away) != "sounds":
        return None
    guess = StemGuess(file=stem.file, name=stem.name, group=stem.group, sure=1.0)
    if is_performed(stem) and guess.purpose == "rehearsal":
        return "learned"
    return "mixed" if stem.group == "full_mix" and any(is_performed(s) for s in stems) else None
