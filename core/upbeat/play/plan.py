"""A show compiled for playing: every bar line and beat as a frame, worked out once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from functools import cached_property, partial
from itertools import accumulate
from math import lcm
from typing import Literal

import numpy as np

from upbeat.click.pattern import bar_clicks
from upbeat.cues.place import WordLengths
from upbeat.cues.wording import COUNTS, ENGLISH, Wording
from upbeat.errors import refuse
from upbeat.song.song import ClickSettings, CountIn, Ending, Form, FreeCue, Section, Song, Step
from upbeat.time.grid import TICKS
from upbeat.time.meter import TimeSignature, counted
from upbeat.time.tempo import to_frame

LinkKind = Literal["wait", "attacca", "after"]


@dataclass(frozen=True)
class Link:
    """What happens after an entry. ``seconds``: the silence of ``after``."""

    kind: LinkKind = "wait"
    seconds: float = 0.0


@dataclass(frozen=True)
class StepPlan:
    """A step with its bars (``first_bar`` counts from 1) and the frames of its stem audio.

    ``levels``: decibels that stems differ by in it; ``fades``: frames over which stems change to
    what they are in it, where it is not at once; ``cues``: free cues as (frame, text), in order.
    ``spoken``: what its call says; ``called``: whether there is one, ``lead`` bars before it.
    """

    section: str
    name: str
    spoken: str
    mark: str
    colour: int
    first_bar: int
    bars: int
    ending: Ending
    tacet: frozenset[str]
    src_start: int
    src_end: int
    levels: tuple[tuple[str, float], ...] = ()
    fades: tuple[tuple[str, int], ...] = ()
    cues: tuple[tuple[int, str], ...] = ()
    called: bool = True
    lead: int = 1


@dataclass(frozen=True)
class EntryPlan:
    """One song of the setlist in one form, in frames of the stems' own zero.

    ``bar_frames``: int64, bar lines 1 to n+1. ``click_frames`` and ``click_voices``: the click
    of every bar in order. ``count_frames``: the beats a musician counts, with ``count_first``
    giving each bar's first index (n+1 entries). ``lead``: frames of pickup before bar 1.
    ``half``: half the crossfade. ``audio_end``: where the last stem is over.
    """

    id: str
    song: Song
    title: str
    form: str
    steps: tuple[StepPlan, ...]
    bar_frames: np.ndarray
    click_frames: np.ndarray
    click_voices: np.ndarray
    count_frames: np.ndarray
    count_first: np.ndarray
    lead: int
    half: int
    ring: int
    audio_end: int
    count_in: CountIn
    calls: bool
    link: Link
    divisions: int = 1
    meters: tuple[str, ...] = ()
    groupings: tuple[tuple[int, ...], ...] = ()
    bpm: tuple[float, ...] = ()

    @cached_property
    def click_list(self) -> list[int]:
        """``click_frames`` for bisection, which is quicker on a list."""
        return list(map(int, self.click_frames))

    @cached_property
    def bar_list(self) -> list[int]:
        """``bar_frames`` for bisection."""
        return list(map(int, self.bar_frames))

    @property
    def bars(self) -> int:
        return len(self.bar_frames) - 1

    @cached_property
    def playable(self) -> tuple[int, ...]:
        """Indices of the steps that are not cut."""
        return tuple(i for i, s in enumerate(self.steps) if s.ending.kind != "cut")

    def bar_at(self, src: int) -> int:
        """The bar, counted from 1, that a frame lies in (0 and below in a pickup)."""
        return int(np.searchsorted(self.bar_frames, src, side="right"))

    def counts(self, first_bar: int, bars: int) -> np.ndarray:
        """Frames of the counted beats of some bars."""
        last = min(first_bar - 1 + bars, self.bars)
        return self.count_frames[self.count_first[first_bar - 1] : self.count_first[last]]


@dataclass(frozen=True)
class ShowPlan:
    """Everything the transport needs to know. ``counts``: the count words from one on, as they are spoken."""

    sample_rate: int
    entries: tuple[EntryPlan, ...]
    words: WordLengths = field(default_factory=dict)
    counts: tuple[str, ...] = COUNTS


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


def compile_entry(
    entry_id: str,
    song: Song,
    form: Form,
    link: Link,
    sample_rate: int,
    audio_frames: int = 0,
    wording: Wording = ENGLISH,
) -> EntryPlan:
    """Work out every frame of a song in one form. Raises :class:`Refused` for a form of nothing.

    ``audio_frames``: length of the longest stem; ``wording``: how the cue voice says names.
    """
    grid, bars = song.grid, song.total_bars
    signatures = [grid.meters.at_bar(b) for b in range(1, bars + 1)]
    clicking = _clicking(song)
    kinds = [(s, own) for s, (_, own) in zip(signatures, clicking, strict=True)]
    shapes = {kind: _shape(kind[0], song.click, kind[1]) for kind in set(kinds)}
    # Whole parts of a quarter note, fine enough for every beat and division: whole numbers are quick and exact.
    ticks = lcm(
        TICKS, *(o.denominator for shape in shapes.values() for o in (*(c for c, _ in shape.clicks), *shape.counts))
    )
    in_ticks = {kind: shape.in_ticks(ticks) for kind, shape in shapes.items()}
    bar_shapes = [shapes[kind] for kind in kinds]
    starts = grid.meters.bar_ticks(bars, ticks)
    frames = partial(grid.tempo.frames_at_ticks, per_quarter=ticks, sample_rate=sample_rate, offset_s=grid.bar1_s)
    bar_frames = checked_bars(song, np.array(frames(starts), dtype=np.int64))
    clicks = [
        start + offset for start, kind, (on, _) in zip(starts, kinds, clicking) if on for offset in in_ticks[kind][0]
    ]
    voices = [voice for shape, (on, _) in zip(bar_shapes, clicking, strict=True) if on for _, voice in shape.clicks]
    counts = [start + offset for start, kind in zip(starts, kinds) for offset in in_ticks[kind][1]]
    lead = int(bar_frames[0]) - grid.frame(-grid.pickup, sample_rate) if grid.pickup > 0 else 0
    check_form(song, form)
    places = {
        s.id: (s, first) for s, first in zip(song.sections, accumulate((s.bars for s in song.sections), initial=1))
    }
    count_frames = np.array(frames(counts), dtype=np.int64)
    count_first = np.cumsum([0, *(len(shape.counts) for shape in bar_shapes)], dtype=np.int64)
    cues = [
        (cue.bar, frame, wording.said(cue.text))
        for cue in song.cues
        for frame in _cue_frames(cue, count_frames, count_first)
    ]
    steps = tuple(
        _step(
            song,
            step,
            *places[step.section],
            bar_frames,
            count_frames[count_first[places[step.section][1] - 1] :],
            cues,
            wording,
        )
        for step in form.steps
    )
    return EntryPlan(
        id=entry_id,
        song=song,
        title=song.title,
        form=form.name,
        steps=steps,
        bar_frames=bar_frames,
        click_frames=np.array(frames(clicks), dtype=np.int64),
        click_voices=np.array(voices, dtype=np.int8),
        count_frames=count_frames,
        count_first=count_first,
        lead=lead,
        half=round(song.crossfade_ms * sample_rate / 2000),
        ring=round(song.ring_on_s * sample_rate),
        audio_end=max(audio_frames, int(bar_frames[-1])),
        count_in=song.count_in,
        calls=song.calls,
        link=link,
        divisions=song.click.divisions,
        meters=tuple(shape.meter for shape in bar_shapes),
        groupings=tuple(shape.grouping for shape in bar_shapes),
        bpm=tuple(grid.tempo.bpms_at_ticks(starts[:-1], ticks)),
    )


def count_in_beats(song: Song, bar: int, sample_rate: int) -> tuple[tuple[int, ...], tuple[int, ...], int]:
    """The count-in before ``bar`` as frames before it: clicks, counted beats of its last bar, length.

    Sticks give every other beat before the last bar, as drummers count in. Rule C3: metre and tempo are those of the bar that follows; every frame is rounded from the
    exact time, not from the beat before.
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


def _cue_frames(cue: FreeCue, count_frames: np.ndarray, count_first: np.ndarray) -> list[int]:
    """The frame of a free cue; none where its bar or its beat is not in the song (any more)."""
    if not 1 <= cue.bar < len(count_first):
        return []
    at = int(count_first[cue.bar - 1]) + cue.beat - 1
    return [int(count_frames[at])] if cue.beat >= 1 and at < count_first[cue.bar] else []


def _step(
    song: Song,
    step: Step,
    section: Section,
    first: int,
    bar_frames: np.ndarray,
    beats: np.ndarray,
    cues: Sequence[tuple[int, int, str]],
    wording: Wording,
) -> StepPlan:
    """``beats``: frames of the counted beats from the section's first on; ``cues``: (bar, frame, text) of the song."""
    own = frozenset(s.id for s in song.stems if step.section in s.tacet)
    start, end = int(bar_frames[first - 1]), int(bar_frames[first - 1 + section.bars])
    levels = tuple((s.id, s.levels[section.id]) for s in song.stems if s.levels.get(section.id))
    fades = tuple(
        (s.id, _frames_of_beats(s.fades[section.id], beats, start, end)) for s in song.stems if s.fades.get(section.id)
    )
    return StepPlan(
        section.id,
        section.name,
        spoken_for(section, step, wording),
        section.mark,
        section.colour,
        first,
        section.bars,
        step.ending,
        own | step.tacet,
        start,
        end,
        levels,
        fades,
        tuple(sorted((frame, text) for bar, frame, text in cues if first <= bar < first + section.bars)),
        section.called,
        section.lead or song.lead,
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
    """The bar lines of a song, if every bar is a frame long at least. Raises :class:`Refused`."""
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
