"""Presses that change the course of the night: endings on the spot, the order, what comes after, marks."""

from __future__ import annotations

from typing import Literal

import msgspec

from upbeat.errors import Refused
from upbeat.limits import HAND_ENDINGS, MORE_ROUNDS
from upbeat.play.plan import ShowPlan
from upbeat.play.presses.registry import Answer, Marked, NoArguments, Outcome, always, pressed, refused
from upbeat.play.presses.transport import can_jump, missed, replanned
from upbeat.play.runs import ending_of, tonights_order
from upbeat.play.state import After, HandEnding, State
from upbeat.play.view import position
from upbeat.song.forms import Ending


class EndingTonight(msgspec.Struct, frozen=True):
    """``step``: index into the entry's steps; the one that plays without it. ``times``: in all, for ``repeat``."""

    ending: Literal["vamp", "repeat", "attacca", "fine"]
    times: int = 2
    step: int | None = None


class MoreRounds(msgspec.Struct, frozen=True):
    """``rounds``: how many besides the one that plays and those that are to come."""

    rounds: int = 1


class MoveEntry(msgspec.Struct, frozen=True):
    """``entry``: index from 0; ``to``: its place in tonight's order, from 0."""

    entry: int
    to: int


class PlayAfter(msgspec.Struct, frozen=True):
    """``entry``: index from 0; ``straight_on``: it begins on the last bar line of the present one."""

    entry: int
    straight_on: bool = False


class TakeForm(msgspec.Struct, frozen=True):
    """``entry``: the index of an entry in the form that is wanted."""

    entry: int


# --- endings on the spot (rule J6) ---------------------------------------------------------


@pressed("Sets for tonight how a step ends; the same once more takes it back (rule J6).", can_jump, EndingTonight)
def ending_tonight(plan: ShowPlan, state: State, args: EndingTonight, heard: int) -> Answer:
    run = state.music.run
    assert run is not None
    entry = plan.entries[run.entry]
    if args.step is None and missed(state.music, run, heard):
        return _too_late(plan, state, heard)
    step = run.step if args.step is None else args.step
    if step not in entry.playable:
        return refused(state, "step-unknown", "That section is not in tonight's form.")
    try:
        asked = Ending(args.ending, args.times if args.ending == "repeat" else 1)
    except Refused as no:
        return refused(state, no.problems[0].code, no.problems[0].message)
    by_hand = any((e.entry, e.step) == (run.entry, step) for e in state.music.tonight.endings)
    if ending_of(plan, state.music, run.entry, step) != asked:
        return _with_ending(plan, state, step, asked)
    if by_hand:
        return _with_ending(plan, state, step, None)
    return refused(state, "ending-same", f"{entry.steps[step].name} ends like that already.")


@pressed("Plays the present step some rounds more, then goes on (rule J6).", can_jump, MoreRounds)
def more(plan: ShowPlan, state: State, args: MoreRounds, heard: int) -> Answer:
    run = state.music.run
    assert run is not None
    if args.rounds not in MORE_ROUNDS:
        return refused(state, "more-rounds", f"A section is played {MORE_ROUNDS} rounds more, not {args.rounds}.")
    if missed(state.music, run, heard):
        return _too_late(plan, state, heard)
    now = ending_of(plan, state.music, run.entry, run.step)
    to_come = max(run.round, now.times) if now.kind == "repeat" else run.round
    try:
        asked = Ending("repeat", to_come + args.rounds)
    except Refused as no:
        return refused(state, no.problems[0].code, no.problems[0].message)
    return _with_ending(plan, state, run.step, asked)


def _too_late(plan: ShowPlan, state: State, heard: int) -> Answer:
    at = position(plan, state, heard)
    name = plan.entries[at["entry"]].steps[at["step"]].name
    return refused(state, "ending-late", f"Too late for {name}: its end is on its way already.")


def _with_ending(plan: ShowPlan, state: State, step: int, asked: Ending | None) -> Answer:
    """A step of the present entry with another ending for tonight; None for the prepared one."""
    music = state.music
    run = music.run
    assert run is not None
    prepared = plan.entries[run.entry].steps[step]
    others = tuple(e for e in music.tonight.endings if (e.entry, e.step) != (run.entry, step))
    own = () if asked is None or asked == prepared.ending else (HandEnding(run.entry, step, asked),)
    if len(others) + len(own) not in HAND_ENDINGS:
        return refused(state, "endings-many", f"{HAND_ENDINGS.high:g} endings are set by hand already: take one back.")
    # The newest press counts: what was asked for besides is taken back.
    next_up = None if step == run.step else music.next_up
    changed = music._replace(tonight=music.tonight._replace(endings=(*others, *own)), next_up=next_up)
    words = _words(prepared.name, prepared.ending if asked is None else asked, asked is None)
    return replanned(plan, state, changed), Outcome(accepted=True, code="ending", message=words)


def _words(name: str, ending: Ending, as_prepared: bool) -> str:
    match ending.kind:
        case "vamp":
            does = "goes round until it is released"
        case "repeat":
            does = f"is played {ending.times} times in all"
        case "fine":
            does = "ends the song"
        case _:
            does = "is played once, then it goes on"
    return f"{name} {does}{', as prepared' if as_prepared else ''}."


# --- the order (rules P3 and P7) -----------------------------------------------------------


def _known(plan: ShowPlan, state: State, entry: int) -> bool:
    return entry in tonights_order(plan, state.music)


@pressed("Chooses the entry that comes after the present one; the same once more takes it back.", can_jump, PlayAfter)
def play_after(plan: ShowPlan, state: State, args: PlayAfter, heard: int) -> Answer:
    run = state.music.run
    assert run is not None
    if not _known(plan, state, args.entry):
        return refused(state, "entry-unknown", "There is no such song in the setlist.")
    if position(plan, state, heard)["entry"] != run.entry:
        return refused(state, "after-late", "Too late: the song after this one is on its way already.")
    tonight, asked = state.music.tonight, After(args.entry, args.straight_on)
    title = plan.entries[args.entry].title
    if tonight.after == asked:
        changed = tonight._replace(after=None)
        words = "What comes next is as in the order again."
    else:
        changed = tonight._replace(after=asked)
        words = f"{title} follows straight on." if args.straight_on else f"{title} stands by after this song."
    music = state.music._replace(tonight=changed)
    return replanned(plan, state, music), Outcome(accepted=True, code="play_after", message=words)


@pressed("Moves an entry to another place of tonight's order; what plays is untouched.", always, MoveEntry)
def move(plan: ShowPlan, state: State, args: MoveEntry, heard: int) -> Answer:
    order = list(tonights_order(plan, state.music))
    if not _known(plan, state, args.entry) or not 0 <= args.to < len(order):
        return refused(state, "entry-unknown", "There is no such song or place in the setlist.")
    order.remove(args.entry)
    order.insert(args.to, args.entry)
    kept = () if order == list(plan.listed) else tuple(order)
    music = state.music._replace(tonight=state.music.tonight._replace(order=kept))
    title = plan.entries[args.entry].title
    changed = replanned(plan, state, music) if music.run is not None else state._replace(music=music)
    return changed, Outcome(accepted=True, code="move", message=f"{title} is number {args.to + 1} tonight.")


@pressed("Takes another form of an entry for tonight, or its own again.", always, TakeForm)
def take_form(plan: ShowPlan, state: State, args: TakeForm, heard: int) -> Answer:
    music = state.music
    known = 0 <= args.entry < len(plan.entries)
    if not known or plan.entries[args.entry].kept or plan.entries[args.entry].percent != 100:
        return refused(state, "entry-unknown", "There is no such song in the setlist.")
    entry, own = plan.entries[args.entry], plan.own(args.entry)
    now = next(e for e in tonights_order(plan, music) if plan.own(e) == own)
    if now == args.entry:
        return refused(state, "form-same", f"{entry.title} is played in this form already.")
    begun = music.run.entry if music.run is not None else music.place.entry if music.place is not None else None
    if begun is not None and plan.own(begun) == own:
        return refused(state, "form-begun", f"{entry.title} has begun: its form stays until it is over.")
    order = tuple(args.entry if e == now else e for e in tonights_order(plan, music))
    after = music.tonight.after
    if after is not None and plan.own(after.entry) == own:
        after = After(args.entry, after.straight_on)
    tonight = music.tonight._replace(order=() if order == plan.listed else order, after=after)
    changed = music._replace(tonight=tonight, entry=args.entry if music.entry == now else music.entry)
    words = f"{entry.title} is played in the form “{entry.form}” tonight."
    planned = replanned(plan, state, changed) if music.run is not None else state._replace(music=changed)
    return planned, Outcome(accepted=True, code="take_form", message=words)


# --- marks (rule P12) ----------------------------------------------------------------------


@pressed("Notes the moment for the report; in rehearsal for the chart too.", always)
def mark(plan: ShowPlan, state: State, args: NoArguments, heard: int) -> Answer:
    at = position(plan, state, heard)
    entry = plan.entries[at["entry"]]
    step = entry.steps[at["step"]]
    marked = Marked(
        song=entry.song.id,
        section=step.section,
        bar=max(1, at["bar"] - step.first_bar + 1),
        rehearsal=state.music.tonight.rehearsal,
    )
    words = f"Marked: {entry.title}, bar {at['bar']}."
    return state, Outcome(accepted=True, code="mark", message=words, frame=heard, bar=at["bar"], marked=marked)
