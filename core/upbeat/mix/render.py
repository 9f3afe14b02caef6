"""The one renderer: spans of the transport become sound for every socket.

The engine, hearing in a page, the bounce and the dress run use it alike. Between sources and sockets
lies one matrix; a change of it is a ramp (rule M1). Feeds with processors are buses (``buses``).
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np

from upbeat.audio.stem_kernels import sounding
from upbeat.mix.buses import Bus, Buses, SavedBuses
from upbeat.mix.ceilings import Ceilings, SavedCeilings
from upbeat.mix.delays import SavedDelay, followed, socket_delays
from upbeat.mix.matrices import Matrices
from upbeat.mix.matrix import Ramped
from upbeat.mix.processors import MakeProcessor
from upbeat.mix.processors.tone_filter import ToneFilter
from upbeat.mix.routing import Routing
from upbeat.mix.sources import Source
from upbeat.mix.sources.guides import Guides
from upbeat.mix.sources.hand_sounds import HandSounds
from upbeat.mix.sources.line_check import LineSignals
from upbeat.mix.sources.pads import PadLoops
from upbeat.mix.sources.stems import Change, StemPeaks, StemVoices, under_way
from upbeat.mix.sources.timecode import TimecodeSound
from upbeat.mix.stem_audio import RAMP_S, ShowAudio
from upbeat.mix.treated import SavedTreated, TreatedStems
from upbeat.play.advance import Span
from upbeat.play.hand import TONES, Hand, is_processed
from upbeat.play.plan import ShowPlan
from upbeat.song.tone import FLAT, Tone, with_hand

PULL_S, RETURN_S = 0.080, 0.020  # rule M1


@dataclass(frozen=True, kw_only=True)
class Saved:
    """The state of a renderer (:meth:`Renderer.saved`)."""

    rows: int
    stems: dict[int, Ramped]
    sources: list[Any]
    mixes: list[Ramped | None]
    ceilings: SavedCeilings
    delays: dict[int, SavedDelay]
    buses: SavedBuses
    treated: SavedTreated
    pulled: bool


class Renderer:
    """Renders consecutive spans. Rows of the output are the sockets, then the taps.

    ``taps``: feeds (by id) rendered besides the sockets, each with its own channels.
    ``processors``: feed id to the processors it carries, in order; by itself those of its tone (rule M8).
    """

    def __init__(
        self,
        plan: ShowPlan,
        audio: ShowAudio,
        routing: Routing,
        away: Collection[str] = (),
        taps: Sequence[str] = (),
        processors: Mapping[str, Sequence[MakeProcessor]] | None = None,
    ):
        self.plan, self.routing = plan, routing
        made = _tones(routing) if processors is None else processors
        self._matrices = Matrices(plan, audio, routing, away, frozenset(made))
        columns = self._matrices.bus_columns
        self._buses = Buses(
            tuple(
                Bus(feed, c, tuple(make(c.stop - c.start, plan.sample_rate) for make in made[feed]))
                for feed, c in columns.items()
            )
        )
        self._stems = StemVoices(plan, audio)
        self._treated = TreatedStems(plan, self._matrices.treated)
        self._sources: tuple[Source, ...] = (
            Guides(audio),
            HandSounds(audio),
            PadLoops(audio),
            LineSignals(plan.sockets, audio, plan.sample_rate),
            TimecodeSound(plan),
        )
        self._mixes: list[Ramped | None] = [None] * len(self._sources)
        self._silence = [np.zeros((len(s.columns), 0), dtype=np.float32) for s in self._sources]
        self._ceilings = Ceilings(plan.sample_rate, routing, ramp=round(RAMP_S * plan.sample_rate))
        self._delays = socket_delays(routing, plan.sample_rate)
        self._pulled = False
        self.set_taps(taps)

    def meter_stems(self) -> None:
        """Note from now on how loud the stems of the last span were, in :attr:`stem_peaks`."""
        self._stems.metered = True

    @property
    def stem_peaks(self) -> list[StemPeaks]:
        return self._stems.peaks

    @property
    def rows(self) -> int:
        return self._matrices.rows

    @property
    def taps(self) -> tuple[str, ...]:
        return self._matrices.taps

    @property
    def memory_frames(self) -> int:
        """How far back the processors reach, beyond sounds and delays."""
        return self._treated.memory_frames + self._buses.memory_frames + self._ceilings.memory_frames

    def set_taps(self, taps: Sequence[str]) -> None:
        """Choose other feeds to be rendered besides the sockets, which are not affected."""
        before = self.rows
        self._matrices.set_taps(taps)
        self._ceilings.set_taps(self._matrices.taps)
        self._come_from(before)

    def _come_from(self, rows: int) -> None:
        """Go on from ``rows`` rows, of which sockets and inputs of buses stay, and the taps are others."""
        sockets, taps = len(self.routing.sockets), self.rows - len(self.routing.sockets)
        old = np.concatenate((np.arange(sockets), np.full(taps, -1), rows + np.arange(self._buses.channels)))
        self._stems.with_rows(old, rows + self._buses.channels)
        self._treated.with_rows(old)
        self._buses.with_rows(old[: self.rows])
        for mix in self._mixes:
            if mix is not None:
                mix.with_rows(old)

    def go_on_from(
        self, before: Renderer, entries: Mapping[int, int], renamed: Mapping[str, str] | None = None
    ) -> None:
        """Go on where the renderer of a show before is, sockets by their number (rule P8).

        ``entries``: those that sound, with their place in this show; ``renamed``: columns, with their name in it.
        """
        places = {s.number: i for i, s in enumerate(before.routing.sockets)}
        sockets = [places.get(s.number, -1) for s in self.routing.sockets]
        same_buses = self._matrices.bus_columns == before._matrices.bus_columns
        buses = before.rows + np.arange(self._buses.channels) if same_buses else np.full(self._buses.channels, -1)
        taps = np.full(self.rows - len(sockets), -1)
        old = np.concatenate((np.array(sockets, dtype=int), taps, buses)).astype(int)
        self._stems.go_on_from(before._stems, entries, old, before.rows + before._buses.channels)
        self._treated.go_on_from(before._treated, entries, old)
        if same_buses:
            self._buses.restore(before._buses.saved())
            self._buses.with_rows(old[: self.rows])
        for i, (source, was) in enumerate(zip(self._sources, before._sources, strict=True)):
            source.restore(was.saved())
            self._mixes[i] = self._mix_gone_on(i, before, old, renamed or {})
        self._ceilings.go_on_from(before._ceilings, sockets)
        rows = {places[s.number]: i for i, s in enumerate(self.routing.sockets) if s.number in places}
        lines = {rows[row]: line for row, line in before._delays.items() if row in rows}
        self._delays = followed(self._delays, lines, round(RAMP_S * self.plan.sample_rate))
        self._pulled = before._pulled

    def _mix_gone_on(self, i: int, before: Renderer, old: np.ndarray, renamed: Mapping[str, str]) -> Ramped | None:
        mix, columns, were = before._mixes[i], self._sources[i].columns, before._sources[i].columns
        if mix is None:
            return None
        made = mix.copy()
        made.with_rows(old)
        if columns != were:
            at = {(renamed.get(c.source, c.source), c.channel): place for place, c in enumerate(were)}
            places = np.array([at.get((c.source, c.channel), -1) for c in columns], dtype=int)
            made.with_columns(places, np.zeros((len(old), len(columns)), np.float32), [1] * len(columns))
        return made

    def saved(self) -> Saved:
        """Where the renderer is: all that a span to come depends on, but for its taps."""
        return Saved(
            rows=self.rows,
            stems=self._stems.saved(),
            sources=[s.saved() for s in self._sources],
            mixes=[m and m.copy() for m in self._mixes],
            ceilings=self._ceilings.saved(),
            delays={row: line.saved() for row, line in self._delays.items()},
            buses=self._buses.saved(),
            treated=self._treated.saved(),
            pulled=self._pulled,
        )

    def restore(self, saved: Saved) -> None:
        """Be where a renderer of the same show was. Taps stay as they are now."""
        self._stems.restore(saved.stems)
        for source, state in zip(self._sources, saved.sources, strict=True):
            source.restore(state)
        self._mixes = [m and m.copy() for m in saved.mixes]
        for row, state in saved.delays.items():
            self._delays[row].restore(state)
        self._ceilings.restore(saved.ceilings)
        self._buses.restore(saved.buses)
        self._treated.restore(saved.treated)
        self._pulled = saved.pulled
        if saved.rows != self.rows:
            self._come_from(saved.rows)

    def set_heard(self, hushed: Collection[str], lifted: Collection[str] = ()) -> None:
        """Keep stems (by id) silent from now on, by the usual ramp.

        ``lifted``: stems that sound whoever is on, and whatever they are for.
        """
        self._matrices.hushed, self._matrices.lifted = frozenset(hushed), frozenset(lifted)

    def render(self, span: Span, out: np.ndarray) -> None:
        """Fill ``out``, float32 (rows, frames of the span)."""
        out[:] = 0
        for part in span.parts():
            self._render_part(part, out[:, part.start - span.start : part.end - span.start])
        self._ceilings.process(out)
        for row, line in self._delays.items():
            out[row] = line.push(out[row])

    @property
    def late_frames(self) -> int:
        """By how much every socket is later than the plan has it: what its ceilings look ahead."""
        return self._ceilings.frames

    def _render_part(self, span: Span, out: np.ndarray) -> None:
        """Add a span in which the mix by hand is one to ``out``."""
        work = out
        if self._buses.buses:
            work = np.zeros((self.rows + self._buses.channels, out.shape[1]), dtype=np.float32)
        change = self._change(span)
        matrices = self._matrices
        treated = self._treated.inputs(span)
        self._stems.render(span, work, treated, lambda s, hand: matrices.of_step(s.entry, s.step, hand), change)
        self._treated.render(span, treated, work, matrices.of_treated, change)
        for i in range(len(self._sources)):
            self._render_source(i, span, work, change)
        if self._buses.buses:
            self._buses.set_tones(_tones_now(self.routing, span.hand), span.start)
            out += work[: self.rows]
            self._buses.render(work, out, matrices.of_buses(span.hand), change.ramp)
        self._pulled = span.hand.house_pulled

    def _change(self, span: Span) -> Change:
        """How the changes take place that a span begins with (rules M1, M5 and M7)."""
        hand, least = span.hand, round(RAMP_S * self.plan.sample_rate)
        if hand.house_pulled != self._pulled:
            seconds = PULL_S if hand.house_pulled else RETURN_S
            # Only its own rows: what changes over beats goes on in all others.
            return Change(ramp=round(seconds * self.plan.sample_rate), slow={}, rows=self._matrices.house_rows)
        begun = {m.was.part: m.frames for m in hand.moves if m.frame == span.start}
        feeds = (frames for part, frames in begun.items() if part.startswith("feed:"))
        return Change(ramp=max([least, *feeds]), slow=begun)

    def _render_source(self, i: int, span: Span, out: np.ndarray, change: Change) -> None:
        source, frames = self._sources[i], span.end - span.start
        matrix = self._matrices.of_source(source.columns, span.hand)
        mix = self._mixes[i]
        if mix is None:
            mix = self._mixes[i] = Ramped(matrix, [1] * len(source.columns))
        if matrix is not mix.target:
            slow = {at: n for at, c in enumerate(source.columns) if (n := change.slow.get(c.source))}
            going = under_way(span.hand, span.start, partial(self._matrices.of_source, source.columns))
            mix.to(matrix, change.ramp, slow, change.rows, going)
        zeros = self._zeros(i, frames)
        sound = zeros[:, :frames]
        self._silence[i] = zeros[:, :0]  # what is filled, or half filled where that fails, is not heard later
        if not source.fill(span, sound):
            mix.skip(frames)
            self._silence[i] = zeros
            return
        if not mix.lanes:
            mix.skip(frames)
            return
        # A click is short: where all is silent, nothing is added to nothing.
        a, b = (0, frames) if mix.changes else _sounding(sound)
        out[:, a:b] += mix.mix([np.ascontiguousarray(sound[list(lane.stems), a:b]) for lane in mix.lanes], b - a)

    def _zeros(self, i: int, frames: int) -> np.ndarray:
        """At least so many frames of zeros for a source to fill: kept while it is silent, as most are most of the time."""
        if self._silence[i].shape[1] < frames:
            return np.zeros((len(self._sources[i].columns), frames), dtype=np.float32)
        return self._silence[i]


def _sounding(sound: np.ndarray) -> tuple[int, int]:
    """From which column of (rows, columns) on, and up to which, anything sounds."""
    found = [own for own in map(sounding, sound) if own[1]]
    return (min(a for a, _ in found), max(b for _, b in found)) if found else (0, 0)


def _tones(routing: Routing) -> dict[str, list[MakeProcessor]]:
    """The processors of every feed that has a tone."""
    return {f.id: [partial(ToneFilter, tone=f.tone)] for f in routing.feeds if f.tone is not None}


def _tones_now(routing: Routing, hand: Hand) -> dict[str, Tone]:
    """The tone of every feed that has one, with what is set by hand."""
    toned = [(f.id, f.tone) for f in routing.feeds if f.tone is not None]
    if hand.tones_off:
        return {feed: FLAT for feed, _ in toned}
    by_hand = {p.part: p.db or 0.0 for p in hand.parts if is_processed(p.part)}
    return {feed: with_hand(tone, *(by_hand.get(f"{t}:{feed}", 0.0) for t in TONES)) for feed, tone in toned}
