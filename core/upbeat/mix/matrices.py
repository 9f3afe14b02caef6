"""The matrices of a show: how loud each source channel is on each row, for every step and state."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import replace

import numpy as np

from upbeat.mix.gains import FeedBlocks, feed_blocks, kept_out_of_house, socket_rows, straight_rows
from upbeat.mix.routing import Column, Routing, feed_order, gain, guided
from upbeat.mix.sounding import away_now, hand_gain, stem_gain, whole_gain
from upbeat.mix.stem_audio import ShowAudio
from upbeat.play.hand import Hand
from upbeat.play.plan import ShowPlan
from upbeat.song.stems import GROUPS, Stem

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
        self._columns = [tuple(c for x in e.stems for c in stem_columns(x.stem, x.pcm.shape[1])) for e in audio.entries]
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
        """(rows, stem channels) of an entry in a step."""
        own, hand = self.plan.entries[entry].steps[step], hand.of_levels
        key = (entry, own.tacet, own.levels, hand, self.hushed, self.lifted)
        return self._keep(key, lambda: self._of_step(entry, own.tacet, dict(own.levels), hand))

    def _keep(self, key: tuple, make: Callable[[], np.ndarray]) -> np.ndarray:
        found = self._kept.get(key)
        if found is None:
            # A fader that is moved for hours makes a matrix at every step of it.
            if len(self._kept) >= MOST_KEPT:
                self._kept.clear()
            found = self._kept[key] = make()
        return found

    def _of_step(self, entry: int, tacet: frozenset[str], levels: Mapping[str, float], hand: Hand) -> np.ndarray:
        audio, columns = self.audio.entries[entry], self._columns[entry]
        stems = [_lifted(s.stem) if s.stem.id in self.lifted else s.stem for s in audio.stems]
        mixed = hand.fallback and any(s.purpose == "full_mix" for s in stems)
        whole, silent = gain(self.plan.entries[entry].song.gain_db), tacet | self.hushed
        away = away_now(self.away, hand, self.plan.entries[entry])
        gains = {}
        for s in stems:
            part = f"stem:{s.id}"
            own = stem_gain(s, away, silent, mixed, levels.get(s.id, 0.0), hand.part(part).on)
            gains[part] = whole * own * hand_gain(hand, part)
        flipped = {f"stem:{s.id}" for s in stems if s.flip_side}
        sides = [-gains[c.source] if c.source in flipped and c.channel == 1 else gains[c.source] for c in columns]
        barred = frozenset(f"stem:{s.id}" for s in stems if s.purpose == "rehearsal")
        matrix = self._of(columns, sides, hand, barred)
        # Stems are copied as they lie in the file; the scale of 16-bit ones is a gain like any other.
        matrix *= np.array([s.scale for s in audio.stems for _ in range(s.pcm.shape[1])], dtype=np.float32)
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
