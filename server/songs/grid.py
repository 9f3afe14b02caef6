"""A song's grid beside what its stems play: measured in the worker, shown and taken here."""

from __future__ import annotations

import hashlib
import json
from fractions import Fraction
from typing import Any

import numpy as np
from django.conf import settings

from songs.build import core_song
from songs.models import Measurement, Song, Stem
from upbeat.audio.pcm import open_prepared
from upbeat.errors import Refused, refuse
from upbeat.follow.align import Beats, beats_per_bar, listen
from upbeat.follow.fit import Moments, straight
from upbeat.follow.grid import evened, off_by, pinned, tempo_of_bars, worst_bars
from upbeat.follow.novelty import RATE, mono
from upbeat.follow.result import UNSURE, checked_bpm, proposal
from upbeat.follow.warp import along_grid
from upbeat.time.meter import TimeSignature, counted

STRIPS, STRIP_MS, STRIP_POINTS = 7, 120, 240
DRIFT_MS, AS_GOOD_MS = 5.0, 1.5
RETYPED = 0.03
LONGEST_S = 1800
_BLOCK = 1 << 18


def chosen_stems(song: Song, wanted: list[str] | None) -> list[Stem]:
    """The stems to listen to: those asked for, else the drums, else what else is rhythm, else all that plays."""
    stems = [s for s in song.stems.all() if s.audio.measured.get("integrated_lufs") is not None]
    if wanted:
        kept = [s for s in stems if str(s.pk) in wanted]
        if kept:
            return kept
    music = [s for s in stems if s.purpose not in ("full_mix", "pad") and s.group not in ("click", "cues")]
    rhythm = [s for s in music if s.group == "rhythm"]
    drums = [s for s in rhythm if any(w in s.name.casefold() for w in ("drum", "kit", "beat", "kick", "perc"))]
    return drums[:2] or rhythm or music or stems


def felt(song: Song) -> tuple[float, TimeSignature, Fraction]:
    """Tempo in the first metre's felt beats, that metre, and the length of such a beat in quarters."""
    raw = song.meters[0]
    meter = counted(TimeSignature.parse(raw["meter"], raw.get("grouping")))
    beat = meter.quarters / beats_per_bar(meter)
    quarter_bpm = Fraction(str(song.tempo[0]["bpm"]).replace(",", ".")) * Fraction(str(song.tempo[0].get("unit", 1)))
    return float(quarter_bpm / beat), meter, beat


def measurement_key(song: Song, stems: list[Stem]) -> str:
    """What a measurement depends on. The grid itself is not part of it."""
    _, meter, _ = felt(song)
    told: list[Any] = [sorted([str(s.audio_id), s.delay_ms] for s in stems), str(meter), list(meter.grouping), str(song.pickup)]
    if len(song.meters) > 1:
        # Held against its own bars: how they follow one another matters; where the first lies does not.
        told += [song.meters, song.tempo, sum(s.bars for s in song.sections.all())]
    return hashlib.sha256(json.dumps(told).encode()).hexdigest()


def measure(row: Measurement) -> None:
    """Listen to the stems of a measurement and keep what was heard. Raises :class:`Refused`."""
    song = row.song
    stems = list(song.stems.filter(pk__in=row.stems).select_related("audio"))
    if not stems:
        raise refuse("stems-gone", "The stems that were to be listened to are no longer there: choose others.")
    bpm, meter, beat = felt(song)
    row.told = {"typed": bpm}
    line = summed(stems)
    stretch = 1.0
    if len(song.meters) > 1:
        found, stretch = _along(song, line, bpm)
    else:
        pickup = round(Fraction(str(song.pickup)) / beat)
        found = listen(line, checked_bpm(round(bpm, 6)), meter, max(0, pickup), lambda part: _progress(row, part), _chords(song, line))
    if not len(found.beats):
        raise refuse("align-nothing", "There is too little music in these stems to measure: choose one that plays the beat.")
    row.told = {
        "typed": bpm, "beats": np.round(found.beats, 6).tolist(), "sure": np.round(found.sure, 3).tolist(),
        "heard": [None if np.isnan(h) else round(float(h), 6) for h in found.heard], "bar1": found.bar1, "per_bar": found.per_bar, "bpm": found.bpm,
        "steady": found.steady, "confidence": found.confidence, "bar_sure": found.bar_sure, "typed_factor": found.typed_factor, "drift_ms_per_min": found.drift_ms_per_min,
        "steps": [list(s) for s in found.steps], "unnamed": found.unnamed, "spread_ms": found.spread_ms, "metre_beats": found.metre_beats,
        "onsets": np.round(found.onsets, 5).tolist(), "stretch": stretch,
    }  # fmt: skip


def outdated(song: Song, row: Measurement) -> bool:
    """Whether a tempo was typed since that neither is what was heard nor what was listened for."""
    if row.state == Measurement.State.WORKING:
        return False
    typed = felt(song)[0]
    known = [row.told[k] for k in ("typed", "bpm") if k in row.told]
    return bool(known) and not any(abs(typed / bpm - 1) < RETYPED for bpm in known)


def _chords(song: Song, line: np.ndarray) -> np.ndarray | None:
    """The stems that play chords, as long as ``line``: drums alone do not tell where bars begin."""
    tonal = [s for s in song.stems.all() if s.group in ("tonal", "voices") or (s.group == "rhythm" and "bass" in s.name.casefold())]
    mixed = [s for s in song.stems.all() if s.purpose == "full_mix"]
    stems = [s for s in tonal if s.purpose not in ("full_mix", "pad")] or mixed
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
        raise refuse("align-nothing", "There is too little music in these stems to measure: choose one that plays the beat.")
    return along_grid(line, np.array(beats)[inside], np.array(opens)[inside], bpm)


def _progress(row: Measurement, part: float) -> None:
    Measurement.objects.filter(pk=row.pk).update(progress=round(part, 2))


def summed(stems: list[Stem]) -> np.ndarray:
    """Stems added up as one line at 22050 Hz, each where its delay puts it."""
    rate = settings.SAMPLE_RATE
    longest = max(s.audio.frames for s in stems)
    if longest > LONGEST_S * rate:
        raise refuse("align-too-long", f"These stems are {longest / rate / 3600:.1f} hours long: tempo is measured in songs of up to {LONGEST_S // 60} minutes.")
    total = np.zeros(0, dtype=np.float32)
    for stem in stems:
        pcm = open_prepared(stem.audio.prepared, rate)
        scale = np.float32(10 ** (stem.gain_db / 20) / (32768 if pcm.dtype == np.int16 else 1))
        blocks = (np.asarray(pcm[i : i + _BLOCK], dtype=np.float32) * scale for i in range(0, len(pcm), _BLOCK))
        line = mono(blocks, rate)
        late = round(stem.delay_ms / 1000 * RATE)
        line = np.pad(line, (late, 0)) if late > 0 else line[-late:]
        longer = max(len(total), len(line))
        total = np.pad(total, (0, longer - len(total))) + np.pad(line, (0, longer - len(line)))
    return total


def beats_of(row: Measurement) -> Beats:
    """A kept measurement as the core's."""
    t = row.told
    heard = np.array([np.nan if h is None else h for h in t["heard"]])
    return Beats(
        np.array(t["beats"]), np.array(t["sure"]), t["bar1"], t["per_bar"], t["bpm"], t["beats"][t["bar1"]], t["spread_ms"], t["steady"], t["confidence"], t["bar_sure"],
        t["typed_factor"], t["drift_ms_per_min"], tuple((int(i), float(b)) for i, b in t["steps"]), t["unnamed"], heard, t["metre_beats"],
    )  # fmt: skip


def grid_lines(song: Song, count: int) -> list[float]:
    """The click's bar lines in seconds, the one that closes the last bar included."""
    grid = core_song(song).grid
    return [float(grid.bar_seconds(b)) for b in range(1, count + 2)]


def shown_grid(song: Song, row: Measurement | None) -> dict[str, Any]:
    """Everything the grid page draws. Raises :class:`Refused` where the song's tempo is broken."""
    bars = grid_lines(song, core_song(song).total_bars)
    shown: dict[str, Any] = {
        "state": "none", "progress": 0.0, "message": "", "stems": [], "bars": [], "strips": [], "pins": sorted(int(b) for b in song.pins), "heard_beats": 0, "confidence": 0.0,
        "bpm": None, "proposal": None,
    }  # fmt: skip
    if row is None:
        shown["bars"] = [_bar(i, b, None, None, 0.0) for i, b in enumerate(bars[:-1])]
        return shown
    shown.update(state=row.state, progress=row.progress, message=row.message, stems=[str(s) for s in row.stems])
    if row.state != Measurement.State.DONE:
        shown["bars"] = [_bar(i, b, None, None, 0.0) for i, b in enumerate(bars[:-1])]
        return shown
    found = beats_of(row)
    skipped = bars_before(song, found, bars)
    lines = [None] * skipped + [float(x) for x in found.downbeats]
    heard: list[float | None] = [None] * skipped + [None if np.isnan(h) else float(h) for h in found.heard[found.bar1 :: found.per_bar]]
    fits = found.typed_factor == 1 or abs(_now(song) / found.bpm - 1) < 0.2
    off = off_by(bars[:-1], heard) if fits else [None] * (len(bars) - 1)
    fit_off = [None if x is None or h is None else round((h - x) * 1000, 2) for x, h in zip(lines, heard, strict=False)]
    sure = [0.0] * skipped + found.sure[found.bar1 :: found.per_bar].tolist()
    shown["bars"] = [
        _bar(i, b, off[i] if i < len(off) else None, fit_off[i] if i < len(fit_off) else None, float(sure[i]) if i < len(sure) else 0.0) for i, b in enumerate(bars[:-1])
    ]
    worst = worst_bars(off, STRIPS, max(1, len(bars) // (2 * STRIPS)))
    shown["strips"] = [i + 1 for i in worst]
    shown.update(heard_beats=int(np.isfinite(found.heard).sum()), confidence=found.confidence, bpm=round(found.bpm, 4), proposal=proposed(song, found, bars))
    return shown


def bars_before(song: Song, found: Beats, bars: list[float]) -> int:
    """How many bars of the grid come before the first that was heard.

    Where bar 1 has been placed, what was heard is counted from the nearest bar line: drums may well
    enter at bar 9. Where it has not, the first bar that is heard is bar 1.
    """
    if float(song.bar1_s) == 0 or not len(found.downbeats):
        return 0
    nearest = int(np.argmin(np.abs(np.array(bars[:-1]) - float(found.downbeats[0]))))
    return nearest if float(found.downbeats[0]) > bars[0] else 0


def _now(song: Song) -> float:
    return felt(song)[0]


def _bar(index: int, seconds: float, off: float | None, fit: float | None, sure: float) -> dict[str, Any]:
    return {"bar": index + 1, "seconds": round(seconds, 6), "off_ms": off, "fit_ms": fit, "sure": round(sure, 2)}


def proposed(song: Song, found: Beats, bars: list[float]) -> dict[str, Any]:
    """What to do about the grid, in words, and what can be taken with one press."""
    typed = _now(song)
    lines = found.downbeats
    # Told against the tempo that the song has now, which may not be the one it was measured with.
    factor = 1.0 if abs(typed / found.bpm - 1) < 0.2 else round(found.bpm / typed, 1)
    skipped = bars_before(song, found, bars) if factor == 1 else 0
    under = np.array(bars[skipped:-1])
    count = min(len(lines), len(under))
    first = (float(lines[0]) - float(under[0])) * 1000 if count else 0.0
    last = (float(lines[count - 1]) - float(under[count - 1])) * 1000 if count else first
    heard = found.heard[found.bar1 :: found.per_bar][:count]
    after, now = (float(np.nanmax(np.abs(heard - x[:count]), initial=0)) * 1000 for x in (lines, under))
    ways: list[str] = []
    unsure = found.confidence < UNSURE
    if not unsure and (factor != 1 or now > after + AS_GOOD_MS):
        if not found.steady:
            ways.append("follow")
        elif factor != 1 or abs(last - first) >= DRIFT_MS:
            ways.append("both")
        if abs(first) >= 1 and factor == 1:
            ways.append("shift")
    return {
        "first_ms": round(first, 1), "last_ms": round(last, 1),
        "first_bar": skipped + 1, "last_bar": skipped + count, "worst_after_ms": round(after if ways else now, 1),
        "typed": round(typed, 4), "heard": round(found.bpm, 4), "factor": factor, "steady": found.steady, "unsure": unsure, "unnamed": found.unnamed,
        "bar_sure": found.bar_sure, "metre_beats": found.metre_beats, "offset_s": round(found.offset_s, 6), "ways": ways, "sentence": proposal(found, typed, found.bpm),
        "doubtful": [b + skipped for b in doubtful(found)],
    }  # fmt: skip


def doubtful(found: Beats) -> list[int]:
    """Bars (from 1) of which nothing was heard: they were bridged and are to be looked at."""
    silent = np.isnan(found.heard[found.bar1 :])
    return [i // found.per_bar + 1 for i in range(0, len(silent) - found.per_bar + 1, found.per_bar) if silent[i : i + found.per_bar].all()]


def taken(song: Song, found: Beats, how: str, even: float, stretch: float = 1.0) -> dict[str, Any]:
    """New ``tempo`` and ``bar1_s`` of a song by a measurement. Raises :class:`Refused`."""
    _, _, beat = felt(song)
    unit = str(beat)
    bars = grid_lines(song, core_song(song).total_bars)
    skipped = bars_before(song, found, bars) if abs(_now(song) / found.bpm - 1) < 0.2 else 0
    if how == "shift":
        return {"bar1_s": _seconds(float(song.bar1_s) + found.offset_s - bars[skipped])}
    if len(song.meters) > 1 and how in ("both", "follow"):
        if not found.steady:
            raise refuse("grid-metres", "Players are followed in songs of one metre: take the changes of metre out first, or bring a tempo map from a MIDI file.")
        tempo = [{**t, "bpm": _figure(float(Fraction(str(t["bpm"]).replace(",", "."))) / stretch)} for t in song.tempo]
        return {"tempo": tempo, "bar1_s": _seconds(float(song.bar1_s) + found.offset_s - bars[skipped])}
    if how == "both" or (how == "follow" and found.steady and not song.pins):
        # One tempo through a recording that breathes is the line that leaves its beats least.
        line = straight(np.arange(len(found.beats), dtype=float), Moments(found.beats, np.ones(len(found.beats))))
        bpm, first = (found.bpm, found.offset_s) if found.steady else (60 / line.period, float(line.at(found.bar1)))
        return {"tempo": [{"bar": 1, "bpm": _figure(bpm), "unit": unit}], "bar1_s": _seconds(first - skipped * found.per_bar * 60 / bpm)}
    if how != "follow":
        raise refuse("grid-way", f"“{how}” is not a way to set the grid.")
    lines = [float(s) for s in found.downbeats]
    if len(lines) < 3:
        raise refuse("grid-short", "There are too few bars to follow: measure a longer recording.")
    # The last bar is closed at the tempo of the one before; bars before the first go at its tempo.
    lines.append(2 * lines[-1] - lines[-2])
    lines = [lines[0] - (lines[1] - lines[0]) * n for n in range(skipped, 0, -1)] + lines
    starts, at = [], 0
    for section in song.sections.all():
        starts.append(at)
        at += section.bars
    lines = pinned(evened(lines, starts, even), {int(b) - 1: float(s) for b, s in song.pins.items()})
    tempo = [{"bar": bar, "bpm": _figure(bpm), "unit": unit} for bar, bpm in tempo_of_bars(lines, [found.per_bar] * (len(lines) - 1))]
    return {"tempo": tempo, "bar1_s": _seconds(lines[0])}


def _seconds(value: float) -> str:
    return f"{value:.6f}".rstrip("0").rstrip(".")


def _figure(bpm: float) -> str:
    return f"{bpm:.6f}".rstrip("0").rstrip(".")


def strip(song: Song, stems: list[Stem], bar: int) -> dict[str, Any]:
    """Real sound around a bar line, ±120 ms: peaks from -1 to 1, and the onsets in it in ms from the line."""
    core = core_song(song)
    if not 1 <= bar <= core.total_bars + 1:
        raise refuse("bar-unknown", f"The song has bars 1 to {core.total_bars}: choose one of them.")
    rate = settings.SAMPLE_RATE
    line_s = float(core.grid.bar_seconds(bar))
    reach = STRIP_MS / 1000
    first, frames = round((line_s - reach) * rate), round(2 * reach * rate)
    total = np.zeros(frames, dtype=np.float32)
    for stem in stems:
        pcm = open_prepared(stem.audio.prepared, rate)
        scale = np.float32(10 ** (stem.gain_db / 20) / (32768 if pcm.dtype == np.int16 else 1))
        start = first - round(stem.delay_ms * rate / 1000)
        a, b = max(0, start), min(len(pcm), start + frames)
        if a < b:
            total[a - start : b - start] += np.asarray(pcm[a:b], dtype=np.float32).mean(axis=1) * scale
    edges = np.linspace(0, frames, STRIP_POINTS + 1).astype(int)
    top = float(np.abs(total).max(initial=0)) or 1.0
    low = np.minimum.reduceat(total, edges[:-1]) / top
    high = np.maximum.reduceat(total, edges[:-1]) / top
    return {"bar": bar, "seconds": round(line_s, 6), "low": np.round(low, 3).tolist(), "high": np.round(high, 3).tolist()}


def onset_near(row: Measurement, seconds: float, after: bool) -> float:
    """The next beginning after (or before) a moment, in seconds. Raises :class:`Refused` where there is none."""
    heard = row.told.get("onsets", [])
    later = [h for h in heard if h > seconds + 0.0005] if after else [h for h in heard if h < seconds - 0.0005]
    if not later:
        raise refuse("onset-none", "There is no further onset that way.")
    return later[0] if after else later[-1]


def shown_or_problem(song: Song, row: Measurement | None) -> dict[str, Any]:
    try:
        return shown_grid(song, row)
    except Refused as refused:
        return {**shown_grid_empty(), "state": "refused", "message": str(refused)}


def shown_grid_empty() -> dict[str, Any]:
    return {"state": "none", "progress": 0.0, "message": "", "stems": [], "bars": [], "strips": [], "pins": [], "heard_beats": 0, "confidence": 0.0, "bpm": None, "proposal": None}
