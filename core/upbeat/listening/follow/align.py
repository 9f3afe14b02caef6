"""Where a recording lies under a click: tempo, first beat, drift, and the bars of one that breathes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from fractions import Fraction

import numpy as np

from upbeat.errors import Problem
from upbeat.listening.follow.bars import bar_phase, chord_changes, harmony, metre_doubt, span_of_music
from upbeat.listening.follow.fit import Line, Moments, bends, moments_near, onsets, pieces, smooth, straight
from upbeat.listening.follow.novelty import Novelty, beginning, novelty, stands_out
from upbeat.listening.follow.octave import octave
from upbeat.listening.follow.track import Track, track_beats
from upbeat.time.grid import Grid
from upbeat.time.meter import TimeSignature, counted

FEWEST = 8
ROUGHLY_S = 0.05
STEADY_S = 0.012  # what single notes leave a line by is not a change of tempo
Progress = Callable[[float], None]


@dataclass(frozen=True, kw_only=True)
class Beats:
    """What was heard. ``beats``: seconds, the pickup's first; ``bar1``: index of bar 1 beat 1.

    ``sure``: of each beat, 0 to 1; ``confidence`` of the whole. ``steady``: one tempo fits.
    ``typed_factor``: 2 where twice the typed tempo is played. ``steps``: (beat index, bpm) where it is
    one of a few tempos. ``unnamed``: beats of music before the first bar line that no pickup claims.
    ``heard``: the moment something begins near each beat, NaN where nothing does. ``metre_beats``: set
    where chords change by another count of beats than the metre has. ``onsets``: all that begins, in seconds.
    """

    beats: np.ndarray
    sure: np.ndarray
    bar1: int
    per_bar: int
    bpm: float
    offset_s: float
    spread_ms: float
    steady: bool
    confidence: float
    bar_sure: float
    typed_factor: float
    drift_ms_per_min: float
    steps: tuple[tuple[int, float], ...] = ()
    unnamed: int = 0
    heard: np.ndarray = field(default_factory=lambda: np.zeros(0))
    metre_beats: int | None = None
    onsets: np.ndarray = field(default_factory=lambda: np.zeros(0))
    problems: tuple[Problem, ...] = field(default=())

    @property
    def downbeats(self) -> np.ndarray:
        return self.beats[self.bar1 :: self.per_bar]


def beats_per_bar(meter: TimeSignature) -> int:
    """Beats as ``align`` counts them: dotted quarters in 6/8, 9/8 and 12/8, else the denominator's units."""
    compound = (
        meter.denominator == 8
        and meter.numerator in (6, 9, 12)
        and len(counted(meter).felt_beats) == meter.numerator // 3
    )
    return meter.numerator // 3 if compound else meter.numerator


def beat_tempo(grid: Grid) -> tuple[float, TimeSignature, Fraction]:
    """Tempo at bar 1 in beats of :func:`beats_per_bar`, the metre there, and such a beat in quarter notes."""
    meter = counted(grid.meters.at_bar(1))
    beat = meter.quarters / beats_per_bar(meter)
    return float(grid.tempo.points[0].quarter_bpm / beat), meter, beat


def listen(
    line: np.ndarray,
    bpm: float,
    meter: TimeSignature,
    pickup: int = 0,
    progress: Progress | None = None,
    chords: np.ndarray | None = None,
) -> Beats:
    """Find the beats of a line (frames,) at 22050 Hz, of about ``bpm`` in beats of :func:`beats_per_bar`.

    ``chords``: another line of the same length to hear the harmony in, where ``line`` is drums alone.
    """
    tell = progress or (lambda part: None)
    heard = novelty(line)
    tell(0.4)
    begins = beginning(heard.coarse)
    track = track_beats(begins, bpm)
    factor = octave(heard, begins, track, bpm)
    if factor != 1:
        track = track_beats(begins, bpm * factor)
    tell(0.7)
    pitch = harmony(line if chords is None else chords)
    tell(0.85)
    return _placed(heard, begins, pitch, track, bpm, factor, beats_per_bar(meter), pickup)


def _placed(
    heard: Novelty,
    begins: np.ndarray,
    pitch: np.ndarray,
    track: Track,
    bpm: float,
    factor: float,
    per_bar: int,
    pickup: int,
) -> Beats:
    span = span_of_music(heard, pitch, track.beats, track.strength) if len(track.beats) >= FEWEST else None
    if span is None or span.last - span.first + 1 < FEWEST:
        return _nothing(bpm, per_bar)
    rough = track.beats[span.first : span.last + 1]
    k = np.arange(len(rough), dtype=float)
    m = moments_near(heard.whole, rough)
    line = straight(k, m)
    if bends(k, m, line) < ROUGHLY_S:
        # Near a line the moments can be looked for where the line says.
        m = moments_near(heard.whole, line.at(k))
        line = straight(k, m)
    steady = bends(k, m, line) < STEADY_S
    steps: tuple[tuple[int, float], ...] = ()
    if steady:
        # Counted out from the line: a beat that was missed or heard twice does not matter.
        before = round((float(line.at(0)) - span.start_s) / line.period)
        after = round((rough[-1] - float(line.at(0))) / line.period)
        times = line.at(np.arange(-before, after + 1))
    else:
        times, steps = _breathing(heard, rough, m, span.start_s)
    if len(times) < FEWEST:
        return _nothing(bpm, per_bar)
    phase, bar_sure = bar_phase(heard, pitch, times, per_bar, pickup)
    step, missing = float(times[1] - times[0]), pickup - phase
    if missing > 0 and times[0] - missing * step > -0.05:
        # A pickup that was named and is too soft to be detected is counted back.
        times, steps = _counted_back(times, steps, missing, step)
        phase = pickup
    # Beats before the first bar line that nobody named are not bar 1.
    cut = (phase if phase >= pickup else phase + per_bar) - pickup
    return _described(
        heard,
        begins,
        times[cut:],
        tuple((max(0, at - cut), tempo) for at, tempo in steps),
        line if steady else None,
        (bpm, factor, per_bar, pickup, bar_sure),
        cut,
        metre_doubt(chord_changes(pitch, times), per_bar),
    )


def _breathing(
    heard: Novelty, rough: np.ndarray, m: Moments, start_s: float
) -> tuple[np.ndarray, tuple[tuple[int, float], ...]]:
    """Times of a recording with more than one tempo, counted back to ``start_s``, and its tempi by beat."""
    times, steps = _pieces(heard, rough, m)
    first = 60 / steps[0][1] if steps else float(np.median(np.diff(times[:9])))
    before = max(0, round((times[0] - start_s) / first))
    return _counted_back(times, steps, before, first)


def _counted_back(
    times: np.ndarray, steps: tuple[tuple[int, float], ...], beats: int, period: float
) -> tuple[np.ndarray, tuple[tuple[int, float], ...]]:
    """Times with ``beats`` more of ``period`` seconds before them, and the tempi by their new beats."""
    more = times[0] - period * np.arange(beats, 0, -1)
    return np.concatenate((more, times)), tuple((at + beats if at else 0, tempo) for at, tempo in steps)


def _pieces(heard: Novelty, rough: np.ndarray, m: Moments) -> tuple[np.ndarray, tuple[tuple[int, float], ...]]:
    """Times of a recording with more than one tempo: straight pieces if a few fit as well as a curve."""
    curve = smooth(m, rough)
    found = pieces(m)
    if found and len(found) > 1:
        times = np.concatenate([p.at(np.arange(a, b)) for a, b, p in found])
        heard_there = m.weight > 0.05
        off, off_curve = (np.quantile(np.abs(m.seconds - t)[heard_there], 0.9) for t in (times, curve))
        if off <= max(0.012, 1.5 * off_curve):
            return times, tuple((a, 60 / p.period) for a, _, p in found)
    again = moments_near(heard.whole, curve)
    return smooth(again, curve), ()


def _described(
    heard: Novelty,
    begins: np.ndarray,
    times: np.ndarray,
    steps: tuple[tuple[int, float], ...],
    line: Line | None,
    asked: tuple[float, float, int, int, float],
    cut: int,
    other: int | None,
) -> Beats:
    """Put together what was found: bar 1, tempo, drift, and how sure all of it is."""
    bpm, factor, per_bar, pickup, bar_sure = asked
    period = line.period if line else float(times[-1] - times[0]) / (len(times) - 1)
    drift = (period * bpm * factor / 60 - 1) * 60_000
    m = moments_near(heard.whole, times)
    off = np.abs(m.seconds - times)
    audible = m.weight > 0.05
    spread = line.spread if line else 1.4826 * float(np.median(off[audible])) if audible.any() else 0.05
    changes = np.abs(np.diff(times, 2)) / period
    calm = float(np.exp(-np.median(changes) / 0.03)) if len(changes) else 1.0
    confidence = stands_out(begins, times, heard.seconds) * calm * float(np.exp(-spread / 0.03))
    # On a steady grid a beat is as sure as the grid, heard or not; one that breathes is sure where it is heard.
    sure = confidence * (np.ones(len(times)) if line else 0.4 + 0.6 * m.weight * np.exp(-((off / 0.02) ** 2)))
    return Beats(
        beats=times,
        sure=sure,
        bar1=pickup,
        per_bar=per_bar,
        bpm=60 / period,
        offset_s=float(times[pickup]),
        spread_ms=spread * 1000,
        steady=line is not None,
        confidence=round(confidence, 3),
        bar_sure=round(bar_sure, 3),
        typed_factor=factor,
        drift_ms_per_min=drift,
        steps=steps,
        unnamed=cut,
        heard=np.where(audible, m.seconds, np.nan),
        metre_beats=other,
        onsets=onsets(heard.whole),
    )


def _nothing(bpm: float, per_bar: int) -> Beats:
    why = Problem(
        "align-too-little", "There is too little music to hear in it: measure a recording of at least some bars."
    )
    return Beats(
        beats=np.zeros(0),
        sure=np.zeros(0),
        bar1=0,
        per_bar=per_bar,
        bpm=bpm,
        offset_s=0.0,
        spread_ms=0.0,
        steady=True,
        confidence=0.0,
        bar_sure=0.0,
        typed_factor=1.0,
        drift_ms_per_min=0.0,
        problems=(why,),
    )
