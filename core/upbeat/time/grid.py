"""The grid: a tempo map and time signatures laid over the audio by one number (rule T3)."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from fractions import Fraction

from upbeat.time.meter import MeterMap
from upbeat.time.tempo import TempoMap, to_frame

TICKS = 16  # bar lines fall on sixty-fourth notes


@dataclass(frozen=True)
class Grid:
    """Bars and beats over a song's stems.

    ``bar1_s``: time of bar 1 beat 1 in the stems' own zero, in seconds.
    ``pickup``: music before it, in quarter notes.
    """

    tempo: TempoMap
    meters: MeterMap
    bar1_s: Fraction = Fraction(0)
    pickup: Fraction = Fraction(0)

    def seconds(self, position: Fraction) -> Fraction:
        """Time of a position in the stems' own zero, in seconds."""
        return self.bar1_s + self.tempo.seconds_at(position)

    def frame(self, position: Fraction, sample_rate: int) -> int:
        """Frame of a position in the stems' own zero."""
        return to_frame(self.seconds(position), sample_rate)

    def frames(self, positions: Iterable[Fraction], sample_rate: int) -> list[int]:
        """Frames of many positions in the stems' own zero."""
        return self.tempo.frames_at(positions, sample_rate, self.bar1_s)

    def bar_frames(self, bars: int, sample_rate: int) -> list[int]:
        """Frames of bar lines 1 to ``bars`` + 1 in the stems' own zero."""
        return self.bar_lines(range(bars + 1), sample_rate)

    def bar_lines(self, after: Iterable[int], sample_rate: int) -> list[int]:
        """Frames of the bar lines that so many bars lie before, in the stems' own zero."""
        counts = list(after)
        ticks = self.meters.bar_ticks(max(counts, default=0), TICKS)
        return self.tempo.frames_at_ticks((ticks[n] for n in counts), TICKS, sample_rate, self.bar1_s)

    def bar_seconds(self, bar: int) -> Fraction:
        """Time of a bar line in the stems' own zero, in seconds."""
        return self.seconds(self.meters.bar_start(bar))

    def bars_to_cover(self, seconds: float) -> int:
        """Bars from bar 1 until ``seconds`` is reached (at least one)."""
        past = Fraction(seconds) - self.bar1_s
        if past <= 0:
            return 1
        position = Fraction(self.tempo.position_at(past))
        bar = self.meters.bar_at(position)
        # A recording that ends within 20 ms after a bar line does not open another bar.
        reaches_in = past - self.tempo.seconds_at(self.meters.bar_start(bar))
        return max(1, bar if reaches_in > Fraction(1, 50) else bar - 1)
