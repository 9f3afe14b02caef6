"""What a dress run finds, and what would mend it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from upbeat.errors import Problem

#: ``wrong``: it would go wrong on the night; ``look``: worth a look.
Severity = Literal["wrong", "look"]

#: What ``value`` and ``of`` are: ``turn_down``, ``turn_up``: decibels for the song ``of``; ``feed_down``: for the feed
#: ``of``; ``crossfade`` (ms), ``ring_on`` (s): of the song ``of``; ``rehearsal_only``: the stem ``of``
#: leaves the house; ``link_wait``: the entry ``of`` waits; ``shorter_form``: seconds that the form ``of`` saves.
MendKind = Literal[
    "turn_down", "turn_up", "feed_down", "crossfade", "ring_on", "rehearsal_only", "link_wait", "shorter_form"
]


@dataclass(frozen=True)
class Mend:
    """One change that would mend a fault."""

    kind: MendKind
    of: str
    value: float = 0.0


@dataclass(frozen=True, kw_only=True)
class Fault:
    """One thing found. ``entry``, ``bar`` and ``socket`` count from 1, None where it belongs to none.

    ``seam``: the sections, by their ids, whose join it is of.
    """

    code: str
    severity: Severity
    message: str
    entry: int | None = None
    bar: int | None = None
    socket: int | None = None
    mend: Mend | None = None
    seam: tuple[str, str] | None = None

    @classmethod
    def of(cls, problem: Problem, entry: int | None = None, mend: Mend | None = None) -> Fault:
        """What a rule refuses is wrong."""
        return cls(code=problem.code, severity="wrong", message=problem.message, entry=entry, mend=mend)


def worst_first(faults: Iterable[Fault]) -> list[Fault]:
    """In the order they are to be looked at: what is wrong, then by where it is."""
    return sorted(faults, key=lambda f: (f.severity != "wrong", f.entry or 0, f.bar or 0, f.socket or 0, f.code))
