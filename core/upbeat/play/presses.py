"""Presses: one registry of what can be commanded, with typed arguments and the reason why not.

Adding a press is one function and one decorator here. The engine, the API's schema, the pages and
the table of the docs come from :data:`PRESSES`.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any

import msgspec

from upbeat.arguments import parsed
from upbeat.errors import Problem, Refused
from upbeat.play import calls
from upbeat.play.advance import start
from upbeat.play.plan import ShowPlan
from upbeat.play.runs import following_step, landing, step_of
from upbeat.play.state import Asked, Music, NextUp, Place, Run, Speech, State, When
from upbeat.play.view import position

STOP_FADE_S = 0.02  # long enough not to click on bass, short enough to be a stop


@dataclass(frozen=True, kw_only=True)
class Outcome:
    """The answer to a press: accepted or not, and in words why, or where it will happen.

    ``frame``: the output frame, ``bar`` the bar (from 1) at which it happens; ``late``: the bar line
    that was meant had been rendered already.
    """

    accepted: bool
    code: str
    message: str
    frame: int | None = None
    bar: int | None = None
    late: bool = False


class NoArguments(msgspec.Struct, frozen=True):
    """A press without arguments."""


class StandBy(msgspec.Struct, frozen=True):
    """``entry``: index from 0; the one after the present without it."""

    entry: int | None = None


class GoTo(msgspec.Struct, frozen=True):
    """``step``: index into the entry's steps, from 0."""

    step: int
    when: When = "section_end"


class OnceMore(msgspec.Struct, frozen=True):
    when: When = "section_end"


class Fallback(msgspec.Struct, frozen=True):
    on: bool = True


Answer = tuple[State, Outcome]
#: ``None``, or the reason why a press cannot be taken now, whatever its arguments.
Available = Callable[[ShowPlan, State], Problem | None]
#: ``heard``: the output frame that was audible when the press was made.
Apply = Callable[[ShowPlan, State, Any, int], Answer]


@dataclass(frozen=True, kw_only=True)
class Press:
    """A press by name. ``about`` is a sentence for the docs; ``arguments`` a msgspec type."""

    name: str
    about: str
    arguments: type[msgspec.Struct]
    available: Available
    apply: Apply


_REGISTRY: dict[str, Press] = {}
#: Every press by name, in the order of the docs' table.
PRESSES: Mapping[str, Press] = _REGISTRY


def _press(about: str, available: Available, arguments: type[msgspec.Struct] = NoArguments) -> Callable[[Apply], Apply]:
    def register(apply: Apply) -> Apply:
        name = apply.__name__
        _REGISTRY[name] = Press(name=name, about=about, arguments=arguments, available=available, apply=apply)
        return apply

    return register


def press(
    plan: ShowPlan, state: State, name: str, args: Mapping[str, Any] | None = None, heard: int | None = None
) -> Answer:
    """Apply a press at ``state.head``.

    ``heard``: the output frame that was audible at the press; frames from there to the head are
    held by the device. An unknown name or argument is answered with a refusal, never raised.
    """
    wanted = PRESSES.get(name)
    if wanted is None:
        return state, Outcome(accepted=False, code="press-unknown", message=f"There is no press called “{name}”.")
    reason = unavailable(plan, state, wanted)
    if reason is not None:
        return state, Outcome(accepted=False, code=reason.code, message=reason.message)
    try:
        typed = parsed(args or {}, wanted.arguments, f"The press “{name}”")
    except Refused as refused:
        problem = refused.problems[0]
        return state, Outcome(accepted=False, code=problem.code, message=problem.message)
    return wanted.apply(plan, state, typed, state.head if heard is None else min(heard, state.head))


def unavailable(plan: ShowPlan, state: State, wanted: Press) -> Problem | None:
    """Why a press cannot be taken now; None where it can."""
    if not plan.entries:
        return Problem("show-empty", "The show has no songs: put some in the setlist.")
    return wanted.available(plan, state)


def reasons(plan: ShowPlan, state: State) -> dict[str, Problem]:
    """The presses that cannot be taken now, each with the reason."""
    found = ((name, unavailable(plan, state, p)) for name, p in PRESSES.items())
    return {name: reason for name, reason in found if reason is not None}


# --- when presses can be taken -------------------------------------------------------------


def _always(plan: ShowPlan, state: State) -> Problem | None:
    return None


def _can_go(plan: ShowPlan, state: State) -> Problem | None:
    if state.music.run is not None:
        return Problem("go-guarded", "A song is playing: go is live again when it ends, or after stop.")
    if state.music.finished:
        return Problem("show-over", "The show is over: stand by a song to play on.")
    return None


def _can_stop(plan: ShowPlan, state: State) -> Problem | None:
    return Problem("stop-silent", "Nothing is playing.") if state.music.run is None else None


def _can_resume(plan: ShowPlan, state: State) -> Problem | None:
    if state.music.run is not None or state.music.place is None:
        return Problem("resume-nothing", "There is nothing to resume: press go.")
    return None


def _can_jump(plan: ShowPlan, state: State) -> Problem | None:
    return Problem("jump-silent", "Nothing is playing: press go first.") if state.music.run is None else None


def _can_release(plan: ShowPlan, state: State) -> Problem | None:
    run = state.music.run
    if run is None or step_of(plan, run).ending.kind != "vamp":
        return Problem("release-no-vamp", "There is no vamp to release here.")
    if following_step(plan.entries[run.entry], run.step) is None:
        return Problem("release-last", "This vamp is the last section: press stop to end it.")
    return None


def _can_take_back(plan: ShowPlan, state: State) -> Problem | None:
    if state.music.next_up is None:
        return Problem("take-back-nothing", "Nothing was asked for that could be taken back.")
    return None


def _can_stand_by(plan: ShowPlan, state: State) -> Problem | None:
    return Problem("stand-by-playing", "A song is playing: stop it first.") if state.music.run is not None else None


# --- what they do --------------------------------------------------------------------------


@_press("Starts the entry that stands by, after its count-in.", _can_go)
def go(plan: ShowPlan, state: State, args: NoArguments, heard: int) -> Answer:
    entry = plan.entries[state.music.entry]
    begun = start(plan, state, state.music.entry, entry.playable[0], None)
    return begun, Outcome(accepted=True, code="go", message=f"{entry.title} begins.", bar=1)


@_press("Stops, and keeps the place.", _can_stop)
def stop(plan: ShowPlan, state: State, args: NoArguments, heard: int) -> Answer:
    music, head = state.music, state.head
    assert music.run is not None
    place = position(plan, state, heard)
    # In a count-in the place is the bar that it leads to.
    bar = plan.entries[place["entry"]].bar_at(music.run.src_start) if place["counting"] else place["bar"]
    fade = round(STOP_FADE_S * plan.sample_rate)
    closed = replace(music.run, out_end=head, sounds_to=head + fade, ring=fade, out_half=0)
    at = Place(place["entry"], place["step"], max(1, bar))
    past = (*(_silenced(r, head, fade) for r in music.past), closed)
    stopped = music._replace(entry=at.entry, run=None, past=past, next_up=None, place=at)
    outcome = Outcome(accepted=True, code="stop", message=f"Stopped at bar {at.bar}.", frame=head, bar=at.bar)
    return state._replace(music=stopped, speech=Speech(), silence=head), outcome


def _silenced(run: Run, head: int, fade: int) -> Run:
    """A run that still rings, made to fade with a stop unless it would end sooner."""
    if run.sounds_to is not None and run.sounds_to <= head + fade:
        return run
    return replace(run, out_end=min(head, run.out_end or head), sounds_to=head + fade, ring=fade, out_half=0)


@_press("Goes on from the bar where it was stopped, after a count-in.", _can_resume)
def resume(plan: ShowPlan, state: State, args: NoArguments, heard: int) -> Answer:
    at = state.music.place
    assert at is not None
    outcome = Outcome(accepted=True, code="resume", message=f"Goes on from bar {at.bar}.", bar=at.bar)
    return start(plan, state, at.entry, at.step, at.bar), outcome


@_press("Makes a step next up, at the *when* given (rule J1).", _can_jump, GoTo)
def go_to(plan: ShowPlan, state: State, args: GoTo, heard: int) -> Answer:
    run = state.music.run
    assert run is not None
    if args.step not in plan.entries[run.entry].playable:
        return state, Outcome(accepted=False, code="step-unknown", message="That section is not in tonight's form.")
    kind: Asked = "once_more" if args.step == run.step else "go_to"
    return _ask(plan, state, args.step, args.when, kind, heard)


@_press("Plays the present step once more from its top (rule J5).", _can_jump, OnceMore)
def once_more(plan: ShowPlan, state: State, args: OnceMore, heard: int) -> Answer:
    run = state.music.run
    assert run is not None
    return _ask(plan, state, run.step, args.when, "once_more", heard)


@_press("Leaves a vamp at the end of its round.", _can_release)
def release(plan: ShowPlan, state: State, args: NoArguments, heard: int) -> Answer:
    run = state.music.run
    assert run is not None
    following = following_step(plan.entries[run.entry], run.step)
    assert following is not None
    return _ask(plan, state, following, "section_end", "release", heard)


@_press("Takes back what is next up by a press (rule J4).", _can_take_back)
def take_back(plan: ShowPlan, state: State, args: NoArguments, heard: int) -> Answer:
    return _replanned(plan, state, state.music._replace(next_up=None)), Outcome(
        accepted=True, code="take_back", message="Taken back."
    )


@_press("Makes an entry stand by while nothing plays.", _can_stand_by, StandBy)
def stand_by(plan: ShowPlan, state: State, args: StandBy, heard: int) -> Answer:
    index = state.music.entry + 1 if args.entry is None else args.entry
    if not 0 <= index < len(plan.entries):
        return state, Outcome(accepted=False, code="entry-unknown", message="There is no such song in the setlist.")
    music = state.music._replace(entry=index, place=None, finished=False)
    return state._replace(music=music), Outcome(
        accepted=True, code="stand_by", message=f"{plan.entries[index].title} stands by."
    )


@_press("Silences the house feeds and keeps time (rule M5).", _always)
def pull_house(plan: ShowPlan, state: State, args: NoArguments, heard: int) -> Answer:
    pulled = state._replace(hand=state.hand._replace(house_pulled=True))
    return pulled, Outcome(accepted=True, code="pull_house", message="The house is pulled; click and cues go on.")


@_press("Brings the house back in its place.", _always)
def bring_back(plan: ShowPlan, state: State, args: NoArguments, heard: int) -> Answer:
    back = state._replace(hand=state.hand._replace(house_pulled=False))
    return back, Outcome(accepted=True, code="bring_back", message="The house is back.")


@_press("Plays the full mix in place of the stems, or the stems again (rule M6).", _always, Fallback)
def fallback(plan: ShowPlan, state: State, args: Fallback, heard: int) -> Answer:
    said = "The full mix plays in place of the stems." if args.on else "The stems play again."
    return state._replace(hand=state.hand._replace(fallback=args.on)), Outcome(
        accepted=True, code="fallback", message=said
    )


def _ask(plan: ShowPlan, state: State, step: int, when: When, kind: Asked, heard: int) -> Answer:
    run = state.music.run
    assert run is not None
    entry = plan.entries[run.entry]
    seam, bar = landing(plan, run, when, state.head, entry.half)
    # What was meant is where it would have landed from what was audible.
    meant, _ = landing(plan, run, when, heard, 0)
    late = when != "at_once" and (meant != seam or _missed(state.music, run, heard))
    changed = _replanned(
        plan, state, state.music._replace(next_up=NextUp(step=step, when=when, seam=seam, bar=bar, kind=kind))
    )
    if when == "at_once":
        kept = tuple(w for w in changed.speech.words if w.end <= seam)
        changed = changed._replace(speech=Speech(words=kept))
    name = entry.steps[step].name
    words = f"{name} comes at bar {bar}."
    if late:
        words = f"Too late for the bar line just passed: {words}"
    return changed, Outcome(accepted=True, code=kind, message=words, frame=seam, bar=bar, late=late)


def _replanned(plan: ShowPlan, state: State, music: Music) -> State:
    return state._replace(music=music, speech=calls.replaced(plan, music, state.speech, now=state.head))


def _missed(music: Music, run: Run, heard: int) -> bool:
    """Whether a seam was rendered already that was not audible yet."""
    return heard < run.out_start and any(r.entry == run.entry for r in music.past)
