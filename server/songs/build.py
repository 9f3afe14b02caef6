"""From rows to the song the core knows, and what the chart draws."""

from __future__ import annotations

from functools import lru_cache
from itertools import pairwise
from pathlib import Path
from typing import Any, cast

import numpy as np
from django.conf import settings

from songs.models import CELLS, STEM_SETTINGS, Audio, Song, Stem
from songs.rows import SECTION_FIELDS, held
from upbeat.audio.peaks import envelope, loudest
from upbeat.errors import Refused
from upbeat.play.calls import charted
from upbeat.play.compile import compile_entry
from upbeat.play.plan import Link
from upbeat.show.document import read_grid, read_song
from upbeat.show.stem_document import read_stem_feeds
from upbeat.song.layers import read_layer
from upbeat.song.lengths import form_length
from upbeat.song.song import Section
from upbeat.song.song import Song as CoreSong
from upbeat.song.stems import Purpose
from upbeat.song.stems import Stem as CoreStem
from upbeat.song.treatment import read_treatment
from upbeat.time.grid import Grid
from voices.build import band_voice

SOUND_POINTS, MOST_POINTS = 12, 400
MAX_S = 1e6


def song_document(
    song: Song, files: dict[str, Path] | None = None, stems: bool = True, line_up: str | None = None
) -> dict[str, Any]:
    """A song as the show document has it, as loud as it is with a line-up.

    ``files`` gathers name in the show to path; without ``stems`` it has none.
    """
    sections = held(song).sections
    steps = [{"section": s.id, "ending": ending_of(song, s, i == len(sections) - 1)} for i, s in enumerate(sections)]
    forms = [{"id": "full", "name": "Full", "steps": steps}]
    known = {s.id for s in sections}
    for form in held(song).forms:
        kept = [s for s in form.steps if s["section"] in known]
        if kept:
            forms.append({"id": form.id, "name": form.name, "steps": kept})
    bars = sum(s.bars for s in sections)
    return {
        "id": str(song.pk),
        "title": song.title,
        "key": song.key,
        "tempo": song.tempo,
        "meters": song.meters,
        "bar1_s": song.bar1_s,
        "pickup": song.pickup,
        "sections": [{"id": s.id, **{f: getattr(s, f) for f in SECTION_FIELDS}} for s in sections],
        "chords": [{"bar": int(bar), "text": text} for bar, text in song.chords.items() if int(bar) <= bars],
        "note": song.note,
        "screen": song.screen,
        "forms": forms,
        "stems": [_stem(s, files) for s in held(song).stems] if stems else [],
        "count_in": {"bars": song.count_in_bars, "aloud": song.count_in_aloud, "sticks": song.count_in_sticks},
        "click": {**song.band.click, **song.click},
        "crossfade_ms": song.crossfade_ms,
        "ring_on_s": song.ring_on_s,
        "calls": song.calls,
        "lead": song.lead,
        "gain_db": song.gains.get(line_up or "", song.gain_db),
        "edges": song.edges,
        "cues": [c for c in song.cues if c["bar"] <= bars],
    }


def ending_of(song: Song, section: Section, last: bool) -> dict[str, Any]:
    """The ending of a section in the full form; the last one is fine unless said otherwise (rule F3)."""
    chosen: dict[str, Any] = song.endings.get(section.id) or {"kind": "attacca"}
    return {"kind": "fine"} if last and chosen["kind"] == "attacca" else chosen


def _stem(stem: Stem, files: dict[str, Path] | None) -> dict[str, Any]:
    name = f"audio/{stem.audio_id}.wav"
    if files is not None:
        files[name] = stem.audio.prepared
    return {
        "id": str(stem.pk),
        "name": stem.name,
        "file": name,
        "crc32": stem.audio.crc32,
        "group": stem.group,
        "purpose": stem.purpose,
        "covers": str(stem.covers_id) if stem.covers_id else None,
        "layer": stem.layer,
        **{f: getattr(stem, f) for f in (*STEM_SETTINGS, *CELLS)},
    }


def core_stem(stem: Stem) -> CoreStem:
    """The core's stem."""
    settings_of = {f: getattr(stem, f) for f in STEM_SETTINGS if f not in ("feeds", "treatment")}
    return CoreStem(
        id=str(stem.pk),
        name=stem.name,
        file=stem.file_name,
        group=stem.group,
        purpose=cast(Purpose, stem.purpose),
        covers=str(stem.covers_id) if stem.covers_id else None,
        feeds=read_stem_feeds(stem.feeds),
        layer=read_layer(stem.layer),
        treatment=read_treatment(stem.treatment, stem.name),
        **settings_of,
    )


def core_song(song: Song, stems: bool = True) -> CoreSong:
    """The core's song. Raises :class:`Refused` for what the core does not take."""
    return song.checked or read_song(song_document(song, stems=stems))


def core_grid(song: Song) -> Grid:
    """The grid of a song, whatever its sections are. Raises :class:`Refused`."""
    return read_grid({"tempo": song.tempo, "meters": song.meters, "bar1_s": song.bar1_s, "pickup": song.pickup})


def look_at(song: Song) -> None:
    """Make the core's song once for an instance that will not be changed any more."""
    try:
        song.checked = core_song(song)
    except Refused:
        song.checked = None


def longest_seconds(song: Song) -> float:
    """How long the longest recorded stem is."""
    return max(
        (
            min(frames / settings.SAMPLE_RATE, end_s or MAX_S) + delay_ms / 1000
            for frames, end_s, delay_ms in held(song).stem_lengths()
        ),
        default=0.0,
    )


def chart(song: Song, form: str | None = None, points: int = SOUND_POINTS) -> dict[str, Any]:
    """Bars with their time, metre, tempo, sound and calls, as the page draws them."""
    core = core_song(song)
    rate = settings.SAMPLE_RATE
    wording = band_voice(song.band).wording
    plan = compile_entry("chart", core, core.form(form), Link(), rate, wording=wording)
    sound = _sound(song, plan.bar_frames, points)
    bars = []
    for i in range(plan.bars):
        bars.append(
            {
                "bar": i + 1,
                "start_s": round(int(plan.bar_frames[i]) / rate, 6),
                "end_s": round(int(plan.bar_frames[i + 1]) / rate, 6),
                "meter": plan.meters[i],
                "grouping": list(plan.groupings[i]),
                "bpm": round(plan.bpm[i], 4),
                "beats": int(plan.count_first[i + 1] - plan.count_first[i]),
                "sound": sound[i],
            }
        )
    calls: list[dict[str, Any]] = [{"bar": bar, "text": text, "beat": 0} for bar, text in charted(plan)]
    calls += [{"bar": c.bar, "text": wording.said(c.text), "beat": c.beat} for c in core.cues]
    length = form_length(core, core.form(form))
    return {"bars": bars, "calls": calls, "seconds": round(float(length.seconds), 3), "form_bars": length.bars}


def _sound(song: Song, bar_frames: np.ndarray, points: int) -> list[list[float]]:
    """For each bar, ``points`` peaks over all stems but the full mix (unless there is no other)."""
    edges = np.concatenate(
        [np.linspace(a, b, points, endpoint=False) for a, b in pairwise(bar_frames)] + [bar_frames[-1:]]
    )
    stems = held(song).recorded
    chosen = [s for s in stems if s.purpose not in ("full_mix", "pad")] or stems
    power = np.zeros(len(edges) - 1)
    for stem in chosen:
        if len(loud := loud_of(stem.audio)):
            power += (
                envelope(loud, edges - stem.delay_ms * settings.SAMPLE_RATE / 1000) * 10 ** (stem.gain_db / 20)
            ) ** 2
    level = np.sqrt(power)
    top = level.max(initial=0)
    scaled = np.round(level / top, 3) if top > 0 else level
    return [list(map(float, row)) for row in scaled.reshape(-1, points)]


def loud_of(audio: Audio) -> np.ndarray:
    """The peaks of a sound (upbeat.audio.peaks.loudest); they never change, since sound is kept by content."""
    return _loud(str(audio.peaks))


@lru_cache(maxsize=1000)
def _loud(path: str) -> np.ndarray:
    try:
        return loudest(np.load(path))
    except OSError:
        return np.zeros(0, dtype=np.int16)
