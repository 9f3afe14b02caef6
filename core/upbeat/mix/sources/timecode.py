"""Timecode as sound (rule S4): a column for each device that hears it, which goes straight to its socket (rule M10)."""

from __future__ import annotations

import numpy as np

from upbeat.messages.timecode import linear, number_of, parse_label
from upbeat.mix.routing import Column
from upbeat.play.advance import Span
from upbeat.play.plan import ShowPlan
from upbeat.play.timecode import Coded


class TimecodeSound:
    """What sounds follows from the span alone: nothing is to be remembered."""

    def __init__(self, plan: ShowPlan):
        self._plan = plan
        self._devices = tuple(d for d in plan.timecodes if d.socket is not None)
        self.columns = tuple(Column(source=f"timecode:{d.device}", socket=d.socket) for d in self._devices)

    def saved(self) -> None:
        return None

    def restore(self, saved: None) -> None:
        pass

    def fill(self, span: Span, into: np.ndarray) -> bool:
        for coded in span.coded:
            self._play(coded, span, into)
        return bool(span.coded)

    def _play(self, coded: Coded, span: Span, into: np.ndarray) -> None:
        label, rate = self._plan.entries[coded.entry].timecode, self._plan.sample_rate
        for row, device in enumerate(self._devices):
            zero = coded.zero_on if device.runs_on else coded.zero
            a, b = max(coded.start, span.start, zero), min(coded.end, span.end)
            if a < b:
                first = number_of(parse_label(label, device.fps), device.fps)
                into[row, a - span.start : b - span.start] = linear(first, device.fps, a - zero, b - a, rate)
