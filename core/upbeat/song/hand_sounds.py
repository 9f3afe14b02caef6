"""Sounds by hand (rule M9): short sounds of a band or of a song, fired on the spot."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, get_args

Again = Literal["from_top", "off"]
AGAINS: tuple[Again, ...] = get_args(Again)
#: Where a sound by hand may go; the guides and the full mix are none of its groups.
HAND_SOUND_GROUPS = ("effects", "rhythm", "tonal", "voices")


@dataclass(frozen=True, kw_only=True)
class HandSound:
    """``group``: where it goes, like a stem. ``again``: what firing it once more does while it rings.

    ``only``: of sounds with the same word here one rings at a time; ``song``: of one song, None for the band's.
    """

    id: str
    name: str
    file: str
    group: str = "effects"
    gain_db: float = 0.0
    again: Again = "from_top"
    only: str = ""
    song: str | None = None
