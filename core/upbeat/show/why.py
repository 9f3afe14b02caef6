"""Why a source of a show is heard at a socket, or not, at a place or as it is now by hand; and what is heard there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import log10

import numpy as np

from upbeat.errors import Refused, refuse
from upbeat.limits import FEED_GAIN_DB
from upbeat.mix.matrices import Matrices
from upbeat.mix.routing import Routing
from upbeat.mix.sounding import away_now, falls_back, hand_gain, standing, whole_gain
from upbeat.mix.sources.guides import Guides
from upbeat.mix.stem_audio import StemAudio, read_stem
from upbeat.outputs.ways import Wanted
from upbeat.outputs.why import Mend, Source, Stop, Why, why
from upbeat.play.hand import AUDIBLE, Hand
from upbeat.play.plan import EntryPlan, Link, StepPlan
from upbeat.show.bounce import rehearse
from upbeat.show.document import Show
from upbeat.show.ready import ReadyShow
from upbeat.song.stems import GUIDE_GROUPS, GUIDES

_ROUNDING = 1e-7  # of float32 sums that cancel each other
_GUIDES = {"click": "The click", "cues": "The voice"}


@dataclass(frozen=True, kw_only=True)
class Place:
    """Where in a show: entry and step from 0, the bar of the song from 1; ``frames``: of the stems; ``guides``: which sound there."""

    entry: int
    step: int
    bar: int
    frames: tuple[int, int]
    guides: frozenset[str]


def place_at(ready: ReadyShow, entry: int, bar: int) -> Place:
    """The first time that a bar (from 1) of an entry (from 0) is played. Raises :class:`Refused`."""
    _, events = rehearse(ready, None, entry)
    lines = [e for e in events if e["kind"] == "bar"]
    at = next((i for i, e in enumerate(lines) if e["bar"] == bar), None)
    if at is None:
        raise refuse("bar-not-played", f"Bar {bar} is not played in entry {entry + 1}: choose another.")
    step, plan = lines[at]["step"], ready.plan.entries[entry]
    frames = int(plan.bar_frames[bar - 1]), int(plan.bar_frames[bar])
    first = lines[at]["frame"]
    last = first + frames[1] - frames[0]
    sounding = {e["kind"] for e in events if first <= e["frame"] < last}
    guides = frozenset(g for g, kind in (("click", "click"), ("cues", "cue")) if kind in sounding)
    return Place(entry=entry, step=step, bar=bar, frames=frames, guides=guides)


def entry_alone(show: Show, entry: str, form: str | None = None) -> Show:
    """A show of one of its entries, by its id, in the form that it has or in another one. Raises :class:`Refused`."""
    own = next((e for e in show.entries if e.id == entry), None)
    if own is None:
        raise refuse("entry-gone", "The song that sounds is not in the setlist any more: ask again in the next one.")
    one = replace(own, link=Link(), form=form or own.form)
    songs = {own.song: show.songs[own.song]}
    return replace(show, entries=(one,), songs=songs, hand_sounds=(), palette=(), intervals={})


def place_now(ready: ReadyShow, step: int, bar: int) -> Place:
    """A bar (from 1) of a show of one entry, as it plays in a step (from 0): it may have been reached by hand."""
    plan = ready.plan.entries[0]
    step, bar = min(step, len(plan.steps) - 1), min(bar, plan.bars)
    try:
        return replace(place_at(ready, 0, bar), step=step)
    except Refused:
        frames = int(plan.bar_frames[bar - 1]), int(plan.bar_frames[bar])
        clicks = ((plan.click_frames >= frames[0]) & (plan.click_frames < frames[1])).any()
        return Place(entry=0, step=step, bar=bar, frames=frames, guides=frozenset({"click"} if clicks else ()))


def why_at(ready: ReadyShow, source: str, socket: int, place: Place, hand: Hand | None = None) -> Why:
    """Why ``source`` (``stem:ID``, ``click``, ``cues`` or ``feed:ID``) is heard at a socket, or not. Raises :class:`Refused`."""
    return _Here(ready, place, hand or Hand()).why(source, socket)


def heard_at(ready: ReadyShow, socket: int, place: Place, hand: Hand | None = None) -> list[tuple[str, Why]]:
    """What is heard at a socket, each stem and guide, the one with the most gain first."""
    here = _Here(ready, place, hand or Hand())
    stems = [f"stem:{s.id}" for s in ready.plan.entries[place.entry].song.stems]
    found = [(source, here.why(source, socket)) for source in (*GUIDES, *stems)]
    return sorted((one for one in found if one[1].heard), key=lambda one: -(one[1].db or 0.0))


class _Here:
    """A show at a place with a mix by hand."""

    def __init__(self, ready: ReadyShow, place: Place, hand: Hand):
        self._ready, self._place, self._hand = ready, place, hand.settled
        self._entry: EntryPlan = ready.plan.entries[place.entry]
        self._step: StepPlan = self._entry.steps[place.step]
        self._audio = ready.audio.entries[place.entry]
        self._away = away_now(ready.show.away, self._hand, self._entry)

    def why(self, source: str, socket: int) -> Why:
        routing = self._ready.show.routing
        return why(routing, self._source(source), socket, self._hand, self._db(source, socket))

    # --- the source by itself ---

    def _source(self, source: str) -> Source:
        kind, _, name = source.partition(":")
        if source in GUIDES:
            return self._guide(source)
        if kind == "stem":
            stem = next((s for s in self._audio.stems if s.stem.id == name), None)
            if stem is None:
                raise refuse("source-unknown", f"“{self._entry.title}” has no stem {name}.")
            return self._stem(stem)
        feed = next((f for f in self._ready.show.routing.feeds if kind == "feed" and f.id == name), None)
        if feed is None:
            raise refuse("source-unknown", f"“{source}” is no source: name a stem, click, cues or a feed.")
        return Source(what=source, name=f"“{feed.name}”", wanted=Wanted(names=frozenset({source})))

    def _guide(self, source: str) -> Source:
        name = _GUIDES[source]
        part, silent, kept_out = self._hand.part(source), f"{name} has nothing", f"{name} never reaches the house."
        stop = None
        if part.on is False or part.db is None:
            stop = _taken_out(source, name)
        elif source not in self._place.guides:
            stop = Stop(code="silent-here", message=f"{silent} in bar {self._place.bar}.")
        own = self._audio.click_gain if source == "click" else 1.0
        return Source(
            what=source,
            name=name,
            wanted=Wanted(names=frozenset({source})),
            gain_db=_in_db(own * whole_gain(self._hand, source)),
            stop=stop,
            barred=Stop(code="guide-in-house", message=kept_out),
            alone=source in self._hand.alone,
        )

    def _stem(self, audio: StemAudio) -> Source:
        stem, part = audio.stem, f"stem:{audio.stem.id}"
        by_hand, name = self._hand.part(part), f"“{stem.name}”"
        mixed = falls_back(self._entry.song, self._hand)
        stands = standing(stem, self._away, self._step.tacet, mixed, by_hand.on)
        stop = None
        if stands not in AUDIBLE:
            stop = self._silent(stands, part, name, stem.covers)
        elif by_hand.db is None:
            stop = _taken_out(part, name)
        elif not _has_sound(audio, *self._place.frames):
            stop = Stop(code="silent-here", message=f"The file of {name} is silent in bar {self._place.bar}.")
        barred = None
        if stem.group in GUIDE_GROUPS:
            barred = Stop(code="guide-in-house", message=f"{name} is {stem.group}, which never reaches the house.")
        elif stem.purpose == "rehearsal":
            said = f"{name} is there to rehearse with, which never reaches the house."
            mend = Mend(kind="stem", of=stem.id, args={"purpose": "always"})
            barred = Stop(code="rehearsal-in-house", message=said, mend=mend)
        names = {part} if stem.feeds is not None else {part, f"group:{stem.group}"}
        level = 0.0 if mixed else dict(self._step.levels).get(stem.id, 0.0)
        return Source(
            what=part,
            name=name,
            wanted=Wanted(names=frozenset(names), feeds=dict(stem.feeds or ())),
            gain_db=round(self._entry.song.gain_db + stem.gain_db + level + _in_db(hand_gain(self._hand, part)), 2),
            stop=stop,
            barred=barred,
            alone=part in self._hand.alone,
        )

    def _silent(self, stands: str, part: str, name: str, covers: str | None) -> Stop:
        """Why a stem is silent whatever the way (rules M2, M6 and M7), and what would let it sound."""
        player = next((p.name for p in self._ready.show.players if p.id == covers), "Its player")
        come_in = Mend(kind="press", name="in_out", args={"part": part, "on": True})
        back = Mend(kind="press", name="as_prepared", args={"part": part})
        stems = Mend(kind="press", name="fallback", args={"on": False})
        mix = Mend(kind="press", name="fallback", args={"on": True})
        told: dict[str, tuple[str, Mend | None]] = {
            "out": (f"{name} was taken out by hand.", back),
            "rests": (f"{player} is on: {name} rests.", come_in),
            "nobody": (f"{name} covers nobody: say whom it covers.", come_in),
            "fallback": (f"{name} is kept for the fallback.", mix),
            "replaced": (f"The full mix plays in place of {name}.", stems),
            "pad": (f"{name} is a pad: it sounds between songs.", None),
            "waits": (f"{name} waits until it is brought in by hand.", come_in),
            "muted": (f"{name} is muted.", Mend(kind="stem", of=part[5:], args={"muted": False})),
            "tacet": (f"{name} is tacet in “{self._step.name}”.", come_in),
        }
        message, mend = told[stands]
        return Stop(code=stands, message=message, mend=mend)

    # --- what the matrix says ---

    def _db(self, source: str, socket: int) -> float | None:
        """The greatest gain of what sounds here from a source to a socket; None for none at all."""
        routing = self._ready.show.routing
        if socket not in [s.number for s in routing.sockets]:
            return None
        gains = self._gains(routing, socket)
        if not source.startswith("feed:"):
            return _loudest([gains[source]])
        without = self._gains(_without(routing, source[5:]), socket)
        return _loudest([gains[name] - without[name] for name in self._audible()])

    def _gains(self, routing: Routing, socket: int) -> dict[str, np.ndarray]:
        """The gains of the channels of every stem and guide on a socket."""
        row = [s.number for s in routing.sockets].index(socket)
        matrices = Matrices(self._ready.plan, self._ready.audio, routing, self._ready.show.away, ())
        stems = matrices.of_step(self._place.entry, self._place.step, self._hand)[row]
        found, at = {}, 0
        for audio in self._audio.stems:
            channels = audio.pcm.shape[1]
            found[f"stem:{audio.stem.id}"] = stems[at : at + channels] / audio.scale
            at += channels
        for column, value in zip(Guides.columns, matrices.of_source(Guides.columns, self._hand)[row], strict=True):
            found[column.source] = np.array([value * (self._audio.click_gain if column.source == "click" else 1.0)])
        return found

    def _audible(self) -> list[str]:
        """The sources that have sound here."""
        stems = [f"stem:{s.stem.id}" for s in self._audio.stems if self._stem(s).stop is None]
        return [*stems, *self._place.guides]


def _without(routing: Routing, feed: str) -> Routing:
    """A routing in which nothing of a feed is heard anywhere. Its wires stay: a house feed keeps guides off its sockets (M3)."""
    feeds = tuple(
        replace(
            f,
            sends=tuple(s for s in f.sends if s.source != f"feed:{feed}"),
            gain_db=FEED_GAIN_DB.low if f.id == feed else f.gain_db,
        )
        for f in routing.feeds
    )
    return replace(routing, feeds=feeds)


def _loudest(gains: Sequence[np.ndarray]) -> float | None:
    most = max((float(np.abs(g).max(initial=0.0)) for g in gains), default=0.0)
    return round(20 * log10(most), 2) if most > _ROUNDING else None


def _taken_out(part: str, name: str) -> Stop:
    mend = Mend(kind="press", name="as_prepared", args={"part": part})
    return Stop(code="out", message=f"{name} was taken out by hand.", mend=mend)


def _has_sound(audio: StemAudio, first: int, last: int) -> bool:
    sound = np.empty((last - first, audio.pcm.shape[1]), dtype=np.float32)
    read_stem(audio, first, sound)
    return bool(sound.any())


def _in_db(factor: float) -> float:
    return 20 * log10(factor) if factor > 0 else FEED_GAIN_DB.low
