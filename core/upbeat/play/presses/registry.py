"""The registry of presses: what can be commanded, with typed arguments and the reason why not."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, NamedTuple

import msgspec

from upbeat.arguments import parsed
from upbeat.errors import Problem, Refused
from upbeat.play.plan import ShowPlan
from upbeat.play.state import State


class Marked(NamedTuple):
    """A place in a song that was noted: bar ``bar``, from 1, of a section."""

    song: str
    section: str
    bar: int
    rehearsal: bool


@dataclass(frozen=True, kw_only=True)
class Outcome:
    """The answer to a press: accepted or not, and in words why, or where it will happen.

    ``frame``: the output frame, ``bar`` the bar (from 1) at which it happens; ``late``: the bar line
    that was meant had been rendered already; ``marked``: the place that was noted.
    """

    accepted: bool
    code: str
    message: str
    frame: int | None = None
    bar: int | None = None
    late: bool = False
    marked: Marked | None = None


class NoArguments(msgspec.Struct, frozen=True):
    """A press without arguments."""


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


def pressed(
    about: str, available: Available, arguments: type[msgspec.Struct] = NoArguments
) -> Callable[[Apply], Apply]:
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


def always(plan: ShowPlan, state: State) -> Problem | None:
    """Of a press that can be taken at any time."""
    return None


def refused(state: State, code: str, message: str) -> Answer:
    """A press that is not taken, for its arguments or for the moment it came at."""
    return state, Outcome(accepted=False, code=code, message=message)
