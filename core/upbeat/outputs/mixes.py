"""A player's own mix: what is theirs in it, and more of that."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from math import log10

from upbeat.errors import refuse
from upbeat.limits import FEED_GAIN_DB
from upbeat.mix.routing import Send, gain, guide_of

STEP_DB = 3.0


def more_me(sends: Sequence[Send], own: Mapping[str, str], name: str) -> tuple[Send, ...]:
    """The sends of a mix with more of a player's own stems: all other music 3 dB down, click and cues as they are.

    So the mix never becomes louder. ``own``: their stems (``stem:ID``) with the group of each; ``name``: of the
    player. What comes in with its group keeps its level by a send of its own. Raises :class:`Refused` where nothing
    of theirs is in the mix, or all else is silent already.
    """
    levels = {s.source: s.gain_db for s in sends}
    theirs = [stem for stem, group in own.items() if stem in levels or f"group:{group}" in levels]
    if not theirs:
        raise refuse("mix-nothing-own", f"Nothing that stands in for {name} is in this mix: send it there first.")
    music = [s for s in sends if s.source not in own and guide_of(s.source) is None]
    if all(s.gain_db <= FEED_GAIN_DB.low for s in music):
        raise refuse("mix-all-own", f"There is nothing else left in this mix: raise the level of {name}’s mix instead.")
    lowered = {s.source: max(FEED_GAIN_DB.low, s.gain_db - STEP_DB) for s in music}
    kept = {stem: _kept(levels, lowered, stem, f"group:{own[stem]}") for stem in theirs}
    others = tuple(
        Send(s.source, round(kept.get(s.source, lowered.get(s.source, s.gain_db)), 2), s.before) for s in sends
    )
    return (*others, *(Send(stem, round(db, 2)) for stem, db in kept.items() if stem not in levels))


def _kept(levels: Mapping[str, float], lowered: Mapping[str, float], stem: str, group: str) -> float:
    """The level of a stem's own send with which it is as loud as before: it has that and its group's."""
    before = sum(gain(levels[s]) for s in (stem, group) if s in levels)
    rest = before - (gain(lowered[group]) if group in lowered else 0.0)
    return min(FEED_GAIN_DB.high, 20 * log10(rest))
