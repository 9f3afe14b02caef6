"""The tempo map: musical position to seconds, in closed form.

Rules T1 and T2 of docs/playback.md. For a steady tempo the time of ``q`` quarter notes is
``60 q / bpm``. For a tempo that changes linearly with position, ``bpm(q) = b0 + k q``, it is
the integral of ``60 / (b0 + k q)``, that is ``60 / k * ln(1 + k q / b0)``; its inverse is
``q = b0 / k * (exp(k t / 60) - 1)``.
"""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction

from upbeat.errors import refuse

MIN_BPM, MAX_BPM = Fraction(5), Fraction(1000)
# Segment ends are kept on a grid of 2**-80 s: three hours of thousands of segments gather an
# error of 1e-20 s, and the fractions do not grow.
_GRID = 1 << 80


@dataclass(frozen=True)
class TempoPoint:
    """From ``position`` (quarter notes) on the tempo is ``bpm`` beats of ``unit`` quarters a minute.

    ``ramp``: it moves in a straight line to the bpm of the next point; else it holds.
    """

    position: Fraction
    bpm: Fraction
    unit: Fraction = Fraction(1)
    ramp: bool = False

    @property
    def quarter_bpm(self) -> Fraction:
        return self.bpm * self.unit


def parse_bpm(value: object) -> Fraction:
    """Read a tempo with any number of decimals. Raises :class:`Refused`."""
    try:
        bpm = Fraction(str(value).strip().replace(",", "."))
    except (ValueError, ZeroDivisionError):
        raise refuse("tempo-unreadable", f"“{value}” is not a tempo: write beats a minute, such as 126.50.") from None
    if not MIN_BPM <= bpm <= MAX_BPM:
        raise refuse(
            "tempo-range", f"A tempo of {value} cannot be played: it goes from {MIN_BPM} to {MAX_BPM} beats a minute."
        )
    return bpm


@dataclass(frozen=True)
class _Line:
    """Frames within a segment: ``(zero + step t) // parts`` after t of the finest parts of a quarter.

    ``ramp``: 60 s over the slope, and the curve's rise as a fraction, where the tempo moves.
    """

    zero: int
    step: int
    parts: int
    ramp: tuple[float, int, int] | None


class TempoMap:
    """Steps and linear ramps of tempo. The first point holds backwards too (pickup)."""

    def __init__(self, points: Sequence[TempoPoint]):
        if not points:
            raise refuse("tempo-missing", "The song has no tempo: type one, or measure it from a stem.")
        self.points = tuple(sorted(points, key=lambda p: p.position))
        self._positions = [p.position for p in self.points]
        if len(set(self._positions)) != len(self._positions):
            raise refuse("tempo-twice", "Two tempos stand at the same place: leave one of them out.")
        if self._positions[0] != 0:
            raise refuse("tempo-first", "The first tempo has to stand at bar 1, beat 1.")
        for p in self.points:
            parse_bpm(p.bpm)
        self._slopes = [self._slope(i) for i in range(len(self.points))]
        self._seconds = [Fraction(0)]
        for i in range(len(self.points) - 1):
            length = self._positions[i + 1] - self._positions[i]
            exact = self._seconds[-1] + self._within(i, length)
            self._seconds.append(Fraction(round(exact * _GRID), _GRID))

    @classmethod
    def steady(cls, bpm: object, unit: Fraction = Fraction(1)) -> TempoMap:
        """One tempo from start to end."""
        return cls([TempoPoint(Fraction(0), parse_bpm(bpm), unit)])

    def _slope(self, i: int) -> Fraction:
        """Change of quarter-note bpm for each quarter note in segment ``i``."""
        if not self.points[i].ramp or i + 1 == len(self.points):
            return Fraction(0)
        rise = self.points[i + 1].quarter_bpm - self.points[i].quarter_bpm
        return rise / (self._positions[i + 1] - self._positions[i])

    def _within(self, i: int, quarters: Fraction) -> Fraction:
        start, slope = self.points[i].quarter_bpm, self._slopes[i]
        if slope == 0 or quarters <= 0:
            return quarters * 60 / start
        return Fraction(60 / float(slope) * math.log1p(float(slope * quarters / start)))

    def seconds_at(self, position: Fraction) -> Fraction:
        """Seconds from bar 1 beat 1 to a position in quarter notes (negative before it)."""
        i = max(0, bisect_right(self._positions, position) - 1)
        return self._seconds[i] + self._within(i, position - self._positions[i])

    def frames_at(self, positions: Iterable[Fraction], sample_rate: int, offset_s: Fraction = Fraction(0)) -> list[int]:
        """Nearest frames of many positions, ``offset_s`` later; the same as :func:`to_frame` of each, sooner."""
        listed = list(positions)
        per_quarter = math.lcm(*(p.denominator for p in listed))
        return self.frames_at_ticks(
            [p.numerator * (per_quarter // p.denominator) for p in listed], per_quarter, sample_rate, offset_s
        )

    def frames_at_ticks(
        self, ticks: Iterable[int], per_quarter: int, sample_rate: int, offset_s: Fraction = Fraction(0)
    ) -> list[int]:
        """Nearest frames of positions given as whole parts of a quarter note, ``offset_s`` later.

        Where the tempo is steady, a frame is a straight line of its position, worked out in whole numbers.
        """
        finest = math.lcm(per_quarter, *(p.denominator for p in self._positions))
        times = finest // per_quarter
        starts = [int(p * finest) for p in self._positions]
        lines: dict[int, _Line] = {}
        frames = []
        for tick in ticks:
            at = tick * times
            i = max(0, bisect_right(starts, at) - 1)
            line = lines.get(i) or lines.setdefault(i, self._line(i, finest, sample_rate, offset_s))
            past = at - starts[i]
            if line.ramp is None or past <= 0:
                frames.append((line.zero + past * line.step) // line.parts)
            else:
                slope_s, rise, over = line.ramp
                n, d = (slope_s * math.log1p(past * rise / over)).as_integer_ratio()
                frames.append((line.zero * d + n * sample_rate * line.parts) // (line.parts * d))
        return frames

    def _line(self, i: int, finest: int, sample_rate: int, offset_s: Fraction) -> _Line:
        step = 60 * sample_rate / self.points[i].quarter_bpm / finest
        zero = (self._seconds[i] + offset_s) * sample_rate + Fraction(1, 2)
        parts = math.lcm(step.denominator, zero.denominator)
        slope = self._slopes[i]
        curve = slope / self.points[i].quarter_bpm / finest
        ramp = (60 / float(slope), curve.numerator, curve.denominator) if slope else None
        return _Line(int(zero * parts), int(step * parts), parts, ramp)

    def bpm_at(self, position: Fraction) -> Fraction:
        """Quarter notes a minute at a position."""
        i = max(0, bisect_right(self._positions, position) - 1)
        past = max(Fraction(0), position - self._positions[i])
        return self.points[i].quarter_bpm + self._slopes[i] * past if self._slopes[i] else self.points[i].quarter_bpm

    def bpms_at_ticks(self, ticks: Iterable[int], per_quarter: int) -> list[float]:
        """Quarter notes a minute at positions given as whole parts of a quarter note."""
        finest = math.lcm(per_quarter, *(p.denominator for p in self._positions))
        starts = [int(p * finest) for p in self._positions]
        held = [None if self._slopes[i] else float(p.quarter_bpm) for i, p in enumerate(self.points)]
        tempos = []
        for tick in ticks:
            steady = held[max(0, bisect_right(starts, tick * (finest // per_quarter)) - 1)]
            tempos.append(float(self.bpm_at(Fraction(tick, per_quarter))) if steady is None else steady)
        return tempos

    def position_at(self, seconds: Fraction | float) -> float:
        """Position in quarter notes at a time; the inverse of :meth:`seconds_at`."""
        at = Fraction(seconds)
        i = max(0, bisect_right(self._seconds, at) - 1)
        past, start, slope = at - self._seconds[i], self.points[i].quarter_bpm, self._slopes[i]
        if slope == 0 or past <= 0:
            return float(self._positions[i] + past * start / 60)
        return float(self._positions[i]) + float(start / slope) * math.expm1(float(slope) * float(past) / 60)


def to_frame(seconds: Fraction | float, sample_rate: int) -> int:
    """The frame nearest to a time; a tie goes to the later one."""
    return math.floor(Fraction(seconds) * sample_rate + Fraction(1, 2))
