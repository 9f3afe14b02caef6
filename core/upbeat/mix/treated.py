"""Treated stems: those with a tone or an echo go through them before the matrix (rule M8).

Their voices are summed into an input for each, crossfaded at seams and at their level as any stem; so an echo rings on over a
jump, and after a stem has gone out. What comes out goes to the feeds as the stem itself would. Gate and drive come before
that, where the stem is read (``driven``).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from copy import deepcopy
from dataclasses import dataclass, field
from functools import partial
from itertools import pairwise

import numpy as np

from upbeat.limits import ECHO_S
from upbeat.mix.matrix import Ramped
from upbeat.mix.processors.echo_line import EchoLine, Repeats
from upbeat.mix.processors.tone_filter import ToneFilter
from upbeat.mix.routing import gain
from upbeat.mix.sounding import whole_gain
from upbeat.mix.sources.stems import Change, under_way
from upbeat.mix.stem_audio import RAMP_S
from upbeat.play.advance import Span
from upbeat.play.hand import ECHO, SWEEPS, TONES, Hand
from upbeat.play.plan import EntryPlan, ShowPlan
from upbeat.song.tone import FLAT, Tone, swept, with_hand
from upbeat.song.treatment import PLAIN, Echo, Treatment


@dataclass
class _Line:
    """A treated stem: where it lies among the inputs of its entry, and what it goes through."""

    stem: str
    columns: slice
    tone: ToneFilter
    echo: EchoLine


@dataclass
class _Entry:
    """``left``: frames until nothing rings any more; ``step``: the one that was heard last, -1 before the first."""

    lines: list[_Line]
    left: int = 0
    step: int = -1
    returns: Ramped | None = None


@dataclass(frozen=True)
class SavedTreated:
    entries: dict[int, _Entry] = field(default_factory=dict)


class TreatedStems:
    """The treated stems of the entries that sound, or ring."""

    def __init__(self, plan: ShowPlan, columns: Sequence[Mapping[str, slice]]):
        """``columns``: of each entry the treated stems (by id), and where each lies among its inputs."""
        self._plan, self._columns = plan, columns
        self._ramp = round(RAMP_S * plan.sample_rate)
        self._entries: dict[int, _Entry] = {}
        self._echo_frames = [
            echo_frames(e, plan.sample_rate) if c else 0 for e, c in zip(plan.entries, columns, strict=True)
        ]
        self._tone_frames = ToneFilter(1, plan.sample_rate).memory_frames if any(columns) else 0

    @property
    def memory_frames(self) -> int:
        """How far back what sounds depends on what went in."""
        return self._tone_frames + max(self._echo_frames, default=0)

    def saved(self) -> SavedTreated:
        return SavedTreated(deepcopy(self._entries))

    def restore(self, saved: SavedTreated) -> None:
        self._entries = deepcopy(saved.entries)

    def with_rows(self, old: np.ndarray) -> None:
        """Go on with other rows (:meth:`Ramped.with_rows`)."""
        for entry in self._entries.values():
            if entry.returns is not None:
                entry.returns.with_rows(old)

    def go_on_from(self, before: TreatedStems, entries: Mapping[int, int], old: np.ndarray) -> None:
        """Go on where those of a show before are: its ``entries`` by their place in this one, with other rows."""
        saved = before.saved().entries
        self._entries = {now: saved[was] for was, now in entries.items() if was in saved}
        for was, now in entries.items():
            self._echo_frames[now] = before._echo_frames[was]
        self.with_rows(old)

    def inputs(self, span: Span) -> dict[int, np.ndarray]:
        """Silence, for each entry whose treated stems sound or ring, float32 (inputs, frames)."""
        for entry in sorted({s.entry for s in span.slices}):
            if self._columns[entry] and entry not in self._entries:
                self._entries[entry] = self._made(entry)
        frames = span.end - span.start
        return {e: np.zeros((_channels(self._columns[e]), frames), np.float32) for e in self._entries}

    def _made(self, entry: int) -> _Entry:
        rate, echo = self._plan.sample_rate, self._echo_frames[entry]
        return _Entry(
            [
                _Line(stem, own, ToneFilter(n := own.stop - own.start, rate), EchoLine(n, rate, echo))
                for stem, own in self._columns[entry].items()
            ]
        )

    def render(
        self,
        span: Span,
        inputs: Mapping[int, np.ndarray],
        out: np.ndarray,
        matrix: Callable[[int, Hand], np.ndarray],
        change: Change,
    ) -> None:
        """Add what becomes of the inputs to ``out``, float32 (rows, frames). ``matrix``: of an entry with a mix by hand, (rows, inputs)."""
        for e, block in inputs.items():
            entry, target = self._entries[e], matrix(e, span.hand)
            made = np.empty_like(block)
            for a, b in pairwise(self._cuts(span, e)):
                self._set(entry, e, span, a)
                for line in entry.lines:
                    through = line.tone.process(block[line.columns, a:b])
                    made[line.columns, a:b] = line.echo.process(through, span.start + a)
            if entry.returns is None:
                entry.returns = Ramped(target, [1] * len(block))
                for one in under_way(span.hand, span.start, partial(matrix, e)):
                    entry.returns.under_way(one)
            if target is not entry.returns.target:
                going = under_way(span.hand, span.start, partial(matrix, e))
                entry.returns.to(target, change.ramp, None, change.rows, going)
            if entry.returns.lanes:
                out += entry.returns.mix([made[list(lane.stems)] for lane in entry.returns.lanes], block.shape[1])
            else:
                entry.returns.skip(block.shape[1])
        self._forget(span)

    def _forget(self, span: Span) -> None:
        """Drop the entries of which nothing rings any more."""
        sounding = {s.entry for s in span.slices}
        memory = self.memory_frames
        for e in list(self._entries):
            entry = self._entries[e]
            entry.left = memory if e in sounding else entry.left - (span.end - span.start)
            if entry.left < 0:
                del self._entries[e]

    def _cuts(self, span: Span, e: int) -> list[int]:
        """Where a step or a bar of an entry begins in a span, from its beginning to its end."""
        lines, cuts = self._plan.entries[e].bar_frames, {0, span.end - span.start}
        for s in span.slices:
            if s.entry == e:
                first, last = np.searchsorted(lines, [s.src, s.src + s.frames])
                cuts |= {int(line) - s.src + s.out - span.start for line in lines[first:last]} | {s.out - span.start}
        return sorted(cuts)

    def _set(self, entry: _Entry, e: int, span: Span, at: int) -> None:
        """Have what an entry goes through at a frame of a span, which is the next to be processed."""
        frame, plan, hand = span.start + at, self._plan.entries[e], span.hand
        here = max(
            (s for s in span.slices if s.entry == e and s.out <= frame < s.out + s.frames),
            key=lambda s: s.run,
            default=None,
        )
        fresh = here is not None and here.step != entry.step
        first = entry.step < 0
        if here is not None:
            entry.step = here.step
        treatments = dict(plan.steps[max(0, entry.step)].treatments)
        for line in entry.lines:
            own = PLAIN if hand.tones_off else treatments.get(line.stem, PLAIN)
            tone = FLAT if hand.tones_off else tone_now(own, hand, line.stem)
            if first:
                line.tone = ToneFilter(line.columns.stop - line.columns.start, self._plan.sample_rate, tone)
            line.tone.to(tone, frame, at_once=fresh)
            repeats = (
                None
                if own.echo is None or here is None
                else repeats_at(plan, own.echo, here.src + frame - here.out, self._plan.sample_rate)
            )
            part = f"{ECHO}:stem:{line.stem}"
            send = 0.0 if own.echo is None else whole_gain(hand, part)
            ramp = next((m.frames for m in hand.moves if m.was.part == part and m.frame == frame), self._ramp)
            heard = 0.0 if hand.tones_off else 1.0
            line.echo.to(repeats, send=send, heard=heard, frame=frame, ramp=max(1, ramp))


def _channels(columns: Mapping[str, slice]) -> int:
    return max((c.stop for c in columns.values()), default=0)


def tone_now(treatment: Treatment, hand: Hand, stem: str) -> Tone:
    """The tone of a stem with what is set by hand."""
    low, mid, high, low_sweep, high_sweep = (hand.part(f"{k}:stem:{stem}").db or 0.0 for k in (*TONES, *SWEEPS))
    tone = treatment.tone or FLAT
    if not (low or mid or high or low_sweep or high_sweep):
        return tone
    return swept(with_hand(tone, low, mid, high), low_sweep, high_sweep)


def repeats_at(entry: EntryPlan, echo: Echo, src: int, sample_rate: int) -> Repeats:
    """An echo at the tempo of the bar that a source frame lies in: in time with its counted beats. Later than ``ECHO_S`` there is none."""
    bar = min(max(1, entry.bar_at(src)), entry.bars)
    every = max(1, round(_beats(echo) * counted_beat(entry, bar, sample_rate)))
    most = min(echo.repeats, int(ECHO_S.high * sample_rate) // every)
    return Repeats(every, tuple(gain(echo.db - k * echo.fall_db) for k in range(most)))


def _beats(echo: Echo) -> float:
    number, _, of = echo.beats.partition("/")
    return int(number) / int(of or 1)


def counted_beat(entry: EntryPlan, bar: int, sample_rate: int) -> float:
    """The frames of a counted beat of a bar (from 1): as the tempo has them, or on the mean where they are uneven or the tempo slides."""
    beats = int(entry.count_first[bar] - entry.count_first[bar - 1])
    mean = float(entry.bar_frames[bar] - entry.bar_frames[bar - 1]) / max(1, beats)
    quarter = 60 * sample_rate / entry.bpm[bar - 1]
    told = quarter * round(mean / quarter * 24) / 24
    return told if abs(told - mean) < 1 else mean


def echo_frames(entry: EntryPlan, sample_rate: int) -> int:
    """How far back the echoes of an entry reach."""
    found = {t.echo for step in entry.steps for _, t in step.treatments if t.echo is not None}
    slowest = max((counted_beat(entry, bar, sample_rate) for bar in range(1, entry.bars + 1)), default=0.0)
    reach = max((round(_beats(echo) * slowest + 1) * echo.repeats for echo in found), default=0)
    return min(reach, int(ECHO_S.high * sample_rate))
