"""Ceilings of feeds: no true peak of the sockets they go to is above them (rule M8).

The last stage before the delays of sockets, so that neither a level by hand nor a trim comes after it. A look-ahead limiter:
the factor that each sample needs, the least of those that come, risen by no more than so much a frame, averaged over the
look-ahead (after the peak limiter in U. Zölzer, DAFX, 2nd ed. 2011, ch. 4, with a rise that is linear, so that nothing is
remembered for longer than it takes to rise from nought to one). The sockets of a feed have one gain. Where any feed has a
ceiling, every socket is later by :attr:`Ceilings.frames`, so that all stay together.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache
from math import ceil

import numpy as np

from upbeat.audio.kernels import ceiling_gains
from upbeat.mix.routing import Routing

TAPS, BETA = 128, 6.0  # between two samples: as import measures true peaks
AHEAD_S, RISE_S = 0.001, 0.25
MARGIN_DB = 0.05  # what is missed near the top of the band
NONE = np.float32(1e9)  # a ceiling that nothing reaches


@dataclass
class _Group:
    """Rows with one gain. ``name``: what it is kept by where a show is changed."""

    name: frozenset[str]
    rows: tuple[int, ...]
    ceiling: float
    wanted: np.ndarray
    heard: np.ndarray

    def copy(self) -> _Group:
        return replace(self, wanted=self.wanted.copy(), heard=self.heard.copy())


@dataclass(frozen=True, kw_only=True)
class SavedCeilings:
    """Where ceilings are (:meth:`Ceilings.saved`)."""

    groups: list[_Group]
    line: np.ndarray
    share: float
    waits: int


@dataclass
class Ceilings:
    """The ceilings of the feeds of a show. ``rows``: sockets, then the channels of the taps."""

    sample_rate: int
    routing: Routing
    taps: Sequence[str] = ()
    ramp: int = 240
    _groups: list[_Group] = field(default_factory=list)
    _line: np.ndarray = field(default_factory=lambda: np.zeros((0, 0), np.float32))
    _share: float = 0.0  # of what is late in what is heard
    _waits: int = 0  # frames until that changes

    def __post_init__(self) -> None:
        self._ahead = _ahead(self.sample_rate)
        self._past = max(self._ahead + TAPS // 2, TAPS + 1)
        self._fractions = _quarters()
        self._loud = 1 / float(np.abs(self._fractions).sum(axis=1).max())
        self.any = any(f.ceiling_db is not None for f in self.routing.feeds)
        self._share = 1.0 if self.any else 0.0
        self._line = np.zeros((0, self._past), np.float32)
        self.set_taps(self.taps)

    @property
    def frames(self) -> int:
        """By how many frames every row is later."""
        return late_frames(self.routing, self.sample_rate)

    @property
    def memory_frames(self) -> int:
        return self._past + 2 * self._ahead + ceil(RISE_S * self.sample_rate) + 1 if self.any else 0

    @property
    def rests(self) -> bool:
        """Whether it does nothing, and needs no sound."""
        return not self.any and self._share == 0

    def set_taps(self, taps: Sequence[str]) -> None:
        """Have other rows behind the sockets. What they had comes from silence."""
        self.taps = tuple(taps)
        channels = {f.id: f.channels for f in self.routing.feeds}
        rows = len(self.routing.sockets) + sum(channels[t] for t in self.taps)
        sockets = len(self.routing.sockets)
        line = np.zeros((rows, self._past), np.float32)
        kept = min(sockets, len(self._line))
        line[:kept] = self._line[:kept]
        self._line = line
        known = {g.name: g for g in self._groups}
        self._groups = [self._group(known, *one) for one in _grouped(self.routing, self.taps)]

    def _group(
        self, known: Mapping[frozenset[str], _Group], name: frozenset[str], rows: tuple[int, ...], ceiling_db: float
    ) -> _Group:
        was = known.get(name)
        one = np.ones(self._ahead)
        return _Group(
            name=name,
            rows=rows,
            ceiling=10 ** ((ceiling_db - MARGIN_DB) / 20),
            wanted=was.wanted.copy() if was else one,
            heard=was.heard.copy() if was else one.copy(),
        )

    def go_on_from(self, before: Ceilings, sockets: Sequence[int]) -> None:
        """Go on where the ceilings of a show before are. ``sockets``: of each the row that it had, -1 for none."""
        for row, was in enumerate(sockets):
            if was >= 0 and was < len(before._line):
                self._line[row] = before._line[was]
        self._share, self._waits = before._share, before._waits
        if before.rests and self.any:
            # Only what has come in can be heard later.
            self._waits = self._past
        known = {g.name: g for g in before._groups}
        places = {was: row for row, was in enumerate(sockets) if was >= 0}
        self._groups = [
            replace(g, wanted=known[g.name].wanted.copy(), heard=known[g.name].heard.copy()) if g.name in known else g
            for g in self._groups
        ]
        # What has no ceiling any more lets its rows go as it lets anything go.
        taken = {row for g in self._groups for row in g.rows}
        for gone in before._groups:
            rows = tuple(places[r] for r in gone.rows if r in places and places[r] not in taken)
            if rows and gone.name not in {g.name for g in self._groups}:
                self._groups.append(replace(gone.copy(), rows=rows, ceiling=float(NONE)))

    def saved(self) -> SavedCeilings:
        return SavedCeilings(
            groups=[g.copy() for g in self._groups], line=self._line.copy(), share=self._share, waits=self._waits
        )

    def restore(self, saved: SavedCeilings) -> None:
        """Be where ceilings of the same show were. Taps stay as they are now."""
        sockets = len(self.routing.sockets)
        self._share, self._waits = saved.share, saved.waits
        self._line[:sockets] = saved.line[:sockets]
        of_taps = [g for g in self._groups if g.rows[0] >= sockets]
        self._groups = [g.copy() for g in saved.groups if g.rows[0] < sockets] + of_taps

    def process(self, out: np.ndarray) -> None:
        """Bring (rows, frames) float32 below the ceilings, in place, and later by :attr:`frames`."""
        if self.rests:
            return
        frames = out.shape[1]
        line = np.concatenate((self._line, out), axis=1)
        late = line[:, self._past - self._ahead - TAPS // 2 :][:, :frames].copy()
        for group in self._groups:
            self._hold(group, line, late)
        if self._share == (1.0 if self.any else 0.0):
            if self.any:
                out[:] = late
        else:
            share = self._shares(frames)
            out[:] = out * (1 - share) + late * share
        self._line = line[:, frames:].copy()

    def _shares(self, frames: int) -> np.ndarray:
        """How much of what is heard is late, as a ramp to what it is to be."""
        step = (1 if self.any else -1) / self.ramp
        shares = np.clip(self._share + step * np.maximum(0, np.arange(1, frames + 1) - self._waits), 0, 1)
        self._share, self._waits = float(shares[-1]), max(0, self._waits - frames)
        return shares.astype(np.float32)

    def _hold(self, group: _Group, line: np.ndarray, late: np.ndarray) -> None:
        rows = list(group.rows)
        own = np.ascontiguousarray(line[rows, self._past - TAPS - 1 :])
        loud = group.ceiling * self._loud
        if not (own > loud).any() and not (own < -loud).any() and group.wanted.min() == 1 and group.heard.min() == 1:
            return
        gains = np.empty(late.shape[1], dtype=np.float32)
        rise = 1 / (RISE_S * self.sample_rate)
        ceiling_gains(own, self._fractions, group.ceiling, loud, rise, group.wanted, group.heard, gains)
        late[rows] *= gains


def late_frames(routing: Routing, sample_rate: int) -> int:
    """By how many frames every socket is later: as far as ceilings look ahead, nothing where there is none."""
    return _ahead(sample_rate) + TAPS // 2 if any(f.ceiling_db is not None for f in routing.feeds) else 0


def _ahead(sample_rate: int) -> int:
    return round(AHEAD_S * sample_rate)


@lru_cache(maxsize=1)
def _quarters() -> np.ndarray:
    """(3, TAPS) float32: windowed sincs for a quarter, a half and three quarters between the two samples in the middle."""
    found = []
    for part in (0.25, 0.5, 0.75):
        from_middle = np.arange(TAPS) - (TAPS / 2 - 1) - part
        window = np.i0(BETA * np.sqrt(np.maximum(0, 1 - (from_middle / (TAPS / 2)) ** 2)))
        taps = np.sinc(from_middle) * window
        found.append(taps / taps.sum())
    return np.array(found, dtype=np.float32)


def _grouped(routing: Routing, taps: Sequence[str]) -> list[tuple[frozenset[str], tuple[int, ...], float]]:
    """Of each group of rows with one gain: the feeds, the rows, and the ceiling in dB. Feeds that share a socket are one."""
    ceilings = {f.id: f.ceiling_db for f in routing.feeds if f.ceiling_db is not None}
    row = {s.number: i for i, s in enumerate(routing.sockets)}
    groups: list[tuple[set[str], set[int]]] = []
    for feed in ceilings:
        feeds, rows = {feed}, {row[p.socket] for p in routing.patches if p.feed == feed and p.socket in row}
        for other in [g for g in groups if g[1] & rows]:
            groups.remove(other)
            feeds |= other[0]
            rows |= other[1]
        if rows:
            groups.append((feeds, rows))
    found = [(frozenset(f), tuple(sorted(r)), min(ceilings[one] for one in f)) for f, r in groups]
    at, channels = len(routing.sockets), {f.id: f.channels for f in routing.feeds}
    for tap in taps:
        if tap in ceilings:
            found.append((frozenset({f"tap:{tap}"}), tuple(range(at, at + channels[tap])), ceilings[tap]))
        at += channels[tap]
    return found
