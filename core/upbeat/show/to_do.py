"""What is not done, or not well, of a song and of a setlist: one list each, worst first."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal, TypedDict, get_args

from upbeat.show.dress_run.judged import OUT_OF_LINE_LU
from upbeat.show.references import reference
from upbeat.song.stems import Stem

Code = Literal["broken", "reference", "faults", "checks", "offers", "grid", "sections", "parts", "key"]
Severity = Literal["wrong", "look"]
#: What a person may say is right as it is.
Seen = Literal["grid", "sections", "parts", "key"]
SEEN: tuple[Seen, ...] = get_args(Seen)


class ToDo(TypedDict):
    """``wrong``: it would be heard or could not be played; ``look``: nobody has looked at it.

    ``count``: of how many things; ``of``: the id of the stem that it is about; ``name``: what that is called, or what
    is wrong with the song as a whole.
    """

    code: Code
    severity: Severity
    count: int
    of: str
    name: str


@dataclass(frozen=True, kw_only=True)
class SongFacts:
    """``problem``: why it cannot be played; ``faults``, ``checks``: findings that are open; ``seen``: what somebody said is right."""

    problem: str | None
    stems: Sequence[Stem]
    faults: int
    checks: int
    offers: int
    sections: int
    key: str
    seen: frozenset[str] = frozenset()


def song_to_do(song: SongFacts) -> list[ToDo]:
    """What is left to do of a song, in the order it is best done within each severity: findings, grid, sections, parts.

    A song of click alone has only what keeps it from being played.
    """
    found: list[ToDo] = []
    if song.problem:
        found.append(ToDo(code="broken", severity="wrong", count=1, of="", name=song.problem))
    if not song.stems:
        return found
    if song.faults:
        found.append(_many("faults", "wrong", song.faults))
    for stem in song.stems:
        if reference(stem, song.stems) is not None:
            found.append(ToDo(code="reference", severity="wrong", count=1, of=stem.id, name=stem.name))
    if song.checks:
        found.append(_many("checks", "look", song.checks))
    if song.offers:
        found.append(_many("offers", "look", song.offers))
    open_: dict[Seen, bool] = {
        "grid": True,
        "sections": song.sections < 2,
        "parts": not any(s.purpose == "covers" and s.covers for s in song.stems),
        "key": not song.key.strip(),
    }
    found += [_many(code, "look", 1) for code, is_open in open_.items() if is_open and code not in song.seen]
    return found


def _many(code: Code, severity: Severity, count: int) -> ToDo:
    return ToDo(code=code, severity=severity, count=count, of="", name="")


SetlistCode = Literal["no-songs", "over-slot", "song", "loudness", "no-show"]
LOUDNESS_STEP_LU = 2 * OUT_OF_LINE_LU  # of two songs that are each just in line with the show


class SetlistToDo(TypedDict):
    """``entry``: its place from 0, None for the whole; ``value``: seconds over, steps in LU, or things of a song to do."""

    code: SetlistCode
    severity: Severity
    entry: int | None
    title: str
    value: float


@dataclass(frozen=True, kw_only=True)
class EntryFacts:
    """Of an entry with a song: its place from 0, what is left of the song, its loudness in the house in LUFS."""

    entry: int
    song: str
    title: str
    wrong: int
    look: int
    lufs: float | None = None


def setlist_to_do(entries: Sequence[EntryFacts], over_s: float, shows: int) -> list[SetlistToDo]:
    """What is left to do of a setlist; of each song once, where it comes first. ``over_s``: how long it is over its slot."""
    if not entries:
        return [_one("no-songs", "look", None, "", 0)]
    found: list[SetlistToDo] = []
    first = {e.song: e for e in reversed(entries)}
    own = [e for e in entries if first[e.song] is e]
    found += [_one("song", "wrong", e.entry, e.title, e.wrong + e.look) for e in own if e.wrong]
    if over_s > 0:
        found.append(_one("over-slot", "wrong", None, "", over_s))
    measured = [e for e in entries if e.lufs is not None]
    for before, after in pairwise(measured):
        step = (after.lufs or 0.0) - (before.lufs or 0.0)
        if abs(step) >= LOUDNESS_STEP_LU:
            found.append(_one("loudness", "look", after.entry, after.title, round(step, 1)))
    found += [_one("song", "look", e.entry, e.title, e.look) for e in own if e.look and not e.wrong]
    if not shows:
        found.append(_one("no-show", "look", None, "", 0))
    return found


def _one(code: SetlistCode, severity: Severity, entry: int | None, title: str, value: float) -> SetlistToDo:
    return SetlistToDo(code=code, severity=severity, entry=entry, title=title, value=value)
