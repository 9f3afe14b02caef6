"""A show compiled for playing: every bar line and beat as a frame (made by ``compile``)."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal, NamedTuple

import numpy as np

from upbeat.cues.place import WordLengths
from upbeat.cues.usual_words import COUNTS
from upbeat.messages.held import Outgoing
from upbeat.messages.programs import ProgramAt, programs_of
from upbeat.messages.score import Score
from upbeat.play.hand import TONES, PlayerTonight, through
from upbeat.play.line_check import LineSocket
from upbeat.play.tracks import Track
from upbeat.song.forms import Ending
from upbeat.song.guides import CountIn
from upbeat.song.hand_sounds import Again
from upbeat.song.screen import Shows
from upbeat.song.song import Song
from upbeat.song.treatment import Treatment

GUIDE_NAMES = {"click": "The click", "cues": "The cues"}

LinkKind = Literal["wait", "attacca", "after"]


def tone_id(name: str, tonic: int | None) -> str:
    """The id of a tone in a key; in C where none is known."""
    return f"tone:{name}:{tonic or 0}"


@dataclass(frozen=True)
class Link:
    """What happens after an entry. ``seconds``: the silence of ``after``.

    ``pad``: what sounds until the next bar 1: ``song`` for the pad of the entry that comes, or the name of a tone.
    """

    kind: LinkKind = "wait"
    seconds: float = 0.0
    pad: str = ""


@dataclass(frozen=True, kw_only=True)
class StepPlan:
    """A step with its bars (``first_bar`` counts from 1) and the frames of its stem audio.

    ``levels``: decibels that stems differ by in it; ``fades``: frames over which stems change to
    what they are in it, where it is not at once; ``treatments``: what treated stems go through in it;
    ``cues``: free cues as (frame, text), in order.
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
    treatments: tuple[tuple[str, Treatment], ...] = ()
    cues: tuple[tuple[int, str], ...] = ()
    called: bool = True
    lead: int = 1

    @cached_property
    def cue_track(self) -> Track[str]:
        """The texts of free cues by the frame they are perceived at."""
        return Track([frame for frame, _ in self.cues], [text for _, text in self.cues])


@dataclass(frozen=True, kw_only=True)
class EntryPlan:
    """One song of the setlist in one form, in frames of the stems' own zero.

    ``bar_frames``: int64, bar lines 1 to n+1. ``click_frames`` and ``click_voices``: the click
    of every bar in order. ``count_frames``: the beats a musician counts, with ``count_first``
    giving each bar's first index (n+1 entries). ``lead``: frames of pickup before bar 1.
    ``half``: half the crossfade. ``audio_end``: where the last stem is over. ``of``: the entry that
    it is another form of, None where it is that of the setlist. ``kept``: it sounds on as it was before changes
    were taken in; ``of`` is then what it is now, None where it is not in the setlist any more. ``title_call``: what is spoken before
    its count-in, "" for nothing. ``players``: who is on in it, or away, other than in the show.
    ``pad``: the pad stem of its song (by id), "" for none; ``tonic``: of its key, 0 for C, None where that is not known.
    ``score``: its messages to devices; ``ticks``: of MIDI clock, from bar 1 on, by their numbers from 0.
    ``timecode``: the label of bar 1. ``screen``: what screens for the audience show. ``percent``: of the tempo that it is
    played in; less than 100 in rehearsal alone (rule V2).
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
    of: int | None = None
    kept: bool = False
    title_call: str = ""
    players: tuple[PlayerTonight, ...] = ()
    pad: str = ""
    tonic: int | None = None
    score: Score = field(default_factory=Score)
    ticks: Track[int] = field(default_factory=lambda: Track([], ()))
    timecode: str = "00:00:00:00"
    screen: Shows = "song"
    percent: int = 100

    @cached_property
    def click_track(self) -> Track[int]:
        """The click's voices by frame."""
        return Track(self.click_frames.tolist(), self.click_voices.tolist())

    @cached_property
    def bar_track(self) -> Track[int]:
        """Bar numbers, from 1, by the frame of their bar line."""
        return Track(self.bar_frames[:-1].tolist(), range(1, self.bars + 1))

    @cached_property
    def programs(self) -> Mapping[str, tuple[ProgramAt, ...]]:
        """The programs of each device in order, as a pedal steps through them."""
        return programs_of(self.score)

    # Plain numbers for what is looked up one at a time: bisect takes a fraction of the time of numpy's search.

    @cached_property
    def _lines(self) -> list[int]:
        return list(self.bar_frames.tolist())

    @cached_property
    def _counts(self) -> list[int]:
        return list(self.count_frames.tolist())

    @cached_property
    def _first_counts(self) -> list[int]:
        return list(self.count_first.tolist())

    @property
    def bars(self) -> int:
        return len(self.bar_frames) - 1

    @cached_property
    def playable(self) -> tuple[int, ...]:
        """Indices of the steps that are not cut."""
        return tuple(i for i, s in enumerate(self.steps) if s.ending.kind != "cut")

    @cached_property
    def lasting(self) -> int:
        """Frames that it lasts by itself, repeats included, a vamp counted once."""
        frames = 0
        for step in (self.steps[i] for i in self.playable):
            times = step.ending.times if step.ending.kind == "repeat" else 1
            frames += times * (step.src_end - step.src_start)
            if step.ending.kind == "fine":
                break
        return frames

    def bar_at(self, src: int) -> int:
        """The bar, counted from 1, that a frame lies in (0 and below in a pickup)."""
        return bisect_right(self._lines, src)

    def counts(self, first_bar: int, bars: int) -> list[int]:
        """Source frames of the counted beats of some bars."""
        first = self._first_counts
        return self._counts[first[first_bar - 1] : first[min(first_bar - 1 + bars, self.bars)]]


@dataclass(frozen=True, kw_only=True)
class HandSoundPlan:
    """A sound by hand of ``frames`` frames. ``of``: the sound it was, where it rings on from before a change."""

    name: str
    frames: int
    again: Again
    only: str = ""
    of: str | None = None


class DevicePlan(NamedTuple):
    """A device that gets messages, and those that it has by a name, by their ids. A note's ``frames`` are not known yet."""

    name: str
    messages: Mapping[str, Outgoing]


class TimecodePlan(NamedTuple):
    """A device that gets timecode at ``fps``. ``runs_on``: a jump of the song is none of the timecode.

    ``socket``: where it is heard as sound; None where it is MIDI.
    """

    device: str
    fps: str
    runs_on: bool
    socket: int | None = None


@dataclass(frozen=True)
class ShowPlan:
    """Everything the transport needs to know. ``intervals``: seconds of the one behind so many entries; ``counts``: the count words from one on, as they are spoken.

    ``feeds``: the name of each feed by its id; ``toned``: those that have a tone (rule M8). ``palette``: words to be said on the spot, as written and as spoken.
    ``hand_sounds``: sounds by hand by their id. ``pads``: the pads (by id) that can sound between songs.
    ``devices``: those that get messages, by their id. ``sockets``: those of the rig, for the line check. ``clocks``: devices that get MIDI clock; ``timecodes``: those that get timecode.
    """

    sample_rate: int
    entries: tuple[EntryPlan, ...]
    words: WordLengths = field(default_factory=dict)
    counts: tuple[str, ...] = COUNTS
    intervals: Mapping[int, float] = field(default_factory=dict)
    feeds: Mapping[str, str] = field(default_factory=dict)
    toned: frozenset[str] = frozenset()
    palette: Mapping[str, str] = field(default_factory=dict)
    hand_sounds: Mapping[str, HandSoundPlan] = field(default_factory=dict)
    pads: frozenset[str] = frozenset()
    sockets: tuple[LineSocket, ...] = ()
    devices: Mapping[str, DevicePlan] = field(default_factory=dict)
    clocks: tuple[str, ...] = ()
    timecodes: tuple[TimecodePlan, ...] = ()

    @cached_property
    def sends(self) -> bool:
        """Whether there is anything for a device."""
        named = any(d.messages for d in self.devices.values())
        return bool(self.clocks or self.timecodes or named) or any(e.score for e in self.entries)

    def pad_between(self, link: Link, following: EntryPlan) -> str:
        """The pad that sounds before an entry, "" where there is none."""
        pad = following.pad if link.pad == "song" else tone_id(link.pad, following.tonic)
        return pad if link.pad and pad in self.pads else ""

    @cached_property
    def listed(self) -> tuple[int, ...]:
        """The entries of the setlist, each in its own form."""
        return tuple(i for i, e in enumerate(self.entries) if e.of is None and not e.kept)

    def own(self, entry: int) -> int:
        """The entry of the setlist that an entry is, or is another form of."""
        of = self.entries[entry].of
        return entry if of is None else of

    @cached_property
    def treated(self) -> tuple[str, ...]:
        """The stems (by id) with a treatment, in the order of the setlist."""
        return tuple(dict.fromkeys(s.id for e in self.entries for s in e.song.stems if s.treated))

    @cached_property
    def parts(self) -> Mapping[str, str]:
        """The name of every part that has a level by hand (``hand``)."""
        stems = {f"stem:{s.id}": s.name for e in self.entries for s in e.song.stems}
        sounds = {f"sound:{i}": s.name for i, s in self.hand_sounds.items()}
        tones = {f"{t}:{i}": f"{self.feeds[i]}, {words}" for i in sorted(self.toned) for t, words in TONES.items()}
        for stem in (s for e in self.entries for s in e.song.stems):
            tones |= {f"{part}:stem:{stem.id}": f"{stem.name}, {words}" for part, words in through(stem).items()}
        return stems | GUIDE_NAMES | sounds | {f"feed:{i}": name for i, name in self.feeds.items()} | tones
