"""Pads between songs: each a pair of columns, from the pads of the spans."""

from __future__ import annotations

import numpy as np

from upbeat.mix.routing import Column
from upbeat.mix.stem_audio import ShowAudio
from upbeat.play.advance import Span
from upbeat.play.pads import Pad


class PadLoops:
    """What sounds follows from the span alone: nothing is to be remembered."""

    def __init__(self, audio: ShowAudio):
        self._cycles = {loop.id: loop.cycle for loop in audio.pads}
        self._first: dict[str, int] = {}
        columns: list[Column] = []
        for loop in audio.pads:
            self._first[loop.id] = len(columns)
            channels = len(loop.cycle)
            columns += [
                Column(source=f"pad:{loop.id}", group=loop.group, channel=c, channels=channels, pan=loop.pan)
                for c in range(channels)
            ]
        self.columns = tuple(columns)

    def saved(self) -> None:
        return None

    def restore(self, saved: None) -> None:
        pass

    def fill(self, span: Span, into: np.ndarray) -> bool:
        sounding = [p for p in span.pads if p.sound in self._cycles]
        for pad in sounding:
            self._play(pad, span, into)
        return bool(sounding)

    def _play(self, pad: Pad, span: Span, into: np.ndarray) -> None:
        cycle, first = self._cycles[pad.sound], self._first[pad.sound]
        a, b = max(pad.start, span.start), span.end if pad.end is None else min(pad.end, span.end)
        if a >= b:
            return
        at = np.arange(a, b)
        part = cycle[:, (at - pad.start) % cycle.shape[1]]
        level = _risen((at - pad.start + 0.5) / pad.fade_in)
        if pad.end is not None:
            level = level * _risen((pad.end - at - 0.5) / pad.fade_out)
        into[first : first + len(part), a - span.start : b - span.start] += part * level


def _risen(share: np.ndarray) -> np.ndarray:
    """Half a cosine from 0 to 1, which begins and ends level."""
    return (0.5 - 0.5 * np.cos(np.pi * np.clip(share, 0, 1))).astype(np.float32)
