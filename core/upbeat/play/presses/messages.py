"""Presses that send: messages that a device has by a name, and programs stepped through by a pedal (rule S1)."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

import msgspec

from upbeat.errors import Problem
from upbeat.messages.held import Outgoing
from upbeat.messages.kinds import Note
from upbeat.play.advance import beats_long
from upbeat.play.devices import program_now
from upbeat.play.plan import EntryPlan, ShowPlan
from upbeat.play.presses.registry import Answer, Outcome, pressed, refused
from upbeat.play.state import State, Stepped

BEAT_S = 0.5  # where nothing plays that has beats


class SendNamed(msgspec.Struct, frozen=True):
    """``device``: by its id; ``message``: one that it has by a name, by its id."""

    device: str
    message: str


class StepProgram(msgspec.Struct, frozen=True):
    """``by``: the next program of the song, or the one before; ``device``: of one alone, by its id; of all by itself."""

    by: Literal[-1, 1] = 1
    device: str = ""


class ProgramHere(msgspec.Struct, frozen=True):
    """``device``: one alone, by its id; all by itself."""

    device: str = ""


def _named(plan: ShowPlan, state: State) -> Problem | None:
    if any(d.messages for d in plan.devices.values()):
        return None
    return Problem(
        "send-none", "No device of this show has messages by a name: give it some beside the messages of a song."
    )


def _programs(plan: ShowPlan, state: State) -> Problem | None:
    entry = _entry(plan, state)
    return None if entry.programs else Problem("program-none", f"“{entry.title}” sends no programs.")


@pressed("Sends a message that a device has by a name (rule S1).", _named, SendNamed)
def send(plan: ShowPlan, state: State, args: SendNamed, heard: int) -> Answer:
    device = plan.devices.get(args.device)
    out = device.messages.get(args.message) if device is not None else None
    if device is None or out is None:
        return refused(state, "send-unknown", "No device of this show has such a message.")
    if isinstance(out.send, Note):
        out = out._replace(frames=_note_frames(plan, state, out.send))
    return _asked(state, [out]), Outcome(
        accepted=True, code="send", message=f"{device.name}: {out.name}.", frame=state.head
    )


@pressed("Goes to the next program of the song, or back by one, whatever is played (rule S1).", _programs, StepProgram)
def program(plan: ShowPlan, state: State, args: StepProgram, heard: int) -> Answer:
    entry, stepped, sent = _entry(plan, state), list[Stepped](), list[Outgoing]()
    listed = _listed(entry, args.device)
    if not listed:
        return _none(plan, state, entry, args.device)
    for device in listed:
        programs = entry.programs[device]
        at = program_now(plan, state, device, heard) + args.by
        if 0 <= at < len(programs):
            stepped.append(Stepped(device, _entry_index(plan, state), at))
            sent.append(programs[at].out)
    if not sent:
        which = "last" if args.by > 0 else "first"
        return refused(state, "program-last", f"That was the {which} program of “{entry.title}”.")
    return _stepped(plan, state, stepped, sent)


@pressed("Back to the program that the song has where it is (rule S1).", _programs, ProgramHere)
def program_here(plan: ShowPlan, state: State, args: ProgramHere, heard: int) -> Answer:
    entry = _entry(plan, state)
    listed = _listed(entry, args.device)
    if not listed:
        return _none(plan, state, entry, args.device)
    kept = [p for p in state.messages.stepped if p.device not in listed]
    bare = state._replace(messages=state.messages._replace(stepped=tuple(kept)))
    at = {device: max(0, program_now(plan, bare, device, heard)) for device in listed}
    return _stepped(plan, bare, [], [entry.programs[device][place].out for device, place in at.items()])


def _stepped(plan: ShowPlan, state: State, stepped: Iterable[Stepped], sent: list[Outgoing]) -> Answer:
    now = {p.device: p for p in (*state.messages.stepped, *stepped)}
    state = _asked(state._replace(messages=state.messages._replace(stepped=tuple(now.values()))), sent)
    words = ", ".join(f"{plan.devices[o.device].name}: {o.name or o.send.program}" for o in sent)  # type: ignore[union-attr]
    return state, Outcome(accepted=True, code="program", message=f"{words}.", frame=state.head)


def _asked(state: State, sent: list[Outgoing]) -> State:
    return state._replace(messages=state.messages._replace(asked=(*state.messages.asked, *sent)))


def _entry_index(plan: ShowPlan, state: State) -> int:
    return state.music.run.entry if state.music.run is not None else state.music.entry


def _entry(plan: ShowPlan, state: State) -> EntryPlan:
    return plan.entries[_entry_index(plan, state)]


def _listed(entry: EntryPlan, device: str) -> list[str]:
    return [d for d in entry.programs if device in ("", d)]


def _none(plan: ShowPlan, state: State, entry: EntryPlan, device: str) -> Answer:
    to = f" to {plan.devices[device].name}" if device in plan.devices else ""
    return refused(state, "program-none", f"“{entry.title}” sends no programs{to}.")


def _note_frames(plan: ShowPlan, state: State, note: Note) -> int:
    if state.music.run is None:
        return max(1, round(note.beats * BEAT_S * plan.sample_rate))
    return beats_long(plan, state.music, state.head, note.beats)
