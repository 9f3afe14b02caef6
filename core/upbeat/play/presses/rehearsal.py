"""Presses of rehearsal: from any bar, any bars round and round (rule P13)."""

from __future__ import annotations

import msgspec

from upbeat.errors import Problem
from upbeat.play.plan import ShowPlan
from upbeat.play.presses.registry import Answer, NoArguments, Outcome, pressed, refused
from upbeat.play.presses.transport import replanned, started, stop
from upbeat.play.runs import as_listed, start_fade, step_with
from upbeat.play.state import Round, State


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
    tonight = state.music.tonight._replace(rehearsal=args.on)
    words = "This is a rehearsal." if args.on else "This is the show."
    music = state.music._replace(tonight=tonight, round=None)
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


def _step(plan: ShowPlan, entry: int, bar: int) -> int | None:
    return step_with(plan.entries[entry], bar) if 1 <= bar <= plan.entries[entry].bars else None
