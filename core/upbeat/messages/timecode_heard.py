"""MIDI timecode as a receiver reads it: the place that quarter frames and full frames tell.

Source: MIDI 1.0, MIDI Time Code (RP-004/008): a set of eight quarter frames tells the label of the frame at which its first
was sent; the last of them comes seven quarter frames later.
"""

from __future__ import annotations

from typing import NamedTuple

from upbeat.messages.timecode import RATES, Label, number_of

_CODES = {0: "24", 1: "25", 2: "29.97df", 3: "30"}
_QUARTER, _FULL = 0xF1, bytes((0xF0, 0x7F, 0x7F, 0x01, 0x01))
SET = 8


class Told(NamedTuple):
    """``seconds`` of the day at ``at``, in seconds of the clock that the bytes were timed by."""

    label: Label
    fps: str
    seconds: float
    at: float
    running: bool


class TimecodeHeard:
    """What was told last; None before anything whole was."""

    def __init__(self) -> None:
        self.told: Told | None = None
        self._pieces: list[int] = []

    def feed(self, data: bytes, at: float) -> None:
        """Take in a message that came at ``at``."""
        if data[:5] == _FULL and len(data) == 10:
            self._pieces = []
            self._tell(data[5], data[6], data[7], data[8], at, past=0.0, running=False)
        elif len(data) == 2 and data[0] == _QUARTER:
            self._quarter(data[1] >> 4, data[1] & 15, at)

    def _quarter(self, piece: int, value: int, at: float) -> None:
        if piece == 0:
            self._pieces = [value]
        elif len(self._pieces) == piece:
            self._pieces.append(value)
        else:
            self._pieces = []
        if len(self._pieces) == SET:
            low, high = self._pieces[::2], self._pieces[1::2]
            frames, seconds, minutes, hours = (a | b << 4 for a, b in zip(low, high, strict=True))
            self._tell(hours, minutes, seconds, frames, at, past=(SET - 1) / 4, running=True)

    def _tell(
        self, hours: int, minutes: int, seconds: int, frames: int, at: float, *, past: float, running: bool
    ) -> None:
        """``past``: how many frames have gone since the label's own."""
        fps = _CODES[hours >> 5 & 3]
        label = Label(hours & 31, minutes & 63, seconds & 63, frames & 31)
        place = (number_of(label, fps) + past) / float(RATES[fps])
        self.told = Told(label, fps, place, at, running)
