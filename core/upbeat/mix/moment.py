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


def stem_factors(
    plan: ShowPlan, audio: ShowAudio, away: frozenset[str], hand: Hand, entry: int, step: int
) -> tuple[float, ...]:
    """Of every stem of an entry the factor that it is played with in a step."""
    song, here = plan.entries[entry].song, plan.entries[entry].steps[step]
    mixed, away = falls_back(song, hand), away_now(away, hand, plan.entries[entry])
    levels, whole = dict(here.levels), gain(song.gain_db)
    factors = []
    for stem in audio.entries[entry].stems:
        part = f"stem:{stem.stem.id}"
        own = stem_gain(stem.stem, away, here.tacet, mixed, levels.get(stem.stem.id, 0.0), hand.part(part).on)
        factors.append(abs(whole * own * hand_gain(hand, part)))
    return tuple(factors)


def guide_peaks(audio: ShowAudio, hand: Hand, events: Iterable[Event], first: int, last: int) -> list[float]:
    """The peaks of click and cues in output frames ``first`` to ``last``."""
    click = cues = 0.0
    for event in events:
        if isinstance(event, Click):
            own = audio.entries[event.entry]
            sound = own.click[event.voice]
            click = max(click, own.click_gain * _peak(sound, first - event.frame, last - event.frame))
        elif isinstance(event, Spoken):
            word = audio.words.get((event.text, event.fast), np.zeros(0, np.float32))
            cues = max(cues, _peak(word, first - event.start, last - event.start))
    return [click * whole_gain(hand, "click"), cues * whole_gain(hand, "cues")]


def _peak(sound: np.ndarray, first: int, last: int) -> float:
    """The greatest magnitude of (frames,) from ``first`` to ``last``, of which the sound may have none."""
    if last <= 0 or first >= len(sound):
        return 0.0
    part = sound[max(0, first) : last]
    return float(max(part.max(), -float(part.min())))
