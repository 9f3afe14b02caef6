"""The joins of a song's sections as the page lists them: how likely each is heard, why, and what would mend it."""

from __future__ import annotations

import hashlib
import json
from functools import lru_cache
from typing import Any

from django.conf import settings
from django.core.cache import cache

from songs.build import core_song, core_stem
from songs.models import Song, Stem
from songs.rows import held
from upbeat.audio.pcm import open_prepared
from upbeat.errors import refuse
from upbeat.listening.seam.score import Measures, judge, mends
from upbeat.mix.stem_audio import StemAudio
from upbeat.show.seams import measured_join, places
from upbeat.song.forms import Join, joins_of
from upbeat.song.sections import straight_on
from upbeat.song.song import Song as CoreSong
from upbeat.song.stems import is_performed

KEPT_S = 24 * 3600


def shown_seams(song: Song, form_id: str | None) -> list[dict[str, Any]]:
    """The seams of a form between whole sections, the likeliest to be heard first. Raises :class:`Refused`."""
    core = core_song(song)
    whole = (seam for seam in joins_of(core.form(form_id)) if seam == Join(seam.old, seam.new))
    shown = [shown_seam(song, core, seam) for seam in whole]
    return sorted(shown, key=lambda s: -s["likely"])


def shown_seam(song: Song, core: CoreSong, seam: Join) -> dict[str, Any]:
    """One seam with its figures and mends."""
    base: dict[str, Any] = {
        "old": seam.old,
        "new": seam.new,
        "straight": straight_on(core.sections, seam),
        "likely": 0.0,
        "verdict": "not",
        "reason": "",
        "cut": 0.0,
        "early": 0.0,
        "level": 0.0,
        "colour": 0.0,
        "cut_db": 0.0,
        "early_ms": 0.0,
        "level_db": 0.0,
        "colour_db": 0.0,
        "stem": None,
        "mends": [],
    }
    stems = _stems(song)
    if base["straight"] or not stems:
        return base
    m = _measured(song, core, stems, seam, 0)
    heard = judge(m, song.crossfade_ms, song.ring_on_s)
    offers = mends(m, song.crossfade_ms, song.ring_on_s, lambda ms: _measured(song, core, stems, seam, ms))
    return {
        **base,
        "likely": round(heard.likely, 3),
        "verdict": heard.verdict,
        "reason": heard.reason,
        **{f: round(getattr(heard, f), 3) for f in ("cut", "early", "level", "colour")},
        **{f: round(getattr(heard, f), 1) for f in ("cut_db", "early_ms", "level_db", "colour_db")},
        "stem": stems[heard.stem].name if heard.stem is not None else None,
        "mends": [{"kind": o.kind, "value": o.value, "likely": round(o.likely, 3)} for o in offers],
    }


def _stems(song: Song) -> list[Stem]:
    return [s for s in held(song).recorded if is_performed(s) and not s.muted]


def _measured(song: Song, core: CoreSong, stems: list[Stem], seam: Join, shift_ms: float) -> Measures:
    """Measures of a seam, kept by what they depend on: the sounds, their settings and the two places."""
    rate = settings.SAMPLE_RATE
    old, new = places(core, seam, rate, shift_ms)
    settings_of = [[str(s.audio_id), str(core_stem(s)), seam.old in s.tacet, seam.new in s.tacet] for s in stems]
    key = "seam:" + hashlib.sha256(json.dumps([settings_of, old, new, rate]).encode()).hexdigest()
    known: Measures | None = cache.get(key)
    if known is None:
        audio = [StemAudio.of(core_stem(s), _mapped(str(s.audio.prepared)), rate) for s in stems]
        known = measured_join(audio, seam, old, new, rate)
        cache.set(key, known, KEPT_S)
    return known


@lru_cache(maxsize=200)
def _mapped(path: str) -> Any:
    from pathlib import Path

    return open_prepared(Path(path), settings.SAMPLE_RATE)


def asked_seam(song: Song, old: str, new: str) -> dict[str, Any]:
    """The seam of any two sections. Raises :class:`Refused`."""
    core = core_song(song)
    known = {s.id for s in core.sections}
    if old not in known or new not in known:
        raise refuse("section-unknown", "That section is no longer there: reload the song.")
    return shown_seam(song, core, Join(old, new))
