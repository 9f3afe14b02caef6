"""Two states of a setlist compared: what came, went, moved and was set otherwise."""

from __future__ import annotations

from bisect import bisect_left
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, Literal, TypedDict

Kind = Literal[
    "added", "gone", "moved", "form", "link", "seconds", "pad", "minutes", "note", "players", "call_title", "timecode", "screen", "semitones",
    "tempo_percent", "colour", "set_name",
    "name", "slot", "starts",
]  # fmt: skip
Entry = Mapping[str, Any]

_OF_ENTRY: dict[Kind, str] = {
    "form": "form",
    "link": "link",
    "seconds": "link_seconds",
    "pad": "pad",
    "minutes": "interval_minutes",
    "note": "note",
    "players": "players",
    "call_title": "call_title",
    "timecode": "timecode",
    "screen": "screen",
    "semitones": "semitones",
    "tempo_percent": "tempo_percent",
    "colour": "colour",
    "set_name": "set_name",
}
_BY_ITSELF: dict[str, Any] = {
    "screen": "song",
}  # of entries that were kept before they had it
#: As recorded: it was kept so where there was no other way to say that an entry is played as its song is.
_AS_RECORDED = {"semitones": 0, "tempo_percent": 100}
_OF_SETLIST: dict[Kind, str] = {"name": "name", "slot": "slot_minutes", "starts": "starts_at"}


class SetlistDifference(TypedDict):
    """``entry``: what it is about: a song (by id), "" for an interval, a heading (``named``) or the whole; ``place``: its number now
    among the songs, None where it has none; ``was`` and ``now``: values as they are kept, None where they say nothing."""

    kind: Kind
    entry: str
    named: str
    place: int | None
    was: str | float | None
    now: str | float | None


def setlist_differences(before: Mapping[str, Any], now: Mapping[str, Any]) -> list[SetlistDifference]:
    """What differs from one state to another; each is the whole of a setlist: ``name``, ``slot_minutes``, ``starts_at``, ``entries``.

    Entries are the same by their id; in two setlists that share none, by their song and how often it came before.
    """
    old, new = before["entries"], now["entries"]
    by_id = bool({e["id"] for e in old} & {e["id"] for e in new})
    olds, news = _named(old, by_id), _named(new, by_id)
    numbers = _numbers(news)
    found = [_one("gone", olds[key], None) for key in olds if key not in news]
    found += [_one("added", news[key], numbers[key]) for key in news if key not in olds]
    found += [_one("moved", news[key], numbers[key]) for key in _moved([*olds], [*news])]
    for key, entry in news.items():
        if key in olds:
            found += _settings(olds[key], entry, numbers[key])
    for kind, field in _OF_SETLIST.items():
        if before[field] != now[field]:
            found.append(
                SetlistDifference(kind=kind, entry="", named="", place=None, was=before[field], now=now[field])
            )
    return found


def _one(kind: Kind, entry: Entry, place: int | None, was: Any = None, now: Any = None) -> SetlistDifference:
    named = entry.get("set_name") or ""
    return SetlistDifference(kind=kind, entry=entry["song"] or "", named=named, place=place, was=was, now=now)


def _named(entries: Sequence[Entry], by_id: bool) -> dict[Any, Entry]:
    if by_id:
        return {e["id"]: e for e in entries}
    times: Counter[Any] = Counter()
    found = {}
    for entry in entries:
        what = entry["song"] or ("heading" if entry.get("set_name") else "interval")
        found[what, times[what]] = entry
        times[what] += 1
    return found


def _numbers(entries: Mapping[Any, Entry]) -> dict[Any, int | None]:
    numbers: dict[Any, int | None] = {}
    number = 0
    for key, entry in entries.items():
        number += entry["song"] is not None
        numbers[key] = number if entry["song"] is not None else None
    return numbers


def _moved(old: Sequence[Any], new: Sequence[Any]) -> list[Any]:
    """The fewest entries whose moving makes one order the other: all but a longest run that kept its order."""
    place = {key: i for i, key in enumerate(old)}
    common = [key for key in new if key in place]
    tails: list[int] = []
    ends: list[int] = []
    before: list[int] = []
    for i, key in enumerate(common):
        at = bisect_left(tails, place[key])
        tails[at : at + 1] = [place[key]]
        ends[at : at + 1] = [i]
        before.append(ends[at - 1] if at else -1)
    kept = set()
    i = ends[-1] if ends else -1
    while i >= 0:
        kept.add(common[i])
        i = before[i]
    return [key for key in common if key not in kept]


def _kept(entry: Entry, field: str) -> Any:
    value = entry.get(field, _BY_ITSELF.get(field))
    return None if field in _AS_RECORDED and value == _AS_RECORDED[field] else value


def _settings(old: Entry, new: Entry, place: int | None) -> Iterator[SetlistDifference]:
    for kind, field in _OF_ENTRY.items():
        was, now = (_kept(entry, field) for entry in (old, new))
        if (was or None) != (now or None):
            if field == "semitones":
                was, now = was or 0, now or 0
            told = not isinstance(now, dict | bool) and not isinstance(was, dict | bool)
            yield _one(kind, new, place, was if told else None, now if told else None)
