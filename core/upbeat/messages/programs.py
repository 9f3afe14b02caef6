"""The programs of a song in the order in which its form comes to them: what a pedal steps through."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from upbeat.messages.held import Held, Outgoing, after
from upbeat.messages.kinds import Program
from upbeat.messages.score import Score

Where = tuple[int, int, int]  # step and round of a form, source frame


class ProgramAt(NamedTuple):
    """A program, and where the song comes to it; before everything for one of its start."""

    where: Where
    out: Outgoing


def programs_of(score: Score) -> dict[str, tuple[ProgramAt, ...]]:
    """The programs of every device that has any, in order; one that holds already is not told again.

    A vamp is gone through once.
    """
    found: dict[str, list[ProgramAt]] = {}
    held: Held = {}
    for out in score.start:
        held = _taken(found, held, out, (-1, 0, 0))
    for step, passes in enumerate(score.passes):
        for round_, one in enumerate(passes, 1):
            for frame, out in zip(one.frames, one.sent, strict=True):
                held = _taken(found, held, out, (step, round_, frame))
    return {device: tuple(programs) for device, programs in found.items()}


def _taken(found: dict[str, list[ProgramAt]], held: Held, out: Outgoing, where: Where) -> Held:
    if not isinstance(out.send, Program):
        return held
    now = after(held, out._replace(holds=True))
    send = now[out.device, "program"].send
    programs = found.setdefault(out.device, [])
    if not programs or programs[-1].out.send != send:
        programs.append(ProgramAt(where, out._replace(send=send)))
    return now


def come_to(programs: Sequence[ProgramAt], where: Where) -> int:
    """Which of the programs the song has come to at a place; -1 before the first."""
    return sum(one.where <= where for one in programs) - 1
