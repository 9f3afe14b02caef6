"""A song's grid beside what its stems play: measured in the worker, shown and taken here."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from dataclasses import asdict
from fractions import Fraction
from itertools import accumulate
from typing import Any

import numpy as np
from django.conf import settings

from songs.build import core_grid, core_song, core_stem
from songs.models import Measurement, Song, Stem
from songs.rows import held
from upbeat.audio.pcm import open_prepared
from upbeat.errors import Refused, refuse
from upbeat.listening.follow import grid as rules
from upbeat.listening.follow.align import Beats, beat_tempo, listen
from upbeat.listening.follow.novelty import RATE, mono
from upbeat.listening.follow.result import LONGEST_S, checked_bpm, proposal
from upbeat.listening.follow.warp import along_grid
from upbeat.mix.stem_audio import StemAudio
from upbeat.mix.together import ends, lines, one_line, outline
from upbeat.song.stems import GUIDES, is_bass, is_drums, is_music, is_tonal
from upbeat.time.meter import counted
from upbeat.time.tempo import parse_bpm

STRIPS, STRIP_MS, STRIP_POINTS = 7, 120, 240
RETYPED = 0.03


def chosen_stems(song: Song, wanted: list[str] | None) -> list[Stem]:
    """The stems to listen to: those asked for, else the drums, else what else is rhythm, else all that plays."""
    stems = [s for s in held(song).recorded if s.audio.measured.get("integrated_lufs") is not None]
    if wanted:
        kept = [s for s in stems if str(s.pk) in wanted]
        if kept:
            return kept
    music = [s for s in stems if is_music(s)]
    rhythm = [s for s in music if s.group == "rhythm"]
    drums = [s for s in rhythm if is_drums(s)]
    return drums[:2] or rhythm or music or stems


def measurement_key(song: Song, stems: list[Stem]) -> str:
    """What a measurement depends on. The grid itself is not part of it."""
    _, meter, _ = beat_tempo(core_grid(song))
    parts: list[Any] = [
        sorted([str(s.audio_id), s.delay_ms, s.start_s, s.end_s or 0] for s in stems),
        str(meter),
        list(meter.grouping),
        str(song.pickup),
    ]
    if len(song.meters) > 1:
        # Held against its own bars: how they follow one another matters; where the first lies does not.
        parts += [song.meters, song.tempo, sum(s.bars for s in held(song).sections)]
    return hashlib.sha256(json.dumps(parts).encode()).hexdigest()


def measure(row: Measurement) -> None:
    """Listen to the stems of a measurement and keep what was heard. Raises :class:`Refused`."""
    song = row.song
    stems = [s for s in held(song).recorded if str(s.pk) in row.stems]
    if not stems:
        raise refuse("stems-gone", "The stems that were to be listened to are no longer there: choose others.")
    bpm, meter, beat = beat_tempo(core_grid(song))
    row.result = {"typed": bpm}
    line = summed(stems)
    stretch = 1.0
    if len(song.meters) > 1:
        found, stretch = _along(song, line, bpm)
    else:
        pickup = round(Fraction(str(song.pickup)) / beat)
        found = listen(
            line,
            checked_bpm(round(bpm, 6)),
            meter,
            max(0, pickup),
            row.tell,
            _chords(song, line),
        )
    if not len(found.beats):
        raise refuse(
            "align-nothing", "There is too little music in these stems to measure: choose one that plays the beat."
        )
    row.result = {
        "typed": bpm,
        "beats": np.round(found.beats, 6).tolist(),
        "sure": np.round(found.sure, 3).tolist(),
        "heard": [None if np.isnan(h) else round(float(h), 6) for h in found.heard],
        "bar1": found.bar1,
        "per_bar": found.per_bar,
        "bpm": found.bpm,
        "steady": found.steady,
        "confidence": found.confidence,
        "bar_sure": found.bar_sure,
        "typed_factor": found.typed_factor,
        "drift_ms_per_min": found.drift_ms_per_min,
        "steps": [list(s) for s in found.steps],
        "unnamed": found.unnamed,
        "spread_ms": found.spread_ms,
        "metre_beats": found.metre_beats,
        "onsets": np.round(found.onsets, 5).tolist(),
        "stretch": stretch,
    }


def outdated(song: Song, row: Measurement) -> bool:
    """Whether a tempo was typed since that neither is what was heard nor what was listened for."""
    if row.state == Measurement.State.WORKING:
        return False
    typed = beat_tempo(core_grid(song))[0]
    known = [row.result[k] for k in ("typed", "bpm") if k in row.result]
    return bool(known) and not any(abs(typed / bpm - 1) < RETYPED for bpm in known)


def _chords(song: Song, line: np.ndarray) -> np.ndarray | None:
    """The stems that play chords, as long as ``line``: drums alone do not tell where bars begin."""
    tonal = [s for s in held(song).recorded if is_tonal(s) or (s.group == "rhythm" and is_bass(s))]
    mixed = [s for s in held(song).recorded if s.purpose == "full_mix"]
    stems = [s for s in tonal if is_music(s)] or mixed
    if not stems:
        return None
    chords = summed(stems)
    return np.pad(chords, (0, max(0, len(line) - len(chords))))[: len(line)]


def _along(song: Song, line: np.ndarray, bpm: float) -> tuple[Beats, float]:
    """A song whose metre changes is held against its own grid: no single count of beats would do."""
    core = core_song(song)
    beats, opens = [], []
    for bar in range(1, core.total_bars + 1):
        start = core.grid.meters.bar_start(bar)
        for i, at in enumerate(counted(core.grid.meters.at_bar(bar)).felt_beats):
            beats.append(float(core.grid.seconds(start + at)))
            opens.append(i == 0)
    inside = [i for i, s in enumerate(beats) if s < len(line) / RATE - 0.2]
    if len(inside) < 8:
        raise refuse(
            "align-nothing", "There is too little music in these stems to measure: choose one that plays the beat."
        )
    return along_grid(line, np.array(beats)[inside], np.array(opens)[inside], bpm)


def opened(stems: list[Stem]) -> list[StemAudio]:
    """The stems as the renderer reads them: shifted, trimmed and faded as they are set."""
    rate = settings.SAMPLE_RATE
    return [StemAudio.of(core_stem(s), open_prepared(s.audio.prepared, rate), rate) for s in stems]


def summed(stems: list[Stem]) -> np.ndarray:
    """Stems added up as one line at 22050 Hz."""
    sound = opened(stems)
    seconds = ends(sound) / settings.SAMPLE_RATE
    if seconds > LONGEST_S:
        raise refuse(
            "align-too-long",
            f"These stems are {seconds / 3600:.1f} hours long: tempo is measured in songs of up to {LONGEST_S / 60:.0f} minutes.",
        )
    return mono(lines(sound), settings.SAMPLE_RATE)


def beats_of(row: Measurement) -> Beats:
    """A kept measurement as the core's."""
    t = row.result
    heard = np.array([np.nan if h is None else h for h in t["heard"]])
    return Beats(
        beats=np.array(t["beats"]),
        sure=np.array(t["sure"]),
        bar1=t["bar1"],
        per_bar=t["per_bar"],
        bpm=t["bpm"],
        offset_s=t["beats"][t["bar1"]],
        spread_ms=t["spread_ms"],
        steady=t["steady"],
        confidence=t["confidence"],
        bar_sure=t["bar_sure"],
        typed_factor=t["typed_factor"],
        drift_ms_per_min=t["drift_ms_per_min"],
        steps=tuple((int(i), float(b)) for i, b in t["steps"]),
        unnamed=t["unnamed"],
        heard=heard,
        metre_beats=t["metre_beats"],
    )


def grid_lines(song: Song) -> list[float]:
    """The click's bar lines in seconds, the one that closes the last bar included."""
    core = core_song(song)
    return [float(core.grid.bar_seconds(b)) for b in range(1, core.total_bars + 2)]


def shown_grid(song: Song, row: Measurement | None) -> dict[str, Any]:
    """Everything the grid page draws; where the song's tempo is broken, the sentence that says so."""
    nothing: dict[str, Any] = {
        "state": "none",
        "progress": 0.0,
        "message": "",
        "stems": [],
        "bars": [],
        "strips": [],
        "pins": sorted(int(b) for b in song.pins),
        "heard_beats": 0,
        "tempo": song.tempo,
        "confidence": 0.0,
        "proposal": None,
    }
    try:
        bars = grid_lines(song)
    except Refused as refused:
        return {**nothing, "state": "refused", "message": str(refused)}
    found = beats_of(row) if row is not None and row.state == Measurement.State.DONE else None
    if row is not None:
        nothing.update(state=row.state, progress=row.progress, message=row.message, stems=row.stems)
    if row is None or found is None:
        return {**nothing, "bars": _unmeasured(bars)}
    typed, meter, _ = beat_tempo(core_grid(song))
    skipped = rules.bars_before(found, bars, typed, _music_starts(song))
    heard = rules.bars_heard(found, bars, typed, skipped)
    advice = rules.advise(found, bars, typed, skipped, meter)
    return {
        **nothing,
        "bars": [{"bar": i + 1, "seconds": round(bars[i], 6), **asdict(h)} for i, h in enumerate(heard)],
        "strips": [
            i + 1 for i in rules.worst_bars([h.off_ms for h in heard], STRIPS, max(1, len(bars) // (2 * STRIPS)))
        ],
        "heard_beats": int(np.isfinite(found.heard).sum()),
        "confidence": found.confidence,
        "proposal": {
            **asdict(advice),
            "typed": round(typed, 4),
            "heard": round(found.bpm, 4),
            "steady": found.steady,
            "unnamed": found.unnamed,
            "sentence": proposal(found, typed, found.bpm),
        },
    }


def _unmeasured(lines: Sequence[float]) -> list[dict[str, Any]]:
    """Bars whose beats nothing is known of yet; ``lines``: bar lines in seconds, the end included."""
    nothing = {"off_ms": None, "fit_ms": None, "sure": 0.0}
    return [{"bar": i + 1, "seconds": round(line, 6), **nothing} for i, line in enumerate(lines[:-1])]


def _music_starts(song: Song) -> float | None:
    """Where the first stem begins to sound, for a song whose bar 1 nobody has placed; None where it is placed."""
    if float(song.bar1_s) != 0:
        return None
    stems = [s for s in held(song).recorded if s.group not in GUIDES]
    music = [s for s in stems if s.audio.measured.get("sound_starts_s") is not None]
    return min((s.audio.measured["sound_starts_s"] + s.delay_ms / 1000 for s in music), default=0.0)


def taken(song: Song, row: Measurement, how: str, even: float) -> dict[str, Any]:
    """New ``tempo`` and ``bar1_s`` of a song by a measurement. Raises :class:`Refused`."""
    found, bars = beats_of(row), grid_lines(song)
    typed, _, beat = beat_tempo(core_grid(song))
    skipped = rules.bars_before(found, bars, typed, _music_starts(song))
    shifted = {"bar1_s": figure(float(song.bar1_s) + found.offset_s - bars[skipped])} if skipped < len(bars) else {}
    if how == "shift":
        return shifted
    if how not in ("both", "follow"):
        raise refuse("grid-way", f"“{how}” is not a way to set the grid.")
    if len(song.meters) > 1:
        if not found.steady:
            raise refuse(
                "grid-metres",
                "Players are followed in songs of one metre: take the changes of metre out first, or bring a tempo map from a MIDI file.",
            )
        return {"tempo": scaled(song.tempo, 1 / row.result["stretch"]), **shifted}
    unit = str(beat)
    if how == "both" or (found.steady and not song.pins):
        bpm, first = rules.one_tempo(found, skipped)
        return {"tempo": [{"bar": 1, "bpm": figure(bpm), "unit": unit}], "bar1_s": figure(first)}
    starts = list(accumulate((s.bars for s in held(song).sections), initial=0))[:-1]
    places = rules.followed(found, skipped, starts, even, {int(b) - 1: float(s) for b, s in song.pins.items()})
    tempo = [
        {"bar": bar, "bpm": figure(bpm), "unit": unit}
        for bar, bpm in rules.tempo_of_bars(places, [found.per_bar] * (len(places) - 1))
    ]
    return {"tempo": tempo, "bar1_s": figure(places[0])}


def scaled(tempo: list[dict[str, Any]], by: float) -> list[dict[str, Any]]:
    """Every tempo of a song, times ``by``. Raises :class:`Refused` where one cannot be played."""
    points = [{**t, "bpm": figure(float(parse_bpm(t["bpm"])) * by)} for t in tempo]
    for point in points:
        parse_bpm(point["bpm"])
    return points


def figure(value: float) -> str:
    """Seconds or beats a minute as they are kept: six decimals at most."""
    return f"{value:.6f}".rstrip("0").rstrip(".")


def strip(song: Song, stems: list[Stem], bar: int) -> dict[str, Any]:
    """Real sound around a bar line, ±120 ms: least and greatest of each point, -1 to 1."""
    core = core_song(song)
    if not 1 <= bar <= core.total_bars + 1:
        raise refuse("bar-unknown", f"The song has bars 1 to {core.total_bars}: choose one of them.")
    rate, reach = settings.SAMPLE_RATE, STRIP_MS / 1000
    line_s = float(core.grid.bar_seconds(bar))
    low, high = outline(one_line(opened(stems), round((line_s - reach) * rate), round(2 * reach * rate)), STRIP_POINTS)
    return {
        "bar": bar,
        "seconds": round(line_s, 6),
        "low": np.round(low, 3).tolist(),
        "high": np.round(high, 3).tolist(),
    }


def onset_near(row: Measurement, seconds: float, after: bool) -> float:
    """The next beginning after (or before) a moment, in seconds. Raises :class:`Refused` where there is none."""
    heard = row.result.get("onsets", [])
    later = [h for h in heard if h > seconds + 0.0005] if after else [h for h in heard if h < seconds - 0.0005]
    if not later:
        raise refuse("onset-none", "There is no further onset that way.")
    return later[0] if after else later[-1]
