"""The one renderer: spans of the transport become sound for every socket.

What the engine plays, what a page lets you hear, what is bounced and what a dress run checks
all come from here. Everything between sources and sockets is one matrix product; a change is a
ramp between two matrices (rule M1).
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from upbeat.audio.pcm import full_scale
from upbeat.mix.matrix import Lane, Ramped
from upbeat.mix.routing import Column, Routing, feed_rows, gain, socket_rows
from upbeat.mix.sounding import stem_gain
from upbeat.play.plan import ShowPlan
from upbeat.play.transport import Fade, Slice, Span
from upbeat.song.song import GROUPS, Stem

_STRETCH = 8192  # frames
RAMP_S, PULL_S, RETURN_S = 0.005, 0.080, 0.020  # rule M1


@dataclass(frozen=True)
class StemAudio:
    """A prepared stem: ``pcm`` is (frames, channels), int16 or float32, often a mapped file.

    In frames of ``pcm``: ``start`` to ``end`` (None: its end) sounds, faded in and out, and then
    ``tail`` (frames, channels), in the units of ``pcm``; ``delay`` puts it later.
    """

    stem: Stem
    pcm: np.ndarray
    delay: int = 0
    start: int = 0
    end: int | None = None
    fade_in: int = 0
    fade_out: int = 0
    tail: np.ndarray | None = None

    @classmethod
    def of(cls, stem: Stem, pcm: np.ndarray, sample_rate: int) -> StemAudio:
        """A stem with its settings in frames. A trimmed edge is ramped, so that it does not click (rule M1)."""
        ramp = round(RAMP_S * sample_rate)
        start, end = (
            round(stem.start_s * sample_rate),
            None if stem.end_s is None else min(len(pcm), round(stem.end_s * sample_rate)),
        )
        fade_in = max(round(stem.fade_in_s * sample_rate), ramp if start else 0)
        fade_out = max(round(stem.fade_out_s * sample_rate), ramp if end is not None and end < len(pcm) else 0)
        return cls(stem, pcm, round(stem.delay_ms * sample_rate / 1000), start, end, fade_in, fade_out)

    @property
    def ends(self) -> int:
        """The frame of ``pcm`` that it ends at."""
        return len(self.pcm) if self.end is None else self.end

    @property
    def over(self) -> int:
        """The frame of ``pcm`` at which nothing of it sounds any more."""
        return self.ends + (0 if self.tail is None else len(self.tail))

    @property
    def scale(self) -> float:
        return full_scale(self.pcm)


@dataclass(frozen=True)
class EntryAudio:
    """What one entry sounds of: its stems and its four click sounds (mono float32)."""

    stems: tuple[StemAudio, ...]
    click: tuple[np.ndarray, ...]
    click_gain: float = 1.0


@dataclass(frozen=True)
class ShowAudio:
    """``words``: (text, shortened or not) to mono float32."""

    entries: tuple[EntryAudio, ...]
    words: Mapping[tuple[str, bool], np.ndarray] = field(default_factory=dict)


class _Shot:
    """A click or a word under way; ``row`` 0 is the click, 1 the cues."""

    __slots__ = ("gain", "row", "sound", "start", "until")

    def __init__(self, start: int, sound: np.ndarray, row: int, gain: float):
        self.start, self.sound, self.row, self.gain = start, sound, row, gain
        self.until = start + len(sound)


class Renderer:
    """Renders consecutive spans. Rows of the output are the sockets, then the taps.

    ``taps``: feeds (by id) to be heard besides the sockets, each with its own channels.
    """

    def __init__(
        self, plan: ShowPlan, audio: ShowAudio, routing: Routing, away: Collection[str] = (), taps: Sequence[str] = ()
    ):
        self.plan, self.audio, self.routing = plan, audio, routing
        self.away = frozenset(away)
        self.taps: tuple[str, ...] = tuple(taps)
        self._hushed: frozenset[str] = frozenset()
        self._lifted: frozenset[str] = frozenset()
        self._columns = [
            [
                Column(
                    f"stem:{s.stem.id}",
                    s.stem.group,
                    c,
                    s.pcm.shape[1],
                    s.stem.pan,
                    0.0 if s.stem.mono else s.stem.width,
                )
                for s in e.stems
                for c in range(s.pcm.shape[1])
            ]
            for e in audio.entries
        ]
        self._matrices: dict[tuple, np.ndarray] = {}
        self._voices: dict[int, Ramped] = {}
        self._guides: Ramped | None = None
        self._shots: list[_Shot] = []
        self._pulled = False
        self._delays = self._socket_delays()
        self._channels = [[s.pcm.shape[1] for s in e.stems] for e in audio.entries]
        self._scratch = np.zeros(0, dtype=np.float32)
        self._house_rows = self._rows_of_house()

    @property
    def rows(self) -> int:
        return len(self.routing.sockets) + sum(f.channels for t in self.taps for f in self.routing.feeds if f.id == t)

    def set_taps(self, taps: Sequence[str]) -> None:
        """Choose other feeds to be heard; the sockets go on unharmed."""
        known = {f.id for f in self.routing.feeds}
        self.taps = tuple(t for t in taps if t in known)
        self._matrices.clear()
        self._voices.clear()
        self._guides = None
        self._house_rows = self._rows_of_house()

    def set_heard(self, hushed: Collection[str], lifted: Collection[str] = ()) -> None:
        """Keep stems (by id) silent from now on, by the usual ramp; all others are heard as they are set.

        ``lifted``: stems that are heard whoever is on, and whatever they are for.
        """
        self._hushed, self._lifted = frozenset(hushed), frozenset(lifted)

    def _rows_of_house(self) -> np.ndarray:
        """Which rows are silent while the house is pulled."""
        probe = [Column(f"group:{g}", g) for g in GROUPS] + [
            Column(s.source) for f in self.routing.feeds for s in f.sends if s.source.startswith("stem:")
        ]
        on, off = (self._rows(probe, [1.0] * len(probe), pulled, frozenset()) for pulled in (False, True))
        return np.asarray((on != off).any(axis=1))

    def render(self, span: Span, out: np.ndarray) -> None:
        """Fill ``out``, float32 (rows, frames of the span)."""
        out[:] = 0
        ramp = self._ramp_frames(span)
        for s in span.slices:
            self._render_slice(s, span, out, ramp)
        heard = {s.run for s in span.slices}
        # A run that just went quiet for good is forgotten; the newest stays for one that joins it.
        newest = max(heard, default=-1)
        self._voices = {k: v for k, v in self._voices.items() if k in heard or k >= newest}
        self._render_guides(span, out, ramp)
        self._pulled = span.house_pulled
        for row, line in self._delays.items():
            out[row] = line.push(out[row])

    def _ramp_frames(self, span: Span) -> int:
        seconds = RAMP_S if span.house_pulled == self._pulled else (PULL_S if span.house_pulled else RETURN_S)
        return round(seconds * self.plan.sample_rate)

    def _matrix(self, entry: int, step: int, pulled: bool, fallback: bool) -> np.ndarray:
        own = self.plan.entries[entry].steps[step]
        key = (entry, own.tacet, own.levels, pulled, fallback, self._hushed, self._lifted)
        if key not in self._matrices:
            stems = [
                replace(s.stem, purpose="always", muted=False) if s.stem.id in self._lifted else s.stem
                for s in self.audio.entries[entry].stems
            ]
            mixed = fallback and any(s.purpose == "full_mix" for s in stems)
            levels, whole = dict(own.levels), gain(self.plan.entries[entry].song.gain_db)
            silent = own.tacet | self._hushed
            gains = {
                f"stem:{s.id}": whole * stem_gain(s, self.away, silent, mixed, levels.get(s.id, 0.0)) for s in stems
            }
            barred = frozenset(f"stem:{s.id}" for s in stems if s.purpose == "rehearsal")
            columns = self._columns[entry]
            flipped = {f"stem:{s.id}" for s in stems if s.flip_side}
            sides = [-gains[c.source] if c.source in flipped and c.channel == 1 else gains[c.source] for c in columns]
            matrix = self._rows(columns, sides, pulled, barred)
            # Stems are copied as they lie in the file; the scale of 16-bit ones is a gain like any other.
            matrix *= np.array(
                [s.scale for s in self.audio.entries[entry].stems for _ in range(s.pcm.shape[1])], dtype=np.float32
            )
            self._matrices[key] = matrix
        return self._matrices[key]

    def _guide_matrix(self, pulled: bool) -> np.ndarray:
        key = ("guides", pulled)
        if key not in self._matrices:
            self._matrices[key] = self._rows([Column("click"), Column("cues")], [1.0, 1.0], pulled, frozenset())
        return self._matrices[key]

    def _rows(
        self, columns: Sequence[Column], gains: Sequence[float], pulled: bool, barred: frozenset[str]
    ) -> np.ndarray:
        feeds = feed_rows(self.routing, columns, gains, not pulled, barred)
        blocks = [socket_rows(self.routing, feeds, len(columns)), *(feeds[t] for t in self.taps)]
        return np.ascontiguousarray(np.vstack(blocks), dtype=np.float32)

    def _render_slice(self, s: Slice, span: Span, out: np.ndarray, ramp: int) -> None:
        matrix = self._matrix(s.entry, s.step, span.house_pulled, span.fallback)
        voice = self._voices.get(s.run)
        slow: dict[int, int] = {}
        if voice is None:
            slow = self._slow(s)
            voice = self._voices[s.run] = self._begun(s, matrix, slow)
        # Pulling the house touches its own sockets: what changes over beats goes on in all others (rule M5).
        voice.to(matrix, ramp, slow, self._house_rows if span.house_pulled != self._pulled else None)
        if not voice.lanes:
            voice.skip(s.frames)
            return
        # A long span is mixed a stretch at a time, so that the stems' samples stay in the nearest cache.
        for at in range(0, s.frames, _STRETCH):
            frames = min(_STRETCH, s.frames - at)
            sound = voice.mix(self._blocks(s, at, frames, voice.lanes), frames)
            for fade in s.fades:
                _fade(sound, fade, s.out + at)
            place = s.out - span.start + at
            out[:, place : place + frames] += sound

    def _slow(self, s: Slice) -> dict[int, int]:
        """Stems that change over beats where a section begins, and over how many frames."""
        step = self.plan.entries[s.entry].steps[s.step]
        if not step.fades or s.src > step.src_start:
            return {}
        lengths = dict(step.fades)
        return {i: lengths[x.stem.id] for i, x in enumerate(self.audio.entries[s.entry].stems) if x.stem.id in lengths}

    def _begun(self, s: Slice, matrix: np.ndarray, slow: dict[int, int]) -> Ramped:
        """The voice of a run that begins: it goes on where the run before is, or comes in by itself.

        What changes over beats comes from where it was, out of silence where nothing was.
        """
        voice = Ramped(matrix, self._channels[s.entry])
        before = None if s.fresh else self._voices.get(s.run - 1)
        if s.joined and before is not None:
            voice.follow(before)
        elif slow:
            known = before is not None and before.channels is voice.channels
            start = before.target if before is not None and known else np.zeros_like(matrix)
            voice.come_from(start, slow, self.plan.entries[s.entry].steps[s.step].src_start - s.src)
        return voice

    def _blocks(self, s: Slice, at: int, frames: int, lanes: Sequence[Lane]) -> list[np.ndarray]:
        """The stems of each lane as float32 (stems, channels * frames), unscaled, from ``at`` frames into the slice."""
        stems = self.audio.entries[s.entry].stems
        size = sum(len(lane.stems) * lane.channels for lane in lanes) * frames
        if len(self._scratch) < size:
            self._scratch = np.zeros(size, dtype=np.float32)
        blocks, used = [], 0
        for lane in lanes:
            length = len(lane.stems) * lane.channels * frames
            block = self._scratch[used : used + length].reshape(len(lane.stems), lane.channels * frames)
            used += length
            for row, i in zip(block, lane.stems, strict=True):
                read_stem(stems[i], s.src + at, row.reshape(frames, lane.channels))
            blocks.append(block)
        return blocks

    def _render_guides(self, span: Span, out: np.ndarray, ramp: int) -> None:
        matrix = self._guide_matrix(span.house_pulled)
        if self._guides is None:
            self._guides = Ramped(matrix, (1, 1))
        self._guides.to(matrix, ramp)
        if span.silence is not None:
            for shot in self._shots:
                shot.until = min(shot.until, span.silence + round(RAMP_S * self.plan.sample_rate))
        for frame, voice, entry in span.clicks:
            audio = self.audio.entries[entry]
            self._shots.append(_Shot(frame, audio.click[voice], 0, audio.click_gain))
        for word in span.words:
            sound = self.audio.words.get((word.text, word.fast))
            if sound is not None:
                self._shots.append(_Shot(word.start, sound, 1, 1.0))
        if not self._shots or not self._guides.lanes:
            self._shots = [s for s in self._shots if s.until > span.end]
            self._guides.skip(span.end - span.start)
            return
        sources = np.zeros((2, span.end - span.start), dtype=np.float32)
        for shot in self._shots:
            _play(shot, span, sources, round(RAMP_S * self.plan.sample_rate))
        self._shots = [s for s in self._shots if s.until > span.end]
        out += self._guides.mix([sources[list(lane.stems)] for lane in self._guides.lanes], sources.shape[1])

    def _socket_delays(self) -> dict[int, _DelayLine]:
        row = {s.number: i for i, s in enumerate(self.routing.sockets)}
        wanted = {row[p.socket]: p.delay_ms for p in self.routing.patches if p.socket in row and p.delay_ms > 0}
        return {r: _DelayLine(round(ms * self.plan.sample_rate / 1000)) for r, ms in wanted.items()}


class _DelayLine:
    """The last ``frames`` of one socket, given out again as many frames later."""

    def __init__(self, frames: int):
        self.held = np.zeros(frames, dtype=np.float32)

    def push(self, block: np.ndarray) -> np.ndarray:
        if not len(self.held):
            return block
        line = np.concatenate((self.held, block))
        self.held = line[len(block) :]
        return line[: len(block)]


def read_stem(stem: StemAudio, src: int, into: np.ndarray) -> None:
    """Copy frames from ``src`` (less the stem's delay) into (frames, channels), unscaled; silence outside."""
    frames = len(into)
    first = src - stem.delay
    if first >= stem.start and first + frames <= stem.ends:
        np.copyto(into, stem.pcm[first : first + frames])
    else:
        into[:] = 0
        if stem.tail is not None and (c := max(first, stem.ends)) < (d := min(first + frames, stem.over)):
            np.copyto(into[c - first : d - first], stem.tail[c - stem.ends : d - stem.ends])
        a, b = max(first, stem.start), min(first + frames, stem.ends)
        if a >= b:
            return
        np.copyto(into[a - first : b - first], stem.pcm[a:b])
    if first < stem.start + stem.fade_in or first + frames > stem.ends - stem.fade_out:
        _fade_edges(stem, first, into)


def _fade_edges(stem: StemAudio, first: int, into: np.ndarray) -> None:
    """A stem's own fades: half a cosine, which begins and ends level."""
    at = np.arange(first, first + len(into))
    for length, x in ((stem.fade_in, at - stem.start), (stem.fade_out, stem.ends - 1 - at)):
        if length:
            # What comes after the end is a tail, which no fade touches.
            x = np.where(at < stem.ends, x, length)
            into *= (0.5 - 0.5 * np.cos(np.pi * np.clip((x + 0.5) / length, 0, 1))).astype(np.float32)[:, None]


def _fade(sound: np.ndarray, fade: Fade, out: int) -> None:
    """Equal power: sine up, cosine down, so that both sides of a seam keep their summed power."""
    n = sound.shape[1]
    a, b = max(0, fade.start - out), min(n, fade.start + fade.length - out)
    if a < b:
        x = (np.arange(a, b) + (out - fade.start) + 0.5) / fade.length
        sound[:, a:b] *= (np.sin if fade.up else np.cos)(np.pi / 2 * x).astype(np.float32)
    if fade.up and a > 0:
        sound[:, : min(a, n)] = 0
    if not fade.up and b < n:
        sound[:, max(0, b) :] = 0


def _play(shot: _Shot, span: Span, sources: np.ndarray, fade: int) -> None:
    a, b = max(shot.start, span.start), min(shot.until, span.end)
    if a >= b:
        return
    part = shot.sound[a - shot.start : b - shot.start] * np.float32(shot.gain)
    if shot.until < shot.start + len(shot.sound):
        left = (shot.until - np.arange(a, b)) / fade
        part = part * np.clip(left, 0, 1).astype(np.float32)
    sources[shot.row, a - span.start : b - span.start] += part
