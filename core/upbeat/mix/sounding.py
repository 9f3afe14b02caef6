"""Whether a stem sounds, why not, and how loud (rule M2)."""

from __future__ import annotations

from collections.abc import Collection
from typing import TypedDict

from upbeat.mix.routing import gain
from upbeat.play.hand import AUDIBLE, Hand, Standing, away_with
from upbeat.play.plan import EntryPlan
from upbeat.song.song import Song
from upbeat.song.stems import Stem


def standing(
    stem: Stem,
    away: Collection[str],
    tacet: Collection[str] = (),
    mixed: bool = False,
    by_hand: bool | None = None,
) -> Standing:
    """What a stem does, and why where it is silent.

    ``away``: players not on tonight; ``tacet``: stems silent in this section; ``mixed``: the full
    mix plays in place of all stems (rule M6). A pad sounds only between songs. A stem to rehearse
    with sounds, and the routing keeps it out of every house feed. ``by_hand``: in or out (rule M7),
    which makes no full mix sound beside stems, nor a stem beside it.
    """
    if by_hand is False:
        return "out"
    if by_hand and not mixed and stem.purpose != "full_mix":
        return "rehearsal" if stem.purpose == "rehearsal" else "sounds"
    if stem.muted:
        return "waits" if stem.layer else "muted"
    if mixed:
        return "sounds" if stem.purpose == "full_mix" else "replaced"
    if stem.purpose == "full_mix":
        return "fallback"
    if stem.purpose == "pad":
        return "pad"
    if stem.id in tacet:
        return "tacet"
    if stem.purpose == "covers":
        return "nobody" if stem.covers is None else "sounds" if stem.covers in away else "rests"
    return "rehearsal" if stem.purpose == "rehearsal" else "sounds"


def sounds(
    stem: Stem,
    away: Collection[str],
    tacet: Collection[str] = (),
    mixed: bool = False,
    by_hand: bool | None = None,
) -> bool:
    """Whether a stem sounds anywhere; the arguments are those of :func:`standing`."""
    return standing(stem, away, tacet, mixed, by_hand) in AUDIBLE


def stem_gain(
    stem: Stem,
    away: Collection[str],
    tacet: Collection[str],
    mixed: bool,
    here_db: float = 0.0,
    by_hand: bool | None = None,
) -> float:
    """The factor a stem sounds with, polarity included; 0 where it is silent.

    ``here_db``: its level in this section beside its own; in fallback there are no sections.
    """
    if not sounds(stem, away, tacet, mixed, by_hand):
        return 0.0
    return gain(stem.gain_db + (0.0 if mixed else here_db)) * (-1 if stem.invert else 1)


def hand_gain(hand: Hand, part: str) -> float:
    """The factor of a part's level by hand; whether it is in or out is not in it."""
    db = hand.part(part).db
    return 0.0 if db is None else 1.0 if db == 0 else gain(db)


def whole_gain(hand: Hand, part: str) -> float:
    """The factor of a guide, sound by hand or feed by hand, which is in as prepared."""
    return 0.0 if hand.part(part).on is False else hand_gain(hand, part)


def away_now(away: Collection[str], hand: Hand, entry: EntryPlan | None = None) -> frozenset[str]:
    """The players that are away: as the show says, but for an entry's exceptions, and for what was said on the spot."""
    return away_with(away_with(away, entry.players if entry else ()), hand.line_up)


def falls_back(song: Song, hand: Hand) -> bool:
    """Whether the full mix plays in place of the stems: only where there is one."""
    return hand.fallback and any(s.purpose == "full_mix" for s in song.stems)


class StemNow(TypedDict):
    """A stem in the present section: what it does, would do without hands, and its prepared level there in dB."""

    id: str
    standing: Standing
    prepared: Standing
    level_db: float


def stems_now(entry: EntryPlan, step: int, away: Collection[str], hand: Hand) -> list[StemNow]:
    """What every stem of an entry does in a step."""
    here, mixed, away = entry.steps[step], falls_back(entry.song, hand), away_now(away, hand, entry)
    levels = {} if mixed else dict(here.levels)
    return [
        StemNow(
            id=s.id,
            standing=standing(s, away, here.tacet, mixed, hand.part(f"stem:{s.id}").on),
            prepared=standing(s, away, here.tacet, mixed),
            level_db=round(s.gain_db + levels.get(s.id, 0.0) + entry.song.gain_db, 2),
        )
        for s in entry.song.stems
    ]
