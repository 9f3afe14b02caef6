"""How loud each part is at a moment, for meters: worked out from what plays, beside the sound."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from upbeat.cues.place import Spoken
from upbeat.mix.routing import gain
from upbeat.mix.sounding import away_now, falls_back, hand_gain, stem_gain, whole_gain
from upbeat.mix.stem_audio import ShowAudio
from upbeat.play.events import Click, Event
from upbeat.play.hand import Hand
from upbeat.play.plan import ShowPlan

PIECE = 250  # frames


def stem_factors(
    plan: ShowPlan, audio: ShowAudio, away: frozenset[str], hand: Hand, entry: int, step: int
) -> np.ndarray:
    """Of every stem of an entry the factor that it is played with in a step, float64 (stems,)."""
    song, here = plan.entries[entry].song, plan.entries[entry].steps[step]
    mixed, away = falls_back(song, hand), away_now(away, hand, plan.entries[entry])
    levels, whole = dict(here.levels), gain(song.gain_db)
    factors = []
    for stem in audio.entries[entry].stems:
        part = f"stem:{stem.stem.id}"
        own = stem_gain(stem.stem, away, here.tacet, mixed, levels.get(stem.stem.id, 0.0), hand.part(part).on)
        factors.append(abs(whole * own * hand_gain(hand, part)))
    return np.array(factors)


class Loudness:
    """The peaks of sounds, by pieces of :data:`PIECE` frames: worked out where they are asked for, and kept."""

    def __init__(self) -> None:
        self._known: dict[int, tuple[np.ndarray, list[float]]] = {}

    def between(self, sound: np.ndarray, first: int, last: int) -> float:
        """The peak of the pieces of (frames,) that have frames from ``first`` to ``last``, of which it may have none."""
        if last <= 0 or first >= len(sound) or not len(sound):
            return 0.0
        known = self._known.get(id(sound))
        if known is None:
            pieces = np.maximum.reduceat(np.abs(sound), np.arange(0, len(sound), PIECE))
            known = self._known[id(sound)] = sound, pieces.tolist()  # its id is of no other as long as it is kept
        return max(known[1][max(0, first) // PIECE : -(-last // PIECE)])


def guide_peaks(
    audio: ShowAudio, hand: Hand, events: Iterable[Event], loud: Loudness, first: int, last: int
) -> list[float]:
    """The peaks of click and cues around output frames ``first`` to ``last``."""
    click = cues = 0.0
    for event in events:
        if isinstance(event, Click):
            own = audio.entries[event.entry]
            sound = own.click[event.voice]
            click = max(click, own.click_gain * loud.between(sound, first - event.frame, last - event.frame))
        elif isinstance(event, Spoken):
            word = audio.words.get((event.text, event.fast))
            if word is not None:
                cues = max(cues, loud.between(word, first - event.start, last - event.start))
    return [click * whole_gain(hand, "click"), cues * whole_gain(hand, "cues")]
