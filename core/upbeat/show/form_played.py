"""A form made of what was played (rule P12)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from upbeat.errors import refuse
from upbeat.limits import REPEATS
from upbeat.song.forms import Ending, Step
from upbeat.song.song import Section


@dataclass(frozen=True)
class BarsPlayed:
    """Bars ``first`` to ``last`` of a song in one go. ``cue`` and ``tacet``: of the step that they were played in."""

    first: int
    last: int
    cue: str = ""
    tacet: frozenset[str] = frozenset()


def form_played(title: str, sections: Sequence[Section], played: Sequence[BarsPlayed]) -> tuple[Step, ...]:
    """Steps that play these bars again in this order, the last one with a fine. Raises :class:`Refused`.

    What was played in two goes and runs straight on is one; the same bars of a section again and again are a repeat.
    A section that was left early, or entered late, is a step of some of its bars.
    """
    total = sum(s.bars for s in sections)
    last = max((p.last for p in played), default=0)
    if not played:
        raise refuse("played-nothing", f"Not a bar of “{title}” was played: there is no form to make of it.")
    if last > total:
        raise refuse(
            "played-changed",
            f"“{title}” was played up to bar {last} and has {total} bars by now: no form can be made of it any more.",
        )
    steps: list[Step] = []
    for go in _goes(played):
        for step in _steps(sections, go):
            if steps and replace(step, ending=steps[-1].ending) == steps[-1] and _times(steps[-1]) < REPEATS.high:
                steps[-1] = replace(step, ending=Ending("repeat", _times(steps[-1]) + 1))
            else:
                steps.append(step)
    if steps[-1].ending.kind == "attacca":
        steps[-1] = replace(steps[-1], ending=Ending("fine"))
    return tuple(steps)


def _times(step: Step) -> int:
    return step.ending.times if step.ending.kind == "repeat" else 1


def _goes(played: Sequence[BarsPlayed]) -> list[BarsPlayed]:
    """What runs straight on in the same way as one."""
    goes: list[BarsPlayed] = []
    for one in played:
        if (
            goes
            and replace(one, first=goes[-1].first) == replace(goes[-1], last=one.last)
            and one.first == goes[-1].last + 1
        ):
            goes[-1] = replace(goes[-1], last=one.last)
        else:
            goes.append(one)
    return goes


def _steps(sections: Sequence[Section], go: BarsPlayed) -> list[Step]:
    """The steps of one go, as far as it lies in each section."""
    steps, first = [], 1
    for section in sections:
        begins, ends = max(1, go.first - first + 1), min(section.bars, go.last - first + 1)
        if begins <= ends:
            bars = None if ends == section.bars else ends - begins + 1
            steps.append(Step(section.id, Ending(), go.cue, go.tacet, begins, bars))
        first += section.bars
    return steps
