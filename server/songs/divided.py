"""Sections heard in a song's sound: listened for in the worker, offered on the chart."""

from __future__ import annotations

import hashlib
import json
from typing import Any

import numpy as np
from django.conf import settings

from songs.build import core_song
from songs.grid import opened, summed
from songs.models import Measurement, Song, Stem
from songs.rows import held
from upbeat.errors import refuse
from upbeat.listening.follow.divide import Reason, beginnings, describe
from upbeat.listening.follow.result import LONGEST_S
from upbeat.mix.together import ends
from upbeat.song.stems import GUIDES, is_harmonic, is_music

_PREFIX = "sections:"


def _stems(song: Song) -> list[Stem]:
    """What plays in the music itself; the full mix where there is nothing else."""
    heard = [s for s in held(song).recorded if s.group not in GUIDES]
    heard = [s for s in heard if s.audio.measured.get("integrated_lufs") is not None]
    return [s for s in heard if is_music(s)] or heard


def key_of(song: Song) -> str:
    """What a hearing depends on: the stems, the grid and the number of bars."""
    parts: list[Any] = [[str(s.audio_id), s.delay_ms, s.start_s, s.end_s or 0] for s in _stems(song)]
    parts += [song.tempo, song.meters, song.bar1_s, sum(s.bars for s in held(song).sections)]
    return _PREFIX + hashlib.sha256(json.dumps(parts).encode()).hexdigest()[:48]


def stems_of(song: Song) -> list[str]:
    return [str(s.pk) for s in _stems(song)]


def listen_for_sections(row: Measurement) -> None:
    """Hear where sections begin and keep it in ``row``. Raises :class:`Refused`."""
    song = row.song
    stems = [s for s in held(song).recorded if str(s.pk) in row.stems]
    if not stems:
        raise refuse("stems-gone", "The stems that were to be listened to are no longer there: ask again.")
    seconds = ends(opened(stems)) / settings.SAMPLE_RATE
    if seconds > LONGEST_S:
        raise refuse(
            "sections-too-long",
            f"These stems are {seconds / 3600:.1f} hours long: sections are heard in songs of up to {LONGEST_S / 60:.0f} minutes.",
        )
    core = core_song(song)
    lines_s = [f / settings.SAMPLE_RATE for f in core.grid.bar_frames(core.total_bars, settings.SAMPLE_RATE)]

    lines = []
    for i, stem in enumerate(stems):
        lines.append(summed([stem]))
        row.tell(0.6 * (i + 1) / len(stems))
    tonal = np.array([is_harmonic(s) for s in stems])
    bars = describe(lines, list(tonal), lines_s, lambda part: row.tell(0.6 + 0.4 * part))
    found = beginnings(bars)
    if len(found) < 2:
        raise refuse(
            "sections-none-heard", "All bars of this song sound alike: no sections are heard in it. Mark them by hand."
        )

    def reason(r: Reason) -> dict[str, Any]:
        return {"kind": r.kind, "stem": "" if r.stem is None else stems[r.stem].name, "value": r.value}

    row.result = {
        "sections": [
            {"bar": b.bar, "sure": b.sure, "like": b.like, "reasons": [reason(r) for r in b.reasons]} for b in found
        ]
    }


def shown_hearing(row: Measurement | None) -> dict[str, Any]:
    if row is None:
        return {"state": "none", "progress": 0.0, "message": "", "sections": []}
    return {
        "state": row.state,
        "progress": row.progress,
        "message": row.message,
        "sections": row.result.get("sections", []),
    }
