"""Prepared sound: the stems and click sounds of entries, read frame by frame."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from upbeat.audio.file_pcm import FilePcm, Pcm
from upbeat.audio.pcm import full_scale
from upbeat.mix.loops import Loop
from upbeat.song.hand_sounds import HandSound
from upbeat.song.stems import Stem
from upbeat.song.treatment import Drive, Gate

RAMP_S = 0.005  # rule M1


@dataclass(frozen=True, kw_only=True)
class StemAudio:
    """A prepared stem: ``pcm`` is (frames, channels), int16 or float32: in memory, mapped, or read from its file.

    In frames of ``pcm``: ``start`` to ``end`` (None: its end) sounds, faded in and out, and then
    ``tail`` (frames, channels), in the units of ``pcm``; ``delay`` puts it later. ``through``: the gate and the drive that
    ``pcm`` has been through.
    """

    stem: Stem
    pcm: Pcm
    delay: int = 0
    start: int = 0
    end: int | None = None
    fade_in: int = 0
    fade_out: int = 0
    tail: np.ndarray | None = None
    through: tuple[Gate | None, Drive | None] = (None, None)

    @classmethod
    def of(cls, stem: Stem, pcm: Pcm, sample_rate: int) -> StemAudio:
        """A stem with its settings in frames. A trimmed edge is ramped, so that it does not click (rule M1)."""
        ramp = round(RAMP_S * sample_rate)
        start, end = (
            round(stem.start_s * sample_rate),
            None if stem.end_s is None else min(len(pcm), round(stem.end_s * sample_rate)),
        )
        fade_in = max(round(stem.fade_in_s * sample_rate), ramp if start else 0)
        fade_out = max(round(stem.fade_out_s * sample_rate), ramp if end is not None and end < len(pcm) else 0)
        return cls(
            stem=stem,
            pcm=pcm,
            delay=round(stem.delay_ms * sample_rate / 1000),
            start=start,
            end=end,
            fade_in=fade_in,
            fade_out=fade_out,
        )

    @property
    def ends(self) -> int:
        """The frame of ``pcm`` that it ends at."""
        return len(self.pcm) if self.end is None else self.end

    @property
    def over(self) -> int:
        """The frame of ``pcm`` at which nothing of it sounds any more."""
        return self.ends + (0 if self.tail is None else len(self.tail))

    @cached_property
    def plain(self) -> tuple[int, int]:
        """The source frames from and to which it is int16 samples as they are in the file; an empty stretch where there are none."""
        if self.pcm.dtype != np.int16:
            return 0, 0
        return self.start + self.fade_in + self.delay, self.ends - self.fade_out + self.delay

    @property
    def scale(self) -> float:
        return full_scale(self.pcm)


@dataclass(frozen=True)
class EntryAudio:
    """What one entry sounds of: its stems and its four click sounds (mono float32).

    ``driven``: stems once more, through each gate and drive that they have somewhere.
    """

    stems: tuple[StemAudio, ...]
    click: tuple[np.ndarray, ...]
    click_gain: float = 1.0
    driven: tuple[StemAudio, ...] = ()

    @cached_property
    def voices(self) -> tuple[StemAudio, ...]:
        """Everything that may sound of its stems."""
        return (*self.stems, *self.driven)

    @cached_property
    def stem_of(self) -> np.ndarray:
        """Of every voice the place of its stem among ``stems``."""
        places = {s.stem.id: i for i, s in enumerate(self.stems)}
        return np.array([places[v.stem.id] for v in self.voices], dtype=int)

    @cached_property
    def scales(self) -> np.ndarray:
        """Of every voice the factor of full scale that one of its units is, float32."""
        return np.array([v.scale for v in self.voices], dtype=np.float32)


@dataclass(frozen=True)
class ShowAudio:
    """``words``: (text, shortened or not) to mono float32; ``hand_sounds``: each with (frames, channels) float32;
    ``pads``: those that can sound between songs."""

    entries: tuple[EntryAudio, ...]
    words: Mapping[tuple[str, bool], np.ndarray] = field(default_factory=dict)
    hand_sounds: tuple[tuple[HandSound, np.ndarray], ...] = ()
    pads: tuple[Loop, ...] = ()


def read_stem(stem: StemAudio, src: int, into: np.ndarray) -> None:
    """Copy frames from ``src`` (less the stem's delay) into (frames, channels), unscaled; silence outside."""
    frames = len(into)
    first, ends = src - stem.delay, stem.ends
    if first >= stem.start and first + frames <= ends:
        np.copyto(into, stem.pcm[first : first + frames])
    else:
        into[:] = 0
        if stem.tail is not None and (c := max(first, ends)) < (d := min(first + frames, stem.over)):
            np.copyto(into[c - first : d - first], stem.tail[c - ends : d - ends])
        a, b = max(first, stem.start), min(first + frames, ends)
        if a >= b:
            return
        np.copyto(into[a - first : b - first], stem.pcm[a:b])
    if first < stem.start + stem.fade_in or first + frames > ends - stem.fade_out:
        _fade_edges(stem, first, into)


def is_plain(stem: StemAudio, src: int, frames: int) -> bool:
    """Whether these frames from ``src`` on are int16 samples as they are in the file, away from its edges."""
    first, end = stem.plain
    return first <= src and src + frames <= end


def read_plain(stem: StemAudio, src: int, into: np.ndarray) -> None:
    """Copy frames that are plain (:func:`is_plain`) into (frames, channels) int16, in one piece."""
    first = src - stem.delay
    if isinstance(stem.pcm, FilePcm):
        stem.pcm.read(first, into)
    else:
        into[:] = stem.pcm[first : first + len(into)]


def _fade_edges(stem: StemAudio, first: int, into: np.ndarray) -> None:
    """A stem's own fades: half a cosine, which begins and ends level."""
    at = np.arange(first, first + len(into))
    for length, x in ((stem.fade_in, at - stem.start), (stem.fade_out, stem.ends - 1 - at)):
        if length:
            # What comes after the end is a tail, which no fade touches.
            x = np.where(at < stem.ends, x, length)
            into *= (0.5 - 0.5 * np.cos(np.pi * np.clip((x + 0.5) / length, 0, 1))).astype(np.float32)[:, None]
