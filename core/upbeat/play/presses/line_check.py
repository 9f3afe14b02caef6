"""Presses of the line check (rule M11): while nothing plays, one socket after the other."""

from __future__ import annotations

from typing import Literal

import msgspec

from upbeat.errors import Problem
from upbeat.limits import LINE_CHECK_BEGINS_DB, LINE_CHECK_DB, LINE_CHECK_S
from upbeat.play import pads
from upbeat.play.line_check import Kind, LineSocket, begun, beside, checked, ended, levelled
from upbeat.play.plan import ShowPlan
from upbeat.play.presses.registry import Answer, NoArguments, Outcome, pressed, refused
from upbeat.play.runs import start_fade
from upbeat.play.state import State

_SOUNDS: dict[Kind, str] = {"tone": "a tone", "noise": "pink noise", "pulse": "a pulse", "voice": "its number"}


class CheckLine(msgspec.Struct, frozen=True):
    """``socket``: its number; without it the one that is checked, or the first. ``every_s``: on by itself after so many seconds, 0 by press."""

    kind: Kind = "tone"
    socket: int | None = None
    every_s: float = 0.0


class CheckNext(msgspec.Struct, frozen=True):
    by: Literal[-1, 1] = 1


class CheckLevel(msgspec.Struct, frozen=True):
    """``db``: dBFS, where a full sine has 0."""

    db: float


def _can_check(plan: ShowPlan, state: State) -> Problem | None:
    if state.music.run is not None or pads.sounding(state.pads):
        return Problem("line-check-playing", "A song is playing: the line check waits until it is over.")
    if not checked(plan.sockets):
        return Problem(
            "line-check-nothing", "The rig of this show has no socket that is ours: add sockets under Outputs."
        )
    return None


def _is_checking(plan: ShowPlan, state: State) -> Problem | None:
    return None if state.line.on else Problem("line-check-off", "No line check is on: begin one first.")


@pressed("Sends a tone, noise, a pulse or the spoken number to one socket (rule M11).", _can_check, CheckLine)
def check_line(plan: ShowPlan, state: State, args: CheckLine, heard: int) -> Answer:
    own = {s.number: s for s in checked(plan.sockets)}
    line, number = state.line, args.socket
    if number is None:
        number = line.socket if line.socket is not None else min(own)
    if number not in own:
        known = {s.number: s for s in plan.sockets}
        why = "is kept for another program" if number in known else "is not in the rig of this show"
        return refused(state, "line-check-socket", f"Socket {number} {why}: choose another.")
    if args.every_s and args.every_s not in LINE_CHECK_S:
        return refused(
            state, "line-check-range", f"A socket is checked for {LINE_CHECK_S} seconds: choose among these."
        )
    if args.kind == "voice" and own[number].spoken not in plan.words:
        return refused(
            state,
            "line-check-silent",
            f"The voice has no word for socket {number}: save the show again, or take a tone.",
        )
    fresh = line if line.on else line._replace(db=LINE_CHECK_BEGINS_DB)
    asked = fresh._replace(kind=args.kind, every=round(args.every_s * plan.sample_rate))
    return _at(plan, state._replace(line=asked), own[number])


@pressed("Takes the line check to the next socket, or back; after the last it is over.", _is_checking, CheckNext)
def check_next(plan: ShowPlan, state: State, args: CheckNext, heard: int) -> Answer:
    assert state.line.socket is not None
    following = beside(plan.sockets, state.line.socket, args.by)
    if following is not None:
        return _at(plan, state, following)
    if args.by < 0:
        return refused(state, "line-check-first", "This is the first socket.")
    done = state._replace(line=ended(state.line, state.head, start_fade(plan)))
    return done, Outcome(accepted=True, code="check_next", message="The last socket is checked.")


@pressed("Sets the level of the line check, which begins at −30 dBFS.", _is_checking, CheckLevel)
def check_level(plan: ShowPlan, state: State, args: CheckLevel, heard: int) -> Answer:
    if args.db not in LINE_CHECK_DB:
        return refused(state, "line-check-range", f"A line check has {LINE_CHECK_DB} dBFS: choose among these.")
    line = levelled(state.line, args.db, state.head, start_fade(plan))
    return state._replace(line=line), Outcome(accepted=True, code="check_level", message=f"{_db(args.db)}.")


@pressed("Ends the line check.", _is_checking)
def check_end(plan: ShowPlan, state: State, args: NoArguments, heard: int) -> Answer:
    done = state._replace(line=ended(state.line, state.head, start_fade(plan)))
    return done, Outcome(accepted=True, code="check_end", message="The line check is over.")


def _at(plan: ShowPlan, state: State, socket: LineSocket) -> Answer:
    line = begun(state.line, socket, state.head, start_fade(plan))
    words = f"{_named(socket)}: {_SOUNDS[line.kind]} at {_db(line.db)}."
    following = beside(plan.sockets, socket.number, 1)
    if following is not None and following.headphones:
        words += f" {_named(following)}, headphones, is next: off the ears."
    return state._replace(line=line), Outcome(accepted=True, code="check_line", message=words, frame=state.head)


def _named(socket: LineSocket) -> str:
    return f"Socket {socket.number}, {socket.name}" if socket.name else f"Socket {socket.number}"


def _db(db: float) -> str:
    return f"{db:g} dBFS".replace("-", "−")
