"""Forms: lists of steps through the sections, and how each step ends (rules F2 and F3)."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, get_args

from upbeat.errors import refuse
from upbeat.limits import BARS, REPEATS

EndingKind = Literal["attacca", "repeat", "vamp", "fine", "cut"]
ENDINGS: tuple[EndingKind, ...] = get_args(EndingKind)


@dataclass(frozen=True)
class Ending:
    """What happens where a step ends (rule F3). ``times``: plays in all, for ``repeat``."""

    kind: EndingKind = "attacca"
    times: int = 1

    def __post_init__(self) -> None:
        if self.kind not in ENDINGS:
            raise refuse(
                "ending-unknown", f"“{self.kind}” is not an ending: choose attacca, repeat, vamp, fine or cut."
            )
        if self.kind == "repeat" and self.times not in REPEATS:
            raise refuse("ending-times", f"A repeat plays {REPEATS} times in all, not {self.times}.")


@dataclass(frozen=True)
class Step:
    """One step of a form. ``tacet``: stems silent in it besides the section's own.

    ``first``: the bar of the section it begins at, from 1; ``bars``: how many it plays from there, None for the rest.
    Of a section that is shorter by now, what is left of it is played, one bar at least.
    """

    section: str
    ending: Ending = Ending()
    cue: str = ""
    tacet: frozenset[str] = frozenset()
    first: int = 1
    bars: int | None = None

    def __post_init__(self) -> None:
        if self.first not in BARS or (self.bars is not None and self.bars not in BARS):
            raise refuse("step-bars", f"A step plays {BARS} bars of its section, from bar 1 on.")

    def bars_in(self, section_bars: int) -> tuple[int, int]:
        """The first and the last bar of it that are played, from 1, in a section of so many bars."""
        first = min(self.first, section_bars)
        return first, min(section_bars, first + (self.bars or section_bars) - 1)


@dataclass(frozen=True)
class Form:
    id: str
    name: str
    steps: tuple[Step, ...]


@dataclass(frozen=True)
class Join:
    """From the end of one section to the start of another; the same one twice where it is repeated.

    ``left``: the bars of ``old`` behind which it is left, None for all; ``entered``: the bar of ``new`` gone to.
    """

    old: str
    new: str
    left: int | None = None
    entered: int = 1


def played(form: Form) -> list[Step]:
    """The steps of a form that are not cut."""
    return [s for s in form.steps if s.ending.kind != "cut"]


def joins_of(form: Form) -> list[Join]:
    """Every join of a form once, in order: between steps, and of repeats and vamps with themselves."""
    steps = played(form)
    found: dict[Join, None] = {}
    for i, step in enumerate(steps):
        if step.ending.kind in ("repeat", "vamp"):
            found.setdefault(_join(step, step))
        if step.ending.kind != "fine" and i + 1 < len(steps):
            found.setdefault(_join(step, steps[i + 1]))
    return list(found)


def _join(step: Step, following: Step) -> Join:
    left = None if step.bars is None else step.first + step.bars - 1
    return Join(step.section, following.section, left, following.first)
