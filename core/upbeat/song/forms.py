"""Forms: lists of steps through the sections, and how each step ends (rules F2 and F3)."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, get_args

from upbeat.errors import refuse
from upbeat.limits import REPEATS

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
    """One step of a form. ``tacet``: stems silent in it besides the section's own."""

    section: str
    ending: Ending = Ending()
    cue: str = ""
    tacet: frozenset[str] = frozenset()


@dataclass(frozen=True)
class Form:
    id: str
    name: str
    steps: tuple[Step, ...]


@dataclass(frozen=True)
class Join:
    """From the end of one section to the start of another; the same one twice where it is repeated."""

    old: str
    new: str


def played(form: Form) -> list[Step]:
    """The steps of a form that are not cut."""
    return [s for s in form.steps if s.ending.kind != "cut"]


def joins_of(form: Form) -> list[Join]:
    """Every join of a form once, in order: between steps, and of repeats and vamps with themselves."""
    steps = played(form)
    found: dict[Join, None] = {}
    for i, step in enumerate(steps):
        if step.ending.kind in ("repeat", "vamp"):
            found.setdefault(Join(step.section, step.section))
        if step.ending.kind != "fine" and i + 1 < len(steps):
            found.setdefault(Join(step.section, steps[i + 1].section))
    return list(found)
