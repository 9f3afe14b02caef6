"""Sounds by hand: each a pair of columns, from the shots of the spans."""

from __future__ import annotations

import numpy as np

from upbeat.mix.routing import Column
from upbeat.mix.stem_audio import ShowAudio
from upbeat.play.advance import Span
from upbeat.play.shots import Shot


class HandSounds:
    """What is fired follows from the span alone: nothing is to be remembered."""

    def __init__(self, audio: ShowAudio):
        self._sounds = {s.id: pcm for s, pcm in audio.hand_sounds}
        self._first: dict[str, int] = {}
        columns: list[Column] = []
        for sound, pcm in audio.hand_sounds:
            self._first[sound.id] = len(columns)
            channels = pcm.shape[1]
            columns += [
                Column(source=f"sound:{sound.id}", group=sound.group, channel=c, channels=channels)
                for c in range(channels)
            ]
        self.columns = tuple(columns)

    def saved(self) -> None:
        return None

    def restore(self, saved: None) -> None:
        pass

    def fill(self, span: Span, into: np.ndarray) -> bool:
        for shot in span.shots:
            self._play(shot, span, into)
        return bool(span.shots)

    def _play(self, shot: Shot, span: Span, into: np.ndarray) -> None:
        pcm, first = self._sounds[shot.sound], self._first[shot.sound]
        a, b = max(shot.start, span.start), min(shot.end, shot.start + len(pcm), span.end)
        if a >= b:
            return
        part = pcm[a - shot.start : b - shot.start].T
        if shot.fade:
            part = part * np.clip((shot.end - np.arange(a, b)) / shot.fade, 0, 1).astype(np.float32)
        into[first : first + len(part), a - span.start : b - span.start] += part
