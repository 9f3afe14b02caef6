"""Whether a stem sounds, and how loud (rule M2)."""

from __future__ import annotations

from collections.abc import Collection

from upbeat.mix.routing import gain
from upbeat.song.song import Stem


def sounds(stem: Stem, away: Collection[str], tacet: Collection[str], fallback: bool) -> bool:
    """``away``: players not on tonight; ``tacet``: stems silent in this section.

    In fallback the full mix alone sounds (rule M6). A pad stem sounds only between songs. A
    stem to rehearse with sounds, but the routing keeps it out of every house feed.
    """
    if stem.muted:
        return False
    if fallback:
        return stem.purpose == "full_mix"
    if stem.purpose in ("full_mix", "pad") or stem.id in tacet:
        return False
    return stem.purpose != "covers" or stem.covers in away


def stem_gain(stem: Stem, away: Collection[str], tacet: Collection[str], fallback: bool, here_db: float = 0.0) -> float:
    """The factor a stem is heard with, polarity included; 0 where it does not sound.

    ``here_db``: its level in this section beside its own; in fallback there are no sections.
    """
    if not sounds(stem, away, tacet, fallback):
        return 0.0
    return gain(stem.gain_db + (0.0 if fallback else here_db)) * (-1 if stem.invert else 1)
