"""MIDI timecode while time goes on (rule S4): full frames where it jumps, quarter frames between.

Source: MIDI 1.0, MIDI Time Code (RP-004/008): eight quarter frames tell the label of the frame at which the first of them goes out.
"""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from typing import NamedTuple

from upbeat.messages.timecode import RATES, label_of, number_of, parse_label
from upbeat.play.plan import EntryPlan, TimecodePlan
from upbeat.play.state import Run

QUARTERS, SET = 4, 8  # messages to a frame, and to a label
_QUARTER, _RATE_CODES = 0xF1, {"24": 0, "25": 1, "29.97df": 2, "30": 3}
_FULL = (0xF0, 0x7F, 0x7F, 0x01, 0x01)


class Due(NamedTuple):
    """Bytes at an output frame."""

    frame: int
    data: tuple[int, ...]


class Coded(NamedTuple):
    """A stretch of output frames in which an entry plays. ``zero``: where its bar 1 would lie; ``zero_on``: where, had
    nothing jumped.
    """

    entry: int
    start: int
    end: int
    zero: int
    zero_on: int


def position_zero(entry: EntryPlan, run: Run) -> int:
    """The output frame at which bar 1 would lie if a run had been played from there."""
    return run.out(int(entry.bar_frames[0]))


def timecode(
    device: TimecodePlan, start: str, zero: int, span: tuple[int, int], sample_rate: int, *, begins: int | None
) -> Iterator[Due]:
    """What a device gets in output frames ``span`` of a run.

    ``start``: the label at output frame ``zero``. ``begins``: where the run begins, if it does not go on from the one
    before: the first whole label is told from there on, and a full frame at once where that lies in the span.
    """
    per_second = RATES[device.fps] * QUARTERS
    per_quarter = Fraction(sample_rate) / per_second
    base = number_of(parse_label(start, device.fps), device.fps)
    a, b = span
    first = max(0, -(-(a - zero) * per_second.numerator // (sample_rate * per_second.denominator)))
    if begins is not None:
        least = max(0, -(-(begins - zero) * per_second.numerator // (sample_rate * per_second.denominator)))
        first = max(first, -(-least // SET) * SET)
        if a <= begins < b:
            passed = max(0, int((begins - zero) / (per_quarter * QUARTERS)))
            yield Due(begins, full_frame(device.fps, base + passed))
    n = first
    while (at := zero + round(n * per_quarter)) < b:
        if at >= a:
            yield Due(at, (_QUARTER, quarter(device.fps, base + 2 * (n // SET), n % SET)))
        n += 1


def full_frame(fps: str, number: int) -> tuple[int, ...]:
    """The message that tells a whole label, of a frame by its number in the day."""
    label = label_of(number, fps)
    return (*_FULL, label.hours | _RATE_CODES[fps] << 5, label.minutes, label.seconds, label.frames, 0xF7)


def quarter(fps: str, number: int, piece: int) -> int:
    """The data byte of a quarter frame: its place among eight, and four bits of the label."""
    label = label_of(number, fps)
    values = (label.frames, label.seconds, label.minutes, label.hours | _RATE_CODES[fps] << 5)
    return piece << 4 | values[piece // 2] >> 4 * (piece % 2) & 0x0F
