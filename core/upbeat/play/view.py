"""Where an output frame lies in the music, and what comes next, for pages and for stop."""

from __future__ import annotations

from bisect import bisect_right
from typing import NamedTuple, TypedDict

from upbeat.play.calls import called_step
from upbeat.play.hand import Hand, Waiting
from upbeat.play.plan import EntryPlan, ShowPlan
from upbeat.play.runs import (
    as_listed,
    following_entry,
    landing,
    round_line,
    seam_of,
    step_of,
    successor,
    tonights_order,
)
from upbeat.play.state import WHENS, Asked, Music, Run, State, When
from upbeat.song.forms import EndingKind


class Position(TypedDict):
    """``bar`` and ``beat`` count from 1; in a count-in ``bar`` is 0 or below and ``counting`` is true.

    ``phase``: how far the beat has gone, 0 to 1, of ``beat_s`` seconds; ``beats``: counted beats in the bar; ``song_s``: seconds of
    the song after its bar 1.
    """

    entry: int
    step: int
    round: int
    bar: int
    beat: int
    beats: int
    phase: float
    beat_s: float
    counting: bool
    song_s: float


class Coming(TypedDict):
    """The step after the present one (None: the entry ends), and the frame and bar it begins at.

    ``call``: what will be spoken before it, None where nothing is called.
    """

    step: int | None
    frame: int
    bar: int
    asked: Asked | None
    when: When
    call: str | None


class EndingNow(TypedDict):
    """An ending that was set on the spot."""

    entry: int
    step: int
    kind: EndingKind
    times: int


class AfterNow(TypedDict):
    entry: int
    straight_on: bool


class RoundNow(TypedDict):
    """Bars that are played round and round, counted from 1."""

    first: int
    last: int


class WaitingNow(TypedDict):
    """What a part will do, at a bar. ``on`` None: as prepared."""

    on: bool | None
    bar: int


class PartNow(TypedDict):
    """A part that is other than prepared by hand. ``db``: on top of its prepared level, None for off."""

    part: str
    db: float | None
    on: bool | None
    alone: bool
    waiting: WaitingNow | None


class LevelToKeep(TypedDict):
    """A level by hand of a stem, and the song's own level that it would become."""

    song: str
    title: str
    stem: str
    name: str
    db: float
    becomes: float


class TonightNow(TypedDict):
    """What is other than prepared tonight. ``order``: every entry, in the order they are to be played; ``played``: those
    that have begun; ``now``: the one that is heard, or stands by; ``following``: the one that comes after it, None after the last.
    """

    endings: list[EndingNow]
    order: list[int]
    after: AfterNow | None
    played: list[int]
    following: int | None
    now: int
    rehearsal: bool
    round: RoundNow | None


def position(plan: ShowPlan, state: State, frame: int) -> Position:
    """Where output frame ``frame`` lies in the music."""
    music = state.music
    if music.run is None and music.place is not None:
        at = music.place
        return _still(plan, at.entry, at.step, at.bar)
    run = run_at(music, frame)
    if run is None:
        return _still(plan, music.entry, 0, 1)
    entry, step = plan.entries[run.entry], step_of(plan, run)
    if frame < run.out_start:
        return _counting(plan, run, frame)
    src = run.src(frame)
    bar = min(entry.bar_at(src), step.first_bar + step.bars - 1)
    return _place(plan, run, bar, _beat(entry, bar, src, plan.sample_rate), src, counting=False)


def run_at(music: Music, frame: int) -> Run | None:
    """The run that an output frame belongs to, where anything plays or rings."""
    left = music.left if music.run is not None else None
    runs = [r for r in (left, *music.past, music.run) if r is not None]
    return next((r for r in reversed(runs) if r.out_start <= frame), runs[-1] if runs else None)


class _Beat(NamedTuple):
    """Beat (from 1), beats of the bar, how far the beat has gone, and how long it is."""

    beat: int
    beats: int
    phase: float
    beat_s: float


def _song_s(plan: ShowPlan, entry: EntryPlan, src: int) -> float:
    return round((src - int(entry.bar_frames[0])) / plan.sample_rate, 4)


def _place(plan: ShowPlan, run: Run, bar: int, at: _Beat, src: int, *, counting: bool) -> Position:
    return Position(
        entry=run.entry,
        step=run.step,
        round=run.round,
        bar=bar,
        beat=at.beat,
        beats=at.beats,
        phase=at.phase,
        beat_s=at.beat_s,
        counting=counting,
        song_s=_song_s(plan, plan.entries[run.entry], src),
    )


def _still(plan: ShowPlan, entry: int, step: int, bar: int) -> Position:
    """A place at which nothing moves."""
    own = plan.entries[entry] if plan.entries else None
    return Position(
        entry=entry,
        step=step,
        round=1,
        bar=bar,
        beat=1,
        beats=len(own.counts(bar, 1)) if own else 1,
        phase=0.0,
        beat_s=0.0,
        counting=False,
        song_s=_song_s(plan, own, int(own.bar_frames[bar - 1])) if own else 0.0,
    )


def _beat(entry: EntryPlan, bar: int, src: int, sample_rate: int) -> _Beat:
    """The beat at a source frame within ``bar``."""
    beats = entry.counts(bar, 1)
    i = max(0, bisect_right(beats, src) - 1)
    following = beats[i + 1] if i + 1 < len(beats) else int(entry.bar_frames[bar])
    length = max(1, following - beats[i])
    phase = (src - beats[i]) / length
    return _Beat(i + 1, len(beats), max(0.0, min(1.0, phase)), round(length / sample_rate, 4))


def _counting(plan: ShowPlan, run: Run, frame: int) -> Position:
    """A place in a count-in, which has the beats of the bar that follows it."""
    entry, step = plan.entries[run.entry], step_of(plan, run)
    bar = entry.bar_at(run.src_start)
    bar_start, bar_end = int(entry.bar_frames[bar - 1]), int(entry.bar_frames[bar])
    length = bar_end - bar_start
    left = run.out_start - frame
    back = -(-left // length)
    shown = step.first_bar if back == 0 else 1 - back
    at = _beat(entry, bar, bar_start + back * length - left, plan.sample_rate)
    return _place(plan, run, shown, at, run.src(frame), counting=True)


def coming(plan: ShowPlan, state: State) -> Coming | None:
    """What comes after the present step, by press or by itself; None while nothing plays."""
    run, n = state.music.run, state.music.next_up
    if run is None:
        return None
    called = called_step(plan, state.music)
    call = called[0].spoken if called else None
    if n is not None:
        return Coming(step=n.step, frame=n.seam, bar=n.bar, asked=n.kind, when=n.when, call=call)
    following, step = successor(plan, state.music, run), step_of(plan, run)
    rounds = state.music.round if round_line(plan, state.music, run) is not None else None
    return Coming(
        step=following[0] if following else None,
        frame=seam_of(plan, state.music, run),
        bar=step.first_bar + step.bars if rounds is None else rounds.last + 1,
        asked=None,
        when="section_end",
        call=call,
    )


def still_coming(plan: ShowPlan, state: State, frame: int) -> Coming | None:
    """The step that plays in a state, where at an output frame the one before it is still heard; else None."""
    run, left = state.music.run, state.music.left
    if run is None or left is None or left.entry != run.entry or frame >= run.out_start or left.out_end is None:
        return None
    bar = plan.entries[left.entry].bar_at(left.src(left.out_end) - 1) + 1
    return Coming(step=run.step, frame=run.out_start, bar=bar, asked=None, when="section_end", call=None)


def landings(plan: ShowPlan, state: State) -> dict[When, int]:
    """For each *when*, the bar at which a jump asked for now would happen; empty while nothing plays."""
    run = state.music.run
    if run is None:
        return {}
    half = plan.entries[run.entry].half
    return {when: landing(plan, run, when, state.head, half)[1] for when in WHENS}


def tonight_now(plan: ShowPlan, music: Music, entry: int) -> TonightNow:
    """What was changed on the spot, for pages. ``entry``: the one that is heard, or stands by."""
    after = music.tonight.after
    following = following_entry(plan, music, music.entry) if plan.entries else None
    return TonightNow(
        endings=[
            EndingNow(entry=e.entry, step=e.step, kind=e.ending.kind, times=e.ending.times)
            for e in music.tonight.endings
        ],
        order=list(tonights_order(plan, music)),
        after=None if after is None else AfterNow(entry=after.entry, straight_on=after.straight_on),
        played=list(music.tonight.played),
        following=None if following is None else following.entry,
        now=as_listed(plan, music, entry) if plan.entries else 0,
        rehearsal=music.tonight.rehearsal,
        round=None if music.round is None else RoundNow(first=music.round.first, last=music.round.last),
    )


def parts_now(plan: ShowPlan, state: State) -> list[PartNow]:
    """The parts that are other than prepared, or will be."""
    hand = state.hand
    waiting = {w.part: _waiting_now(plan, state, w) for w in hand.waiting}
    names = sorted({*waiting, *hand.alone, *(p.part for p in hand.parts)})
    return [
        PartNow(part=p.part, db=p.db, on=p.on, alone=p.part in hand.alone, waiting=waiting.get(p.part))
        for p in map(hand.part, names)
    ]


def _waiting_now(plan: ShowPlan, state: State, waiting: Waiting) -> WaitingNow:
    end, music = coming(plan, state), state.music
    bar = end["bar"] if end else 1
    if waiting.frame is not None:
        run = run_at(music, waiting.frame)
        bar = bar if run is None else plan.entries[run.entry].bar_at(run.src(waiting.frame))
    return WaitingNow(on=waiting.on, bar=bar)


def levels_to_keep(plan: ShowPlan, hand: Hand) -> list[LevelToKeep]:
    """The stems of a show whose level by hand is other than the prepared one, each once."""
    if not any(p.part.startswith("stem:") for p in hand.parts):
        return []
    songs = {e.song.id: e.song for e in plan.entries if not e.kept}
    return [
        LevelToKeep(
            song=song.id, title=song.title, stem=stem.id, name=stem.name, db=db, becomes=round(stem.gain_db + db, 2)
        )
        for song in songs.values()
        for stem in song.stems
        if (db := hand.part(f"stem:{stem.id}").db)
    ]
