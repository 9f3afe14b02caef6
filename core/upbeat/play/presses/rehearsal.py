"""Presses of rehearsal: from any bar, any bars round and round (rule P13)."""

from __future__ import annotations

from dataclasses import replace

import msgspec

from upbeat.errors import Problem
from upbeat.play.plan import ShowPlan
from upbeat.play.presses.registry import Answer, NoArguments, Outcome, pressed, refused
from upbeat.play.presses.transport import replanned, started, stop
from upbeat.play.runs import as_listed, start_fade, step_with, tonights_order
from upbeat.play.state import After, Music, Round, State
from upbeat.play.view import position


class Rehearse(msgspec.Struct, frozen=True):
    on: bool = True


class FromBar(msgspec.Struct, frozen=True):
    """``bar``: of the song that plays or stands by, from 1; ``count_in``: with a count-in before it."""

    bar: int
    count_in: bool = True


class RoundBars(msgspec.Struct, frozen=True):
    """``first`` and ``last``: bars of the song, both played; without them it goes on."""

    first: int | None = None
    last: int | None = None


class Slower(msgspec.Struct, frozen=True):
    """``percent``: of the tempo of the song that plays or stands by; 100 for its own."""

    percent: int


def _still(plan: ShowPlan, state: State) -> Problem | None:
    if state.music.run is not None:
        return Problem(
            "rehearse-playing", "A song is playing: a show does not become a rehearsal, nor a rehearsal a show."
        )
    return None


def _rehearsing(plan: ShowPlan, state: State) -> Problem | None:
    if not state.music.tonight.rehearsal:
        return Problem("rehearse-show", "This is a show: any bar can be played in rehearsal alone.")
    return None


@pressed("Makes it a rehearsal, or a show again, while nothing plays (rule P13).", _still, Rehearse)
def rehearse(plan: ShowPlan, state: State, args: Rehearse, heard: int) -> Answer:
    music = state.music._replace(tonight=state.music.tonight._replace(rehearsal=args.on), round=None)
    if not args.on:
        # What was rehearsed slower is played in its own tempo.
        for entry in tonights_order(plan, music):
            if plan.entries[entry].percent != 100:
                music = _instead(plan, music, entry, plan.own(entry))
    words = "This is a rehearsal." if args.on else "This is the show."
    return state._replace(music=music), Outcome(accepted=True, code="rehearse", message=words)


@pressed("Plays from a bar of the song, in rehearsal.", _rehearsing, FromBar)
def from_bar(plan: ShowPlan, state: State, args: FromBar, heard: int) -> Answer:
    run = state.music.run
    index = as_listed(plan, state.music, state.music.entry if run is None else run.entry)
    step = _step(plan, index, args.bar)
    if step is None:
        return refused(state, "bar-unknown", f"There is no bar {args.bar} in tonight's form of this song.")
    if run is not None:
        state, _ = stop(plan, state, NoArguments(), heard)
    words = f"From bar {args.bar}."
    outcome = Outcome(accepted=True, code="from_bar", message=words, bar=args.bar)
    seam = None if args.count_in else state.head + start_fade(plan)
    return started(plan, state, index, step, args.bar, seam), outcome


@pressed("Plays bars round and round, in rehearsal; without bars it goes on.", _rehearsing, RoundBars)
def round_bars(plan: ShowPlan, state: State, args: RoundBars, heard: int) -> Answer:
    music = state.music
    index = music.entry if music.run is None else music.run.entry
    bars = None
    if args.first is not None and args.last is not None:
        if _step(plan, index, args.first) is None or _step(plan, index, args.last) is None or args.first > args.last:
            words = f"Bars {args.first} to {args.last} cannot go round: both are bars of tonight's form, in order."
            return refused(state, "bar-unknown", words)
        half = plan.entries[index].half
        bars = Round(index, args.first, args.last, state.head + half)
    changed = music._replace(round=bars)
    words = "It goes on." if bars is None else f"Bars {bars.first} to {bars.last} go round and round."
    planned = replanned(plan, state, changed) if music.run is not None else state._replace(music=changed)
    return planned, Outcome(accepted=True, code="round_bars", message=words)


@pressed(
    "Plays the song slower, or in its own tempo again, from the bar that it is in, in rehearsal (rule V2).",
    _rehearsing,
    Slower,
)
def slower(plan: ShowPlan, state: State, args: Slower, heard: int) -> Answer:
    music = state.music
    now = as_listed(plan, music, music.entry if music.run is None else music.run.entry)
    own, title = plan.own(now), plan.entries[now].title
    at = own if args.percent == 100 else _at_percent(plan, own, args.percent)
    if at is None:
        words = f"{title} is not prepared at {args.percent} % of its tempo: have it prepared on its page, then load the show again."
        return refused(state, "slower-unprepared", words)
    if at == now:
        return refused(state, "slower-same", f"{title} is played at {args.percent} % already.")
    bar = None
    if music.run is not None:
        here = position(plan, state, heard)
        bar = max(1, here["bar"]) if plan.own(here["entry"]) == own else 1
    words = f"{title} at {args.percent} % of its tempo." if args.percent != 100 else f"{title} in its own tempo."
    outcome = Outcome(accepted=True, code="slower", message=words, bar=bar)
    if bar is None:
        return state._replace(music=_instead(plan, music, now, at)), outcome
    state, _ = stop(plan, state, NoArguments(), heard)
    state = state._replace(music=_instead(plan, state.music, now, at))
    step = _step(plan, at, bar)
    if step is None:
        return state, outcome
    return started(plan, state, at, step, bar, state.head + start_fade(plan)), outcome


def _at_percent(plan: ShowPlan, own: int, percent: int) -> int | None:
    """An entry of the setlist at so many per cent of its tempo, where it is prepared so."""
    found = (i for i, e in enumerate(plan.entries) if e.of == own and e.percent == percent and not e.kept)
    return next(found, None)


def _instead(plan: ShowPlan, music: Music, now: int, at: int) -> Music:
    """The music with entry ``at`` in the place of ``now``, wherever it is from now on."""
    order = tuple(at if e == now else e for e in tonights_order(plan, music))
    tonight, place, bars = music.tonight, music.place, music.round
    after = tonight.after
    if after is not None and after.entry == now:
        after = After(at, after.straight_on)
    endings = tuple(e._replace(entry=at) if e.entry == now else e for e in tonight.endings)
    return music._replace(
        tonight=tonight._replace(endings=endings, order=() if order == plan.listed else order, after=after),
        entry=at if music.entry == now else music.entry,
        place=replace(place, entry=at) if place is not None and place.entry == now else place,
        round=bars._replace(entry=at) if bars is not None and bars.entry == now else bars,
    )


def _step(plan: ShowPlan, entry: int, bar: int) -> int | None:
    return step_with(plan.entries[entry], bar) if 1 <= bar <= plan.entries[entry].bars else None
