"""Click and cues: sounds that begin at a frame and ring into later spans."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from upbeat.cues.place import Spoken
from upbeat.mix.routing import Column
from upbeat.mix.stem_audio import ShowAudio
from upbeat.play.advance import Span
from upbeat.play.events import Click
from upbeat.play.state import Silence

_CLICK, _CUES = 0, 1


@dataclass(slots=True, kw_only=True)
class _Shot:
    """A sound under way, from output frame ``start`` to ``until``, on a row of the source.

    ``fade``: frames over which it fades out before ``until``; 0 where it ends by itself.
    """

    start: int
    until: int
    sound: np.ndarray
    row: int
    gain: float
    fade: int = 0

    def ends_in(self, silence: Silence) -> None:
        """Fade out with a stop, unless it does already or is to begin after it."""
        if not self.fade:
            self.until, self.fade = silence.frame + silence.fade, silence.fade


class Guides:
    """The columns ``click`` and ``cues``, from the events of the spans."""

    columns = (Column(source="click"), Column(source="cues"))

    def __init__(self, audio: ShowAudio):
        self._audio = audio
        self._shots: list[_Shot] = []

    def saved(self) -> list[_Shot]:
        """The sounds under way, to be restored."""
        return [replace(shot) for shot in self._shots]

    def restore(self, saved: list[_Shot]) -> None:
        self._shots = [replace(shot) for shot in saved]

    def fill(self, span: Span, into: np.ndarray) -> bool:
        for event in span.events:
            if isinstance(event, Click):
                audio = self._audio.entries[event.entry]
                self._begin(event.frame, audio.click[event.voice], _CLICK, audio.click_gain)
            elif isinstance(event, Spoken):
                sound = self._audio.words.get((event.text, event.fast))
                if sound is not None:
                    self._begin(event.start, sound, _CUES, 1.0)
        sounding = bool(self._shots)
        if span.silence is not None:
            for shot in self._shots:
                shot.ends_in(span.silence)
        for shot in self._shots:
            self._play(shot, span, into)
        self._shots = [s for s in self._shots if s.until > span.end]
        return sounding

    def _begin(self, frame: int, sound: np.ndarray, row: int, gain: float) -> None:
        self._shots.append(_Shot(start=frame, until=frame + len(sound), sound=sound, row=row, gain=gain))

    def _play(self, shot: _Shot, span: Span, into: np.ndarray) -> None:
        until = min(shot.until, shot.start + len(shot.sound))
        a, b = max(shot.start, span.start), min(until, span.end)
        if a >= b:
            return
        part = shot.sound[a - shot.start : b - shot.start] * np.float32(shot.gain)
        if shot.fade:
            left = (shot.until - np.arange(a, b)) / shot.fade
            part = part * np.clip(left, 0, 1).astype(np.float32)
        into[shot.row, a - span.start : b - span.start] += part
