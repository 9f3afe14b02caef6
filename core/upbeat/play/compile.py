"""Compiling a song for playing: every bar line, click and counted beat as a frame."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import partial
from itertools import accumulate
from math import lcm

import numpy as np

from upbeat.click.pattern import bar_clicks
from upbeat.cues.wording import ENGLISH, Wording
from upbeat.errors import refuse
from upbeat.messages.kinds import Device
from upbeat.messages.score import Beats, Score, StepFrames, compile_score
from upbeat.messages.wire import TICKS as TICKS_OF_CLOCK
from upbeat.play.plan import EntryPlan, Link, StepPlan
from upbeat.play.tracks import Track
from upbeat.song.forms import Form, Step
from upbeat.song.guides import ClickSettings
from upbeat.song.song import Section, Song
from upbeat.time.grid import TICKS
from upbeat.time.meter import TimeSignature, counted
from upbeat.time.tempo import to_frame


@dataclass(frozen=True)
class _Shape:
    """What every bar of one time signature has: clicks and counted beats by quarter notes from its bar line."""

    meter: str
    grouping: tuple[int, ...]
    clicks: tuple[tuple[Fraction, int], ...]
    counts: tuple[Fraction, ...]

    def in_ticks(self, per_quarter: int) -> tuple[list[int], list[int]]:
        return [int(offset * per_quarter) for offset, _ in self.clicks], [
            int(offset * per_quarter) for offset in self.counts
        ]


def _shape(signature: TimeSignature, click: ClickSettings, own: int | None) -> _Shape:
    clicks = bar_clicks(signature, click.patterns, click.divisions, own)
    return _Shape(str(signature), counted(signature).grouping, clicks, counted(signature).felt_beats)


def _clicking(song: Song) -> list[tuple[bool, int | None]]:
    """For every bar, whether it clicks (rule C4), and the divisions of its section where it has its own."""
    click = song.click
    sections = [s for s in song.sections for _ in range(s.bars)]
    last = click.to_bar or len(sections)
    return [
        (click.from_bar <= bar <= last and s.id not in click.silent, click.parts.get(s.id))
        for bar, s in enumerate(sections, 1)
    ]


@dataclass(frozen=True, kw_only=True)
class _Bars:
    """Every bar of a song. ``lines``: int64 frames of bar lines 1 to n+1; the rest as in EntryPlan."""

    lines: np.ndarray
    click_frames: np.ndarray
    click_voices: np.ndarray
    count_frames: np.ndarray
    count_first: np.ndarray
    shapes: list[_Shape]
    bpm: tuple[float, ...]


def _compile_bars(song: Song, sample_rate: int) -> _Bars:
    grid, bars = song.grid, song.total_bars
    clicking = _clicking(song)
    kinds = [(grid.meters.at_bar(bar), own) for bar, (_, own) in enumerate(clicking, 1)]
    shapes = {kind: _shape(kind[0], song.click, kind[1]) for kind in set(kinds)}
    # Whole parts of a quarter note, fine enough for every beat and division: integers are quick and exact.
    offsets = (o for shape in shapes.values() for o in (*(c for c, _ in shape.clicks), *shape.counts))
    ticks = lcm(TICKS, *(o.denominator for o in offsets))
    in_ticks = {kind: shape.in_ticks(ticks) for kind, shape in shapes.items()}
    starts = grid.meters.bar_ticks(bars, ticks)
    frames = partial(grid.tempo.frames_at_ticks, per_quarter=ticks, sample_rate=sample_rate, offset_s=grid.bar1_s)
    sounding = [(start, kind) for start, kind, (on, _) in zip(starts, kinds, clicking, strict=False) if on]
    clicks = [start + offset for start, kind in sounding for offset in in_ticks[kind][0]]
    counts = [start + offset for start, kind in zip(starts, kinds, strict=False) for offset in in_ticks[kind][1]]
    return _Bars(
        lines=checked_bars(song, np.array(frames(starts), dtype=np.int64)),
        click_frames=np.array(frames(clicks), dtype=np.int64),
        click_voices=np.array([voice for _, kind in sounding for _, voice in shapes[kind].clicks], dtype=np.int8),
        count_frames=np.array(frames(counts), dtype=np.int64),
        count_first=np.cumsum([0, *(len(shapes[kind].counts) for kind in kinds)], dtype=np.int64),
        shapes=[shapes[kind] for kind in kinds],
        bpm=tuple(grid.tempo.bpms_at_ticks(starts[:-1], ticks)),
    )


def compile_entry(
    entry_id: str,
    song: Song,
    form: Form,
    link: Link,
    sample_rate: int,
    audio_frames: int = 0,
    wording: Wording = ENGLISH,
    devices: Sequence[Device] = (),
) -> EntryPlan:
    """A song in one form, in frames. Raises :class:`Refused` for a form of nothing.

    ``audio_frames``: length of the longest stem; ``wording``: how the cue voice says names;
    ``devices``: those that its messages go to.
    """
    bars = _compile_bars(song, sample_rate)
    check_form(song, form)
    firsts = accumulate((s.bars for s in song.sections), initial=1)
    places = {s.id: (s, first) for s, first in zip(song.sections, firsts, strict=False)}
    cues = _cues(song, Beats(bars.count_frames, bars.count_first), wording)
    first_line = int(bars.lines[0])
    steps = tuple(_step(song, step, *places[step.section], bars, cues, wording) for step in form.steps)
    return EntryPlan(
        id=entry_id,
        song=song,
        title=song.title,
        form=form.name,
        steps=steps,
        bar_frames=bars.lines,
        click_frames=bars.click_frames,
        click_voices=bars.click_voices,
        count_frames=bars.count_frames,
        count_first=bars.count_first,
        lead=first_line - song.grid.frame(-song.grid.pickup, sample_rate) if song.grid.pickup > 0 else 0,
        half=round(song.crossfade_ms * sample_rate / 2000),
        ring=round(song.ring_on_s * sample_rate),
        audio_end=max(audio_frames, int(bars.lines[-1])),
        count_in=song.count_in,
        calls=song.calls,
        link=link,
        divisions=song.click.divisions,
        meters=tuple(shape.meter for shape in bars.shapes),
        groupings=tuple(shape.grouping for shape in bars.shapes),
        bpm=bars.bpm,
        score=_score(song, steps, bars, devices, sample_rate),
        ticks=_ticks(song, sample_rate) if any(d.clock for d in devices) else Track([], ()),
    )


def _cues(song: Song, beats: Beats, wording: Wording) -> list[tuple[int, int, str]]:
    """Free cues: the bar, the frame that each is perceived at, and what is said."""
    placed = ((cue, beats.frame(cue.bar, cue.beat)) for cue in song.cues)
    return [(cue.bar, frame, wording.said(cue.text)) for cue, frame in placed if frame is not None]


def _score(song: Song, steps: Sequence[StepPlan], bars: _Bars, devices: Sequence[Device], sample_rate: int) -> Score:
    if not song.messages:
        return Score()
    firsts = accumulate((s.bars for s in song.sections), initial=1)
    return compile_score(
        song.title,
        song.messages,
        devices,
        [
            StepFrames(s.section, s.src_start, s.src_end, s.ending.times if s.ending.kind == "repeat" else 1)
            for s in steps
        ],
        [i for i, s in enumerate(steps) if s.ending.kind != "cut"],
        Beats(bars.count_frames, bars.count_first),
        {s.id: int(bars.lines[first - 1]) for s, first in zip(song.sections, firsts, strict=False)},
        sample_rate,
    )


def _ticks(song: Song, sample_rate: int) -> Track[int]:
    """The ticks of MIDI clock, each rounded from its exact time in the tempo map."""
    grid = song.grid
    count = grid.meters.bar_ticks(song.total_bars, TICKS_OF_CLOCK)[-1]
    frames = grid.tempo.frames_at_ticks(
        range(count), per_quarter=TICKS_OF_CLOCK, sample_rate=sample_rate, offset_s=grid.bar1_s
    )
    return Track(frames, range(count))


def count_in_beats(song: Song, bar: int, sample_rate: int) -> tuple[tuple[int, ...], tuple[int, ...], int]:
    """The count-in before ``bar`` as frames before it: clicks, counted beats of its last bar, length.

    Rule C3: metre and tempo are those of the bar that follows; every frame is rounded from the exact
    time, not from the beat before. With sticks, every other beat before the last bar.
    """
    signature = song.grid.meters.at_bar(bar)
    start = song.grid.meters.bar_start(bar)
    quarter_s = 60 / song.grid.tempo.bpm_at(start)
    bars = song.count_in.bars
    total = bars * signature.quarters
    clicks = tuple(
        to_frame((total - (b * signature.quarters + offset)) * quarter_s, sample_rate)
        for b in range(bars)
        for i, offset in enumerate(signature.felt_beats)
        if not song.count_in.sticks or b == bars - 1 or i % 2 == 0
    )
    aloud = (
        tuple(to_frame((signature.quarters - o) * quarter_s, sample_rate) for o in counted(signature).felt_beats)
        if bars
        else ()
    )
    return clicks, aloud, to_frame(total * quarter_s, sample_rate)


def _step(
    song: Song,
    step: Step,
    section: Section,
    first: int,
    bars: _Bars,
    cues: Sequence[tuple[int, int, str]],
    wording: Wording,
) -> StepPlan:
    """``first``: the section's first bar; ``cues``: (bar, frame, text) of the song."""
    own = frozenset(s.id for s in song.stems if step.section in s.tacet)
    begins, ends = step.bars_in(section.bars)
    first, past = first + begins - 1, first + ends
    start, end = int(bars.lines[first - 1]), int(bars.lines[past - 1])
    beats = bars.count_frames[bars.count_first[first - 1] :]
    fading = [(s.id, s.fades[section.id]) for s in song.stems if s.fades.get(section.id)]
    return StepPlan(
        section=section.id,
        name=section.name,
        spoken=spoken_for(section, step, wording),
        mark=section.mark,
        colour=section.colour,
        first_bar=first,
        bars=past - first,
        ending=step.ending,
        tacet=own | step.tacet,
        src_start=start,
        src_end=end,
        levels=tuple((s.id, s.levels[section.id]) for s in song.stems if s.levels.get(section.id)),
        fades=tuple((stem, _frames_of_beats(count, beats, start, end)) for stem, count in fading),
        treatments=tuple((s.id, s.treatment_in(section.id)) for s in song.stems if s.treated),
        cues=tuple(sorted((frame, text) for bar, frame, text in cues if first <= bar < past)),
        called=section.called,
        lead=section.lead or song.lead,
    )


def spoken_for(section: Section, step: Step, wording: Wording) -> str:
    """What the call of a step says: what was typed for the step or the section, else the name in the voice's language."""
    typed = step.cue or section.cue
    return wording.said(typed) if typed else wording.name(section.name)


def _frames_of_beats(count: int, beats: np.ndarray, start: int, end: int) -> int:
    """Frames of the first ``count`` counted beats from ``start``, within the section."""
    return (min(int(beats[count]), end) if count < len(beats) else end) - start


def check_bars(song: Song) -> None:
    """Raise :class:`Refused` where a bar of the song is too short to be played."""
    checked_bars(song, np.array(song.grid.bar_frames(song.total_bars, 8000)))


def checked_bars(song: Song, bar_frames: np.ndarray) -> np.ndarray:
    """The bar lines of a song, (bars + 1,) frames, if every bar is a frame long at least. Raises :class:`Refused`."""
    if np.any(np.diff(bar_frames) <= 0):
        raise refuse("bars-too-short", f"“{song.title}” has bars shorter than one frame: look at its tempo.")
    return bar_frames


def check_form(song: Song, form: Form) -> None:
    """Raise :class:`Refused` for a form of nothing, or of sections that are not there."""
    known = {s.id for s in song.sections}
    for step in form.steps:
        if step.section not in known:
            song.section(step.section)
    if all(s.ending.kind == "cut" for s in form.steps):
        raise refuse(
            "form-empty", f"The form “{form.name}” of “{song.title}” has nothing left to play: put a section back."
        )
