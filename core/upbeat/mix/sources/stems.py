"""Stems: one voice for each run, with the gains of its step, crossfaded at seams (rules J3 and M1)."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from typing import NamedTuple

import numpy as np

from upbeat.audio.stem_kernels import raise_peaks
from upbeat.mix.matrix import Going, Lane, Ramped
from upbeat.mix.sources.reading import LaneReader
from upbeat.mix.stem_audio import RAMP_S, EntryAudio, ShowAudio, StemAudio
from upbeat.play.advance import Span
from upbeat.play.hand import Hand, before
from upbeat.play.plan import ShowPlan
from upbeat.play.runs import Fade, Slice

#: Frames that are mixed at a time: samples of many stems stay near from one step to the next. A meter of a stem looks at as many,
#: and is shown some 20 times a second.
PIECE = 2048
_STRETCH = 8192  # frames read at a time: what a file costs, however little is read of it


@dataclass(frozen=True, kw_only=True)
class Change:
    """How changes of the mix take place: over ``ramp`` frames, parts in ``slow`` over their own.

    ``rows`` (boolean): rows in which changes under way are given up for it, besides what it changes.
    """

    ramp: int
    slow: Mapping[str, int]
    rows: np.ndarray | None = None

    def rows_of(self, count: int) -> np.ndarray | None:
        """``rows`` with as many more behind them as make ``count``."""
        return None if self.rows is None else np.pad(self.rows, (0, count - len(self.rows)))


def under_way(hand: Hand, frame: int, matrix: Callable[[Hand], np.ndarray]) -> list[Going]:
    """What the changes by hand that began before an output frame, and are not over there, do to a ``matrix``."""
    now = [m for m in hand.moves if m.frame < frame < m.end]
    return [Going(_shared(before(hand, m), matrix), m.frames, frame - m.frame) for m in now]


def _shared(hands: Sequence[tuple[Hand, float]], matrix: Callable[[Hand], np.ndarray]) -> np.ndarray:
    """What lies between the matrices of some mixes by hand, by the share of each."""
    if len(hands) == 1:
        return matrix(hands[0][0])
    made: np.ndarray = np.sum([np.float32(share) * matrix(hand) for hand, share in hands], axis=0)
    return made


class StemPeaks(NamedTuple):
    """The peak of every stem of an entry in output frames ``start`` to ``end``, before its gains, as a factor of full scale.

    A stem that reaches no row is not looked at: 0.
    """

    entry: int
    start: int
    end: int
    peaks: np.ndarray


class StemVoices:
    """The stems of the runs that sound, each through the matrix of its step.

    ``metered``: note in ``peaks`` how loud the stems of the last span were.
    """

    def __init__(self, plan: ShowPlan, audio: ShowAudio):
        self._plan, self._audio = plan, audio
        self.metered = False
        self.peaks: list[StemPeaks] = []
        self._channels = [[s.pcm.shape[1] for s in e.voices] for e in audio.entries]
        self._voices: dict[int, Ramped] = {}
        self._at_seams = Change(ramp=round(RAMP_S * plan.sample_rate), slow={})
        self._readers: dict[int, LaneReader] = {}  # by the number of channels

    def with_rows(self, old: np.ndarray, rows: int) -> None:
        """Go on with other rows (:meth:`Ramped.with_rows`) in place of the first ``rows``; inputs of treated stems stay."""
        for voice in self._voices.values():
            voice.with_rows(np.concatenate((old, np.arange(rows, len(voice.target)))))

    def go_on_from(self, before: StemVoices, entries: Mapping[int, int], old: np.ndarray, rows: int) -> None:
        """Go on where voices of a show before are: its ``entries`` by their place in this one, with other rows (:meth:`with_rows`)."""
        for was, now in entries.items():
            self._channels[now] = before._channels[was]
        self.restore(before._voices)
        self.with_rows(old, rows)

    def saved(self) -> dict[int, Ramped]:
        """Where the voices are, to be restored."""
        return {run: voice.copy() for run, voice in self._voices.items()}

    def restore(self, saved: dict[int, Ramped]) -> None:
        self._voices = {run: voice.copy() for run, voice in saved.items()}

    def render(
        self,
        span: Span,
        out: np.ndarray,
        treated: Mapping[int, np.ndarray],
        matrix: Callable[[Slice, Hand], np.ndarray],
        change: Change,
    ) -> None:
        """Add the stems of a span, in which the mix by hand is one, to ``out``, float32 (rows, frames).

        ``treated``: of an entry the inputs of its treated stems, to be added to as well. ``matrix``: of a slice with a mix
        by hand, (rows and those inputs, channels of its entry's voices).
        """
        self.peaks = []
        for s in span.slices:
            self._render_slice(s, span, out, treated.get(s.entry), matrix, change)
        sounding = {s.run for s in span.slices}
        # A run that just went quiet for good is forgotten; the newest stays for one that joins it.
        newest = max(sounding, default=-1)
        self._voices = {k: v for k, v in self._voices.items() if k in sounding or k >= newest}

    def _render_slice(
        self,
        s: Slice,
        span: Span,
        out: np.ndarray,
        treated: np.ndarray | None,
        matrix: Callable[[Slice, Hand], np.ndarray],
        change: Change,
    ) -> None:
        voice, target = self._voices.get(s.run), matrix(s, span.hand)
        if s.out > span.start:
            change = self._at_seams  # what the span begins with is under way by then
        slow: dict[int, int] = {}
        if change.slow:
            slow = {i: n for i, x in enumerate(self._stems(s)) if (n := change.slow.get(f"stem:{x.stem.id}"))}
        if voice is None:
            prepared = self._slow(s)
            voice = self._voices[s.run] = self._begun(s, target, prepared)
            if not s.joined:
                for going in under_way(span.hand, s.out, partial(matrix, s)):
                    voice.under_way(going)
            slow = prepared | slow
        if target is not voice.target:
            going_on = under_way(span.hand, s.out, partial(matrix, s))
            voice.to(target, change.ramp, slow, change.rows_of(len(target)), going_on)
        if not voice.lanes:
            voice.skip(s.frames)
            return
        alone = len(span.slices) == 1 and treated is None and not s.fades and out.flags.c_contiguous
        self._mix(s, voice, s.out - span.start, out, treated, alone)

    def _mix(
        self, s: Slice, voice: Ramped, place: int, out: np.ndarray, treated: np.ndarray | None, alone: bool
    ) -> None:
        """Add a slice to ``out`` from column ``place`` on, read a stretch at a time and mixed a piece at a time.

        ``alone``: nothing sounds beside it, so that its stems can be added to ``out`` one by one: sums are the same.
        """
        at = begun = end = 0
        lanes: Sequence[Lane] = ()
        blocks: Sequence[np.ndarray] = ()
        while at < s.frames:
            if at == end or lanes is not voice.lanes:
                begun, end, lanes = at, min(at + _STRETCH, s.frames), voice.lanes
                blocks = self._read(s, begun, end - begun, lanes)
            frames = min(PIECE, end - at)
            peaks = [np.zeros(len(lane.stems), dtype=np.float32) for lane in lanes]
            columns = slice(place + at, place + at + frames)
            if alone:
                voice.add(blocks, at - begun, out, columns, peaks)
            else:
                sound = voice.mix(blocks, frames, at - begun, peaks)
                for fade in s.fades:
                    apply_fade(sound, fade, s.out + at)
                out[:, columns] += sound[: len(out)]
                if treated is not None:
                    treated[:, columns] += sound[len(out) :]
            if self.metered:
                loud = stem_peaks(self._audio.entries[s.entry], lanes, peaks)
                self.peaks.append(StemPeaks(s.entry, s.out + at, s.out + at + frames, loud))
            at += frames

    def _read(self, s: Slice, at: int, frames: int, lanes: Sequence[Lane]) -> list[np.ndarray]:
        readers = [self._readers.setdefault(lane.channels, LaneReader()) for lane in lanes]
        return [r.read(self._stems(s), lane, s.src + at, frames) for r, lane in zip(readers, lanes, strict=True)]

    def _stems(self, s: Slice) -> tuple[StemAudio, ...]:
        return self._audio.entries[s.entry].voices

    def _slow(self, s: Slice) -> dict[int, int]:
        """Stems that change over beats where a section begins, and over how many frames."""
        step = self._plan.entries[s.entry].steps[s.step]
        if not step.fades or s.src > step.src_start:
            return {}
        lengths = dict(step.fades)
        return {i: lengths[x.stem.id] for i, x in enumerate(self._stems(s)) if x.stem.id in lengths}

    def _begun(self, s: Slice, matrix: np.ndarray, slow: dict[int, int]) -> Ramped:
        """The voice of a run that begins: continued from the run before, or on its own.

        What changes over beats starts from its value before, out of silence where there was none.
        """
        voice = Ramped(matrix, self._channels[s.entry])
        before = None if s.fresh else self._voices.get(s.run - 1)
        if s.joined and before is not None:
            voice.follow(before)
        elif slow:
            known = before is not None and before.channels is voice.channels
            start = before.target if before is not None and known else np.zeros_like(matrix)
            voice.come_from(start, slow, self._plan.entries[s.entry].steps[s.step].src_start - s.src)
        return voice


def stem_peaks(audio: EntryAudio, lanes: Sequence[Lane], loud: Sequence[np.ndarray]) -> np.ndarray:
    """The peak of every stem of an entry, of those of its lanes' stems, as a factor of full scale.

    Of a stem that is there more than once, for its gates and drives, the loudest counts.
    """
    peaks = np.zeros(len(audio.stems), dtype=np.float32)
    for lane, own in zip(lanes, loud, strict=True):
        raise_peaks(peaks, audio.stem_of, audio.scales, lane.places, own)
    return peaks


def apply_fade(sound: np.ndarray, fade: Fade, out: int) -> None:
    """Fade (rows, frames) that begin at output frame ``out``, in place.

    Equal power: sine up, cosine down, so that both sides of a seam keep their summed power.
    """
    n = sound.shape[1]
    a, b = max(0, fade.start - out), min(n, fade.start + fade.length - out)
    if a < b:
        x = (np.arange(a, b) + (out - fade.start) + 0.5) / fade.length
        sound[:, a:b] *= (np.sin if fade.up else np.cos)(np.pi / 2 * x).astype(np.float32)
    if fade.up and a > 0:
        sound[:, : min(a, n)] = 0
    if not fade.up and b < n:
        sound[:, max(0, b) :] = 0
