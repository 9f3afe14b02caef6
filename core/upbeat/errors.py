"""Refusals and findings: one code for machines, one sentence for people."""

from __future__ import annotations

from dataclasses import asdict, dataclass


@dataclass(frozen=True)
class Problem:
    """Something wrong with something, and what to do about it.

    ``code`` is stable and lower-case with hyphens; ``message`` is one sentence.
    """

    code: str
    message: str

    def as_dict(self) -> dict[str, str]:
        return asdict(self)


class Refused(Exception):
    """Input that cannot be taken. Carries at least one :class:`Problem`."""

    def __init__(self, *problems: Problem):
        super().__init__("; ".join(p.message for p in problems))
        self.problems = problems


def refuse(code: str, message: str) -> Refused:
    """A :class:`Refused` of a single problem, to be raised by the caller."""
    return Refused(Problem(code, message))
