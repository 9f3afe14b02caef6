"""The matrices of a show: how loud each source channel is on each row, for every step and state."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import replace

import numpy as np

from upbeat.mix.gains import FeedBlocks, feed_blocks, kept_out_of_house, socket_rows, straight_rows
from upbeat.mix.routing import Column, Routing, feed_order, gain, guided
from upbeat.mix.sounding import away_now, hand_gain, stem_gain, whole_gain
from upbeat.mix.stem_audio import EntryAudio, ShowAudio, StemAudio
from upbeat.play.hand import Hand
from upbeat.play.plan import ShowPlan, StepPlan
from upbeat.song.stems import GROUPS, Stem
from upbeat.song.treatment import PLAIN, Drive, Gate, Treatment

MOST_KEPT = 512


class Matrices:
    """Rows are the sockets, the taps' channels, then the inputs of the buses.

    ``taps``: feeds (by id) rendered besides the sockets, each with its own channels; ``buses``:
    feeds that carry a processor. Matrices are made when first asked for and kept.
    """

    def __init__(
        self, plan: ShowPlan, audio: ShowAudio, routing: Routing, away: Collection[str], buses: Collection[str]
    ):
        self.plan, self.audio, self.routing, self.away = plan, audio, routing, frozenset(away)
        self.taps: tuple[str, ...] = ()
        self.hushed: frozenset[str] = frozenset()
        self.lifted: frozenset[str] = frozenset()
        self.bus_columns = _bus_columns(routing, buses)
        self.bus_channels = max((c.stop for c in self.bus_columns.values()), default=0)
        self._columns = [
            tuple(c for x in e.voices for c in stem_columns(x.stem, x.pcm.shape[1])) for e in audio.entries
        ]
        #: Of each entry its treated stems, and where each lies among the inputs of those.
        self.treated = [_treated(e) for e in audio.entries]
        self._kept: dict[tuple, np.ndarray] = {}
        self.house_rows = self._rows_of_house()

    @property
    def rows(self) -> int:
        """Sockets and taps."""
        channels = {f.id: f.channels for f in self.routing.feeds}
        return len(self.routing.sockets) + sum(channels[t] for t in self.taps)

    def set_taps(self, taps: Sequence[str]) -> None:
        """Choose the taps; feeds that are not there are left out."""
        known = {f.id for f in self.routing.feeds}
        self.taps = tuple(t for t in taps if t in known)
        self._kept.clear()
        self.house_rows = self._rows_of_house()

    def of_step(self, entry: int, step: int, hand: Hand) -> np.ndarray:
        """(rows and inputs of treated stems, channels of voices) of an entry in a step."""
        own, off, hand = self.plan.entries[entry].steps[step], hand.tones_off, hand.of_levels
        treatments = () if off else own.treatments
        key = (entry, own.tacet, own.levels, treatments, hand, self.hushed, self.lifted)
        return self._keep(key, lambda: self._of_step(entry, own, dict(treatments), hand))

    def of_treated(self, entry: int, hand: Hand) -> np.ndarray:
        """(rows, inputs of treated stems): what comes of them."""
        hand = hand.of_levels
        return self._keep(("treated", entry, hand, self.lifted), lambda: self._of_treated(entry, hand))

    def _of_treated(self, entry: int, hand: Hand) -> np.ndarray:
        audio, treated = self.audio.entries[entry], self.treated[entry]
        columns = tuple(c for s in audio.stems if s.stem.id in treated for c in stem_columns(s.stem, s.pcm.shape[1]))
        return self._of(columns, [1.0] * len(columns), hand, _barred(s.stem for s in self._lifted(audio)))

    def _lifted(self, audio: EntryAudio) -> tuple[StemAudio, ...]:
        """The voices of an entry, those lifted that are."""
        return tuple(replace(v, stem=_lifted(v.stem)) if v.stem.id in self.lifted else v for v in audio.voices)

    def _keep(self, key: tuple, make: Callable[[], np.ndarray]) -> np.ndarray:
        found = self._kept.get(key)
        if found is None:
            # A fader that is moved for hours makes a matrix at every step of it.
            if len(self._kept) >= MOST_KEPT:
                self._kept.clear()
            found = self._kept[key] = make()
        return found

    def _of_step(self, entry: int, step: StepPlan, treatments: Mapping[str, Treatment], hand: Hand) -> np.ndarray:
        columns, voices = self._columns[entry], self._lifted(self.audio.entries[entry])
        stems, tacet, levels = [v.stem for v in voices], step.tacet, dict(step.levels)
        mixed = hand.fallback and any(s.purpose == "full_mix" for s in stems)
        whole, silent = gain(self.plan.entries[entry].song.gain_db), tacet | self.hushed
        away = away_now(self.away, hand, self.plan.entries[entry])
        gains: list[float] = []
        for voice in voices:
            s, part = voice.stem, f"stem:{voice.stem.id}"
            here = treatments.get(s.id, PLAIN)
            own = stem_gain(s, away, silent, mixed, levels.get(s.id, 0.0), hand.part(part).on)
            factor = whole * own * hand_gain(hand, part) if voice.through == _read_through(here, hand, s.id) else 0.0
            gains += [-factor if s.flip_side and c == 1 else factor for c in range(voice.pcm.shape[1])]
        treated = self.treated[entry]
        past = [0.0 if c.source[5:] in treated else g for c, g in zip(columns, gains, strict=True)]
        matrix = np.vstack([self._of(columns, past, hand, _barred(stems)), _inputs(columns, gains, treated)])
        # Stems are copied as they lie in the file; the scale of 16-bit ones is a gain like any other.
        matrix *= np.array([v.scale for v in voices for _ in range(v.pcm.shape[1])], dtype=np.float32)
        return matrix

    def of_source(self, columns: tuple[Column, ...], hand: Hand) -> np.ndarray:
        """(rows, columns) of a source whose columns are the same for every song."""
        hand = hand.of_levels
        if columns and columns[0].socket is not None:
            return self._keep(("straight", columns, hand.house_pulled), lambda: self._straight(columns, hand))
        gains = [whole_gain(hand, c.source) for c in columns]
        return self._keep((columns, hand), lambda: self._of(columns, gains, hand))

    def _straight(self, columns: tuple[Column, ...], hand: Hand) -> np.ndarray:
        matrix = np.zeros((self.rows + self.bus_channels, len(columns)), dtype=np.float32)
        matrix[: len(self.routing.sockets)] = straight_rows(self.routing, columns, house_on=not hand.house_pulled)
        return matrix

    def of_buses(self, hand: Hand) -> np.ndarray:
        """(rows, bus channels): what the buses give to the rows, and to each other."""
        hand = hand.of_levels
        return self._keep(("buses", hand), lambda: self._of_buses(hand))

    def _of_buses(self, hand: Hand) -> np.ndarray:
        identity = {feed: np.eye(self.bus_channels)[columns] for feed, columns in self.bus_columns.items()}
        blocks = feed_blocks(
            self.routing,
            [Column(source="bus")] * self.bus_channels,
            [0.0] * self.bus_channels,
            house_on=not hand.house_pulled,
            outputs=identity,
            trims=self._trims(hand),
        )
        guides = guided(self.routing.feeds)
        kept_out = np.zeros(self.bus_channels, dtype=bool)
        for feed, own in self.bus_columns.items():
            kept_out[own] = bool(guides[feed])
        return self._stacked(blocks.heard, blocks.heard, blocks.inputs, kept_out)

    def _trims(self, hand: Hand) -> dict[str, float]:
        return {f.id: whole_gain(hand, f"feed:{f.id}") for f in self.routing.feeds}

    def _of(
        self, columns: Sequence[Column], gains: Sequence[float], hand: Hand, barred: frozenset[str] = frozenset()
    ) -> np.ndarray:
        blocks, kept_out = self._blocks(columns, gains, hand, barred), kept_out_of_house(columns, barred)
        if not hand.alone:
            return self._stacked(blocks.heard, blocks.heard, blocks.inputs, kept_out)
        only = [g if c.source in hand.alone else 0.0 for g, c in zip(gains, columns, strict=True)]
        alone = self._blocks(columns, only, hand, barred)
        asks = {f.id for f in self.routing.feeds if f.alone or (hand.alone_in_house and f.kind == "house")}
        sockets = {feed: alone.heard[feed] if feed in asks else block for feed, block in blocks.heard.items()}
        into = {feed: alone.inputs[feed] if feed in asks else block for feed, block in blocks.inputs.items()}
        return self._stacked(sockets, alone.heard, into, kept_out)

    def _blocks(
        self, columns: Sequence[Column], gains: Sequence[float], hand: Hand, barred: frozenset[str]
    ) -> FeedBlocks:
        return feed_blocks(
            self.routing,
            columns,
            gains,
            house_on=not hand.house_pulled,
            barred=barred,
            outputs=dict.fromkeys(self.bus_columns),
            trims=self._trims(hand),
        )

    def _stacked(
        self,
        heard: Mapping[str, np.ndarray],
        tapped: Mapping[str, np.ndarray],
        inputs: Mapping[str, np.ndarray],
        kept_out: np.ndarray,
    ) -> np.ndarray:
        blocks = [socket_rows(self.routing, heard, kept_out), *(tapped[t] for t in self.taps)]
        blocks += [inputs[feed] for feed in self.bus_columns]
        return np.ascontiguousarray(np.vstack(blocks), dtype=np.float32)

    def _rows_of_house(self) -> np.ndarray:
        """Which rows are silent while the house is pulled (boolean)."""
        probe = [Column(source=f"group:{g}", group=g) for g in GROUPS]
        probe += [Column(source=s.source) for f in self.routing.feeds for s in f.sends if s.source.startswith("stem:")]
        on, off = (self._of(probe, [1.0] * len(probe), Hand(house_pulled=pulled)) for pulled in (False, True))
        return np.asarray((on != off).any(axis=1))


def stem_columns(stem: Stem, channels: int) -> tuple[Column, ...]:
    """The columns of a stem with so many channels."""
    return tuple(
        Column(
            source=f"stem:{stem.id}",
            group=stem.group,
            channel=c,
            channels=channels,
            pan=stem.pan,
            width=0.0 if stem.mono else stem.width,
            feeds=stem.feeds,
        )
        for c in range(channels)
    )


def _treated(audio: EntryAudio) -> dict[str, slice]:
    """The treated stems of an entry (by id), and where each lies among their inputs."""
    columns, at = {}, 0
    for s in audio.stems:
        if s.stem.treated:
            columns[s.stem.id] = slice(at, at := at + s.pcm.shape[1])
    return columns


def _inputs(columns: Sequence[Column], gains: Sequence[float], treated: Mapping[str, slice]) -> np.ndarray:
    """(inputs of treated stems, columns) float32: each column into the input of its stem and channel."""
    made = np.zeros((max((c.stop for c in treated.values()), default=0), len(columns)), np.float32)
    for i, (column, factor) in enumerate(zip(columns, gains, strict=True)):
        if column.source[5:] in treated:
            made[treated[column.source[5:]].start + column.channel, i] = factor
    return made


def _read_through(treatment: Treatment, hand: Hand, stem: str) -> tuple[Gate | None, Drive | None]:
    """The gate and the drive that a stem is read through, but for those taken out by hand."""
    gate = None if hand.part(f"gate:stem:{stem}").on is False else treatment.gate
    return gate, None if hand.part(f"drive:stem:{stem}").on is False else treatment.drive


def _barred(stems: Iterable[Stem]) -> frozenset[str]:
    """The stems that must not reach the house."""
    return frozenset(f"stem:{s.id}" for s in stems if s.purpose == "rehearsal")


def _bus_columns(routing: Routing, buses: Collection[str]) -> dict[str, slice]:
    columns, at = {}, 0
    for feed in feed_order(routing.feeds):
        if feed.id in buses:
            columns[feed.id] = slice(at, at + feed.channels)
            at += feed.channels
    return columns


def _lifted(stem: Stem) -> Stem:
    """A stem that sounds whoever is on, and whatever it is for."""
    return replace(stem, purpose="always", muted=False)
