"""Presses of the transport: go, stop, jumps, and what stands by."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import msgspec

from upbeat.errors import Problem
from upbeat.limits import FADE_AWAY_S
from upbeat.play import calls, line_check, pads, shots
from upbeat.play.plan import ShowPlan
from upbeat.play.presses.registry import Answer, NoArguments, Outcome, pressed, refused
from upbeat.play.runs import (
    as_listed,
    coming_step,
    ending_of,
    following_entry,
    following_step,
    landing,
    start_fade,
    tonights_order,
)
from upbeat.play.starting import start
from upbeat.play.state import Asked, Music, NextUp, Place, Run, Silence, Speech, State, When
from upbeat.play.taking_in import resumed_at
from upbeat.play.view import position

JUST_ENDED_S = 1.0  # a go that was meant for the song before does not start the next one
STOP_FADE_S = 0.02  # long enough not to click on bass, short enough to be a stop


class StandBy(msgspec.Struct, frozen=True):
    """``entry``: index from 0; the one after the present without it, once until something is played or chosen."""

    entry: int | None = None


class GoTo(msgspec.Struct, frozen=True):
    """``step``: index into the entry's steps, from 0."""

    step: int
    when: When = "section_end"


class OnceMore(msgspec.Struct, frozen=True):
    when: When = "section_end"


class ChooseStep(msgspec.Struct, frozen=True):
    """``by``: how many steps forwards, or backwards below 0, from the one that comes next."""

    by: Literal[-1, 1] = 1
    when: When = "section_end"


class FadeAway(msgspec.Struct, frozen=True):
    seconds: float = 1.0


# --- when presses can be taken -------------------------------------------------------------


def _can_go(plan: ShowPlan, state: State) -> Problem | None:
    if state.music.run is not None:
        return Problem("go-guarded", "A song is playing: go is live again when it ends.")
    if state.music.place is not None:
        return Problem("go-stopped", "The song was stopped on its way: resume it, begin it again, or stand by another.")
    if state.music.finished:
        return Problem("show-over", "The show is over: stand by a song to play on.")
    if just_ended(plan, state):
        return Problem("go-just-ended", "The song has just ended: press go again for the next one.")
    return None


def just_ended(plan: ShowPlan, state: State) -> bool:
    """Whether a song came to its end a moment ago."""
    ended = state.music.ended
    return ended is not None and state.head < ended + round(JUST_ENDED_S * plan.sample_rate)


def _can_begin_again(plan: ShowPlan, state: State) -> Problem | None:
    if state.music.run is not None or state.music.place is None:
        return Problem("begin-again-nothing", "Nothing was stopped that could begin again.")
    return None


def can_stop(plan: ShowPlan, state: State) -> Problem | None:
    silent = state.music.run is None and not pads.sounding(state.pads) and not state.line.on
    return Problem("stop-silent", "Nothing is playing.") if silent else None


def _can_resume(plan: ShowPlan, state: State) -> Problem | None:
    if state.music.run is not None or state.music.place is None:
        return Problem("resume-nothing", "There is nothing to resume: press go.")
    return None


def can_jump(plan: ShowPlan, state: State) -> Problem | None:
    return Problem("jump-silent", "Nothing is playing: press go first.") if state.music.run is None else None


def _can_release(plan: ShowPlan, state: State) -> Problem | None:
    run = state.music.run
    if run is None or ending_of(plan, state.music, run.entry, run.step).kind != "vamp":
        return Problem("release-no-vamp", "There is no vamp to release here.")
    if following_step(plan.entries[run.entry], run.step) is None:
        return Problem("release-last", "This vamp is the last section: have it end here, or stop.")
    return None


def _can_take_back(plan: ShowPlan, state: State) -> Problem | None:
    if state.music.next_up is None:
        return Problem("take-back-nothing", "Nothing was asked for that could be taken back.")
    return None


def _can_stand_by(plan: ShowPlan, state: State) -> Problem | None:
    if state.music.run is not None:
        return Problem("stand-by-playing", "A song is playing: stop it first, or choose what comes after it.")
    return None


# --- what they do --------------------------------------------------------------------------


@pressed("Starts the entry that stands by, after its count-in.", _can_go)
def go(plan: ShowPlan, state: State, args: NoArguments, heard: int) -> Answer:
    return _from_its_top(plan, state, "go")


@pressed("Begins the song that was stopped from its top.", _can_begin_again)
def begin_again(plan: ShowPlan, state: State, args: NoArguments, heard: int) -> Answer:
    return _from_its_top(plan, state, "begin_again")


def _from_its_top(plan: ShowPlan, state: State, code: str) -> Answer:
    index = as_listed(plan, state.music, state.music.entry)
    entry = plan.entries[index]
    begun = started(plan, state, index, entry.playable[0], None)
    return begun, Outcome(accepted=True, code=code, message=f"{entry.title} begins.", bar=1)


@pressed("Stops, and keeps the place.", can_stop)
def stop(plan: ShowPlan, state: State, args: NoArguments, heard: int) -> Answer:
    fade = round(STOP_FADE_S * plan.sample_rate)
    run = state.music.run
    if run is None:
        return _quietened(plan, state, fade)
    closed = replace(run, out_end=state.head, sounds_to=state.head + fade, ring=fade, out_half=0)
    return _stopped(plan, state, closed, fade, Silence(state.head, start_fade(plan)), heard)


@pressed("Fades everything over some seconds, and stops there.", can_stop, FadeAway)
def fade_away(plan: ShowPlan, state: State, args: FadeAway, heard: int) -> Answer:
    if args.seconds not in FADE_AWAY_S:
        return refused(state, "fade-away-seconds", f"A fade lasts {FADE_AWAY_S} s, not {args.seconds:g}.")
    fade = round(args.seconds * plan.sample_rate)
    run = state.music.run
    if run is None:
        return _quietened(plan, state, fade)
    # Click and music go on under the fade.
    end = state.head + fade
    closed = replace(run, out_end=end, sounds_to=end, fade_from=state.head, out_half=0)
    changed, outcome = _stopped(plan, state, closed, fade, Silence(state.head, fade), heard)
    return changed, replace(outcome, code="fade_away", message=f"Fades away from bar {outcome.bar}.")


def _quietened(plan: ShowPlan, state: State, fade: int) -> Answer:
    """The pad or the line check that sounds while an entry stands by ends; the entry stands by as before."""
    checking = state.line.on
    code, words = ("check_end", "The line check is over.") if checking else ("pad_ended", "The pad ends.")
    line = line_check.ended(state.line, state.head, start_fade(plan))
    quiet = state._replace(pads=pads.faded(state.pads, state.head, fade), line=line)
    return quiet, Outcome(accepted=True, code=code, message=words, frame=state.head)


def _stopped(plan: ShowPlan, state: State, closed: Run, fade: int, silence: Silence, heard: int) -> Answer:
    music, head = state.music, state.head
    place = position(plan, state, heard)
    # In a count-in the place is the bar that it leads to.
    bar = plan.entries[place["entry"]].bar_at(closed.src_start) if place["counting"] else place["bar"]
    at = resumed_at(plan, music, Place(place["entry"], place["step"], max(1, bar)))
    past = (*(_silenced(r, head, fade) for r in music.past), closed)
    stopped = music._replace(entry=at.entry, run=None, past=past, next_up=None, place=at)
    words = tuple(w for w in state.speech.words if w.start < head)
    outcome = Outcome(accepted=True, code="stop", message=f"Stopped at bar {at.bar}.", frame=head, bar=at.bar)
    speech, quiet = Speech(words=words), shots.ended(state.shots, head, fade)
    faded = pads.faded(state.pads, head, fade)
    return state._replace(music=stopped, speech=speech, silence=silence, shots=quiet, pads=faded), outcome


def _silenced(run: Run, head: int, fade: int) -> Run:
    """A run that still rings, made to fade with a stop unless it would end sooner."""
    if run.sounds_to is not None and run.sounds_to <= head + fade:
        return run
    return replace(run, out_end=min(head, run.out_end or head), sounds_to=head + fade, ring=fade, out_half=0)


@pressed("Goes on from the bar where it was stopped, after a count-in.", _can_resume)
def resume(plan: ShowPlan, state: State, args: NoArguments, heard: int) -> Answer:
    at = state.music.place
    assert at is not None
    outcome = Outcome(accepted=True, code="resume", message=f"Goes on from bar {at.bar}.", bar=at.bar)
    return started(plan, state, at.entry, at.step, at.bar), outcome


def started(plan: ShowPlan, state: State, entry: int, step: int, bar: int | None, seam: int | None = None) -> State:
    """A step begins after its count-in, or at output frame ``seam``; under what still fades away there is no click any more."""
    past = tuple(
        r if r.fade_from is None else replace(r, out_end=min(state.head, r.out_end or state.head))
        for r in state.music.past
    )
    words = tuple(w for w in state.speech.words if w.start < state.head)
    still = state._replace(music=state.music._replace(past=past, left=None), speech=Speech(words=words), silence=None)
    return start(plan, still, entry, step, bar, seam)


@pressed("Makes a step next up, at the *when* given (rule J1).", can_jump, GoTo)
def go_to(plan: ShowPlan, state: State, args: GoTo, heard: int) -> Answer:
    run = state.music.run
    assert run is not None
    if args.step not in plan.entries[run.entry].playable:
        return refused(state, "step-unknown", "That section is not in tonight's form.")
    kind: Asked = "once_more" if args.step == run.step else "go_to"
    return ask(plan, state, args.step, args.when, kind, heard)


@pressed("Plays the present step once more from its top (rule J5).", can_jump, OnceMore)
def once_more(plan: ShowPlan, state: State, args: OnceMore, heard: int) -> Answer:
    run = state.music.run
    assert run is not None
    return ask(plan, state, run.step, args.when, "once_more", heard)


@pressed("Leaves a vamp at the end of its round.", _can_release)
def release(plan: ShowPlan, state: State, args: NoArguments, heard: int) -> Answer:
    run = state.music.run
    assert run is not None
    following = following_step(plan.entries[run.entry], run.step)
    assert following is not None
    return ask(plan, state, following, "section_end", "release", heard)


@pressed("Makes the step before or after the one that comes next up, round and round (rule J7).", can_jump, ChooseStep)
def choose(plan: ShowPlan, state: State, args: ChooseStep, heard: int) -> Answer:
    run = state.music.run
    assert run is not None
    playable = plan.entries[run.entry].playable
    coming = coming_step(plan, state.music, run)
    now = playable.index(run.step if coming is None else coming[0])
    step = playable[(now + args.by) % len(playable)]
    return ask(plan, state, step, args.when, "once_more" if step == run.step else "go_to", heard)


@pressed("Takes back what is next up by a press (rule J4).", _can_take_back)
def take_back(plan: ShowPlan, state: State, args: NoArguments, heard: int) -> Answer:
    music = state.music._replace(next_up=None)
    if music.round is not None:
        # A line that was passed meanwhile does not come again.
        music = music._replace(round=music.round._replace(since=max(music.round.since, state.head)))
    return replanned(plan, state, music), Outcome(accepted=True, code="take_back", message="Taken back.")


@pressed("Makes an entry stand by while nothing plays.", _can_stand_by, StandBy)
def stand_by(plan: ShowPlan, state: State, args: StandBy, heard: int) -> Answer:
    music, index = state.music, args.entry
    if index is None:
        if music.skipped:
            title = plan.entries[music.entry].title
            return refused(state, "stand-by-again", f"{title} stands by already: choose another in the order.")
        after = following_entry(plan, music, music.entry)
        index = -1 if after is None else after.entry
    if index not in tonights_order(plan, music):
        return refused(state, "entry-unknown", "There is no such song in the setlist.")
    skipped = args.entry is None
    music = music._replace(entry=index, place=None, finished=False, skipped=skipped, ended=None)
    words = f"{plan.entries[index].title} stands by."
    return state._replace(music=music), Outcome(accepted=True, code="stand_by", message=words)


def ask(plan: ShowPlan, state: State, step: int, when: When, kind: Asked, heard: int) -> Answer:
    run = state.music.run
    assert run is not None
    entry = plan.entries[run.entry]
    seam, bar = landing(plan, run, when, state.head, entry.half)
    # What was meant is where it would have landed from what was audible.
    meant, _ = landing(plan, run, when, heard, 0)
    late = when != "at_once" and (meant != seam or missed(state.music, run, heard))
    changed = replanned(
        plan, state, state.music._replace(next_up=NextUp(step=step, when=when, seam=seam, bar=bar, kind=kind))
    )
    if when == "at_once":
        spoken = changed.speech.words
        kept = tuple(w for w in spoken if w.end <= seam)
        asked = tuple(w.text for w in spoken if w.by_hand and w.end > seam and w.start >= state.head)
        changed = changed._replace(speech=Speech(words=kept, asked=(*asked, *changed.speech.asked)))
    name = entry.steps[step].name
    words = f"{name} comes at bar {bar}."
    if late:
        words = f"Too late for the bar line just passed: {words}"
    return changed, Outcome(accepted=True, code=kind, message=words, frame=seam, bar=bar, late=late)


def replanned(plan: ShowPlan, state: State, music: Music) -> State:
    return state._replace(music=music, speech=calls.replaced(plan, music, state.speech, now=state.head))


def missed(music: Music, run: Run, heard: int) -> bool:
    """Whether a seam was rendered already that was not audible yet."""
    return heard < run.out_start and music.left is not None and music.left.out_end == run.out_start
