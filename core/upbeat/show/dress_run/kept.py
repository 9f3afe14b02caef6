"""Measures of songs by what they depend on, so that a dress run plays only what has changed since the one before."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from upbeat.show.dress_run.sound import Sounded

VERSION = 1
_OF_THE_SHOW = ("sample_rate", "players", "line_up", "feeds", "rig", "patch", "voice", "words", "click_sounds")
_UNHEARD = ("note", "chords", "key")


@dataclass(frozen=True)
class Kept:
    """``document``: the show as it is now; ``runs``: what :func:`packed` gave, by :meth:`key`."""

    document: Mapping[str, Any] | None = None
    runs: Mapping[str, Any] = field(default_factory=dict)

    def key(self, entries: Sequence[int]) -> str:
        """What the sound of a run of entries depends on; "" where that is not known.

        Files stand in it by the CRC-32 of their samples.
        """
        if self.document is None:
            return ""
        songs = {song["id"]: song for song in self.document["songs"]}
        own = [self.document["entries"][i] for i in entries]
        if any(stem.get("crc32") is None for entry in own for stem in songs[entry["song"]].get("stems", [])):
            return ""
        parts = [
            VERSION,
            {name: self.document.get(name) for name in _OF_THE_SHOW},
            [{k: v for k, v in entry.items() if k != "id"} for entry in own],
            [{k: v for k, v in songs[entry["song"]].items() if k not in _UNHEARD} for entry in own],
        ]
        return hashlib.sha256(json.dumps(parts, sort_keys=True).encode()).hexdigest()

    def sounded(self, key: str, entries: Sequence[int]) -> Sounded | None:
        """What is kept of a run of entries, where it is."""
        raw = self.runs.get(key) if key else None
        if raw is None:
            return None
        first = entries[0]
        return Sounded(
            peaks={(first + e, row): (peak, bar) for e, row, peak, bar in raw["peaks"]},
            house={(first + e, step, bar): peak for e, step, bar, peak in raw["house"]},
            lufs={first + e: lufs for e, lufs in raw["lufs"]},
        )


def read_kept(path: Path) -> dict[str, Any]:
    """What an earlier run kept in a file; nothing where there is none that can be read."""
    try:
        kept = json.loads(path.read_text("utf-8"))
    except (OSError, ValueError, RecursionError):
        return {}
    return kept if isinstance(kept, dict) and kept.pop("version", None) == VERSION else {}


def write_kept(path: Path, runs: Mapping[str, Any]) -> None:
    path.write_text(json.dumps({"version": VERSION, **runs}))


def packed(sounded: Sounded, entries: Sequence[int]) -> dict[str, Any]:
    """Measures of a run of entries as JSON, the first of them as entry 0."""
    first = entries[0] if entries else 0
    return {
        "peaks": [[e - first, row, peak, bar] for (e, row), (peak, bar) in sounded.peaks.items()],
        "house": [[e - first, step, bar, peak] for (e, step, bar), peak in sounded.house.items()],
        "lufs": [[e - first, lufs] for e, lufs in sounded.lufs.items()],
    }
