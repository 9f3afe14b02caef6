"""Time signatures and the bars they make."""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise

from upbeat.errors import refuse

DENOMINATORS = (1, 2, 4, 8, 16, 32, 64)


@dataclass(frozen=True)
class TimeSignature:
    """``numerator/denominator``, with the felt beats of an uneven or compound bar.

    ``grouping`` adds up to the numerator: 7/8 as ``(2, 2, 3)``. Empty: every unit of the
    denominator is a beat.
    """

    numerator: int
    denominator: int
    grouping: tuple[int, ...] = ()

    def __post_init__(self) -> None:
        if not 1 <= self.numerator <= 64:
            raise refuse(
                "meter-numerator",
                f"A metre of {self.numerator}/{self.denominator} cannot be: the upper figure goes from 1 to 64.",
            )
        if self.denominator not in DENOMINATORS:
            raise refuse(
                "meter-denominator",
                f"A metre of {self.numerator}/{self.denominator} cannot be: the lower figure is 1, 2, 4, 8, 16, 32 or 64.",
            )
        if self.grouping and (sum(self.grouping) != self.numerator or min(self.grouping) < 1):
            shown = "+".join(map(str, self.grouping))
            raise refuse(
                "meter-grouping",
                f"The grouping {shown} does not add up to the {self.numerator} of {self.numerator}/{self.denominator}.",
            )

    @classmethod
    def parse(cls, text: str, grouping: str | Sequence[int] | None = None) -> TimeSignature:
        """Read ``7/8`` and a grouping such as ``2+2+3``, or both as ``7/8 2+2+3``. Raises :class:`Refused`."""
        match = re.fullmatch(r"\s*(\d{1,3})\s*/\s*(\d{1,3})(?:\s+\(?([\d+\s]+?)\)?)?\s*", str(text))
        if not match:
            raise refuse("meter-unreadable", f"“{text}” is not a metre: write it as 4/4, 7/8 or 7/8 2+2+3.")
        grouping = match[3] if not grouping and match[3] else grouping
        if isinstance(grouping, str):
            if not re.fullmatch(r"\s*(\d+\s*(\+\s*\d+\s*)*)?", grouping):
                raise refuse("meter-grouping", f"“{grouping}” is not a grouping: write it as 2+2+3.")
            grouping = [int(part) for part in grouping.split("+") if part.strip()]
        return cls(int(match[1]), int(match[2]), tuple(grouping or ()))

    @property
    def quarters(self) -> Fraction:
        """Length of one bar in quarter notes."""
        return Fraction(4 * self.numerator, self.denominator)

    @property
    def unit(self) -> Fraction:
        """Length of the denominator's unit in quarter notes."""
        return Fraction(4, self.denominator)

    @property
    def felt_beats(self) -> tuple[Fraction, ...]:
        """Start of every felt beat in quarter notes from the bar line."""
        starts, at = [], 0
        for units in self.grouping or (1,) * self.numerator:
            starts.append(at * self.unit)
            at += units
        return tuple(starts)

    def __str__(self) -> str:
        return f"{self.numerator}/{self.denominator}"


def counted(signature: TimeSignature) -> TimeSignature:
    """The signature with the beats a musician counts.

    6/8, 9/8 and 12/8 are counted in dotted quarters unless another grouping is given
    (compound metre, as in any rudiments of music).
    """
    compound = signature.denominator == 8 and signature.numerator in (6, 9, 12)
    if compound and not signature.grouping:
        return TimeSignature(signature.numerator, 8, (3,) * (signature.numerator // 3))
    return signature


class MeterMap:
    """Time signatures by the bar they begin at; bars count from 1 and go on for ever.

    Positions are quarter notes from bar 1, beat 1. Bars before 1 (a pickup) have the first
    signature.
    """

    def __init__(self, changes: Sequence[tuple[int, TimeSignature]] = ((1, TimeSignature(4, 4)),)):
        ordered = sorted(changes, key=lambda c: c[0])
        if not ordered or ordered[0][0] != 1:
            raise refuse("meter-first-bar", "The first metre has to stand at bar 1.")
        bars = [bar for bar, _ in ordered]
        if len(set(bars)) != len(bars):
            raise refuse("meter-twice", "Two metres stand at the same bar: leave one of them out.")
        self.changes = tuple(ordered)
        self._bars = bars
        self._starts = [Fraction(0)]
        for (bar, signature), (following, _) in pairwise(ordered):
            self._starts.append(self._starts[-1] + (following - bar) * signature.quarters)

    def at_bar(self, bar: int) -> TimeSignature:
        """The time signature of a bar."""
        return self.changes[max(0, bisect_right(self._bars, bar) - 1)][1]

    def bar_start(self, bar: int) -> Fraction:
        """Position of a bar line in quarter notes."""
        i = max(0, bisect_right(self._bars, bar) - 1)
        first, signature = self.changes[i]
        return self._starts[i] + (bar - first) * signature.quarters

    def bar_ticks(self, bars: int, per_quarter: int) -> list[int]:
        """Bar lines 1 to ``bars`` + 1 in whole parts of a quarter note; ``per_quarter`` has to be a multiple of 16."""
        lines = [0]
        for bar in range(1, bars + 1):
            signature = self.at_bar(bar)
            lines.append(lines[-1] + 4 * signature.numerator * per_quarter // signature.denominator)
        return lines

    def bar_at(self, position: Fraction) -> int:
        """The bar that a position lies in; a bar line belongs to the bar it opens."""
        i = max(0, bisect_right(self._starts, position) - 1)
        first, signature = self.changes[i]
        return first + int((position - self._starts[i]) // signature.quarters)

    def position(self, bar: int, beat: Fraction = Fraction(1)) -> Fraction:
        """Position of a beat, counted from 1 in units of the bar's denominator."""
        return self.bar_start(bar) + (beat - 1) * self.at_bar(bar).unit
