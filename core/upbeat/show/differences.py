"""What was edited since a show was loaded, as facts to be put in words (rule P8)."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any, Literal, TypedDict

from upbeat.play.taking_in import LEVELS

OfSong = Literal[
    "title", "grid", "sections", "forms", "chords", "notes", "cues", "click", "count_in", "seams", "messages", "screen", "stem_added",
    "stem_gone", "stem_sound", "song_level", "click_level",
    "stem_level", "stem_mix",
]  # fmt: skip
OfShow = Literal[
    "entry_added", "entry_gone", "order", "link", "form", "call_title", "entry_key", "entry_timecode", "entry_screen",
    "entry_players", "show_title", "slot", "intervals",
    "player_on",
    "player_away", "feed_added", "feed_gone", "feed_level", "feed", "sockets", "patch", "palette", "hand_sounds",
    "voice", "click_sounds", "devices",
]  # fmt: skip

#: The fields of a song that each kind of difference is of (docs/show-format.md).
_FIELDS: dict[OfSong, tuple[str, ...]] = {
    "title": ("title", "key"),
    "grid": ("tempo", "meters", "bar1_s", "pickup"),
    "sections": ("sections",),
    "forms": ("forms",),
    "chords": ("chords",),
    "notes": ("note",),
    "cues": ("cues", "calls", "lead"),
    "count_in": ("count_in",),
    "seams": ("crossfade_ms", "ring_on_s", "edges"),
    "messages": ("messages",),
    "screen": ("screen",),
}
_OF_SHOW: dict[OfShow, str] = {
    "show_title": "title",
    "slot": "slot",
    "palette": "palette",
    "hand_sounds": "hand_sounds",
    "voice": "voice",
    "click_sounds": "click_sounds",
    "devices": "devices",
}
_SOUND = (
    "file",
    "crc32",
    "delay_ms",
    "start_s",
    "end_s",
    "fade_in_s",
    "fade_out_s",
    "fades",
    "name",
    "group",
    "treatment",
    "treatments",
)
_MIX = tuple(field for field in LEVELS if field != "gain_db")


class Difference(TypedDict):
    """Of a song (by its title) or of the show: ``name`` says of what in it. ``was`` and ``now``: levels in dB, or names.

    ``waits``: it is of the song that sounds, and comes once that is over.
    """

    kind: OfSong | OfShow
    song: str
    name: str
    was: float | str | None
    now: float | str | None
    waits: bool


def differences(before: Mapping[str, Any], now: Mapping[str, Any], sounding: str | None = None) -> list[Difference]:
    """What differs between two documents of a show. ``sounding``: the song (by its id) that plays."""
    found = [*_entries(before, now), *_line_up(before, now)]
    songs = {s["id"]: s for s in now["songs"]}
    for song in before["songs"]:
        if song["id"] in songs:
            found += _song(song, songs[song["id"]], song["id"] == sounding)
    return [*found, *_routing(before, now), *_rest(before, now)]


def _one(kind: OfSong | OfShow, song: str = "", name: str = "", **more: Any) -> Difference:
    return Difference(
        kind=kind, song=song, name=name, was=more.get("was"), now=more.get("now"), waits=more.get("waits", False)
    )


def _by(field: str, rows: Sequence[Mapping[str, Any]]) -> dict[Any, Mapping[str, Any]]:
    return {row[field]: row for row in rows}


def _entries(before: Mapping[str, Any], now: Mapping[str, Any]) -> Iterator[Difference]:
    titles = {s["id"]: s["title"] for s in (*before["songs"], *now["songs"])}
    were, are = _by("id", before["entries"]), _by("id", now["entries"])
    yield from (_one("entry_added", titles[e["song"]]) for i, e in are.items() if i not in were)
    yield from (_one("entry_gone", titles[e["song"]]) for i, e in were.items() if i not in are)
    if [i for i in were if i in are] != [i for i in are if i in were]:
        yield _one("order")
    forms = {(s["id"], f["id"]): f["name"] for s in now["songs"] for f in s.get("forms", [])}
    for was, entry in ((were[i], e) for i, e in are.items() if i in were):
        title = titles[entry["song"]]
        if was["song"] != entry["song"]:
            yield _one("entry_gone", titles[was["song"]])
            yield _one("entry_added", title)
            continue
        if was.get("form") != entry.get("form"):
            yield _one("form", title, now=forms.get((entry["song"], entry.get("form") or "full"), ""))
        if was.get("link") != entry.get("link"):
            yield _one("link", title)
        if was.get("call_title") != entry.get("call_title"):
            yield _one("call_title", title)
        if _key_tempo(was) != _key_tempo(entry):
            yield _one("entry_key", title)
        if was.get("timecode", "") != entry.get("timecode", ""):
            yield _one("entry_timecode", title)
        if was.get("screen", "song") != entry.get("screen", "song"):
            yield _one("entry_screen", title)
        if was.get("players", []) != entry.get("players", []):
            yield _one("entry_players", title)


def _key_tempo(entry: Mapping[str, Any]) -> tuple[int, float]:
    return entry.get("semitones", 0), entry.get("tempo_percent", 100)


def _line_up(before: Mapping[str, Any], now: Mapping[str, Any]) -> Iterator[Difference]:
    were_on, on = (d.get("line_up", {}).get("on") for d in (before, now))
    for player in now.get("players", []):
        was_on = were_on is None or player["id"] in were_on
        is_on = on is None or player["id"] in on
        if was_on != is_on:
            yield _one("player_on" if is_on else "player_away", name=player["name"])


def _song(was: Mapping[str, Any], now: Mapping[str, Any], sounds: bool) -> Iterator[Difference]:
    title = now["title"]
    for kind, fields in _FIELDS.items():
        if any(was.get(f) != now.get(f) for f in fields):
            yield _one(kind, title, waits=sounds)
    yield from _level("song_level", was, now, title)
    click, now_click = was.get("click", {}), now.get("click", {})
    if _but_level(click) != _but_level(now_click):
        yield _one("click", title, waits=sounds)
    yield from _level("click_level", click, now_click, title)
    were, are = _by("id", was.get("stems", [])), _by("id", now.get("stems", []))
    yield from (_one("stem_added", title, s["name"], waits=sounds) for i, s in are.items() if i not in were)
    yield from (_one("stem_gone", title, s["name"], waits=sounds) for i, s in were.items() if i not in are)
    for old, stem in ((were[i], s) for i, s in are.items() if i in were):
        yield from _level("stem_level", old, stem, title, stem["name"])
        if any(old.get(f) != stem.get(f) for f in _SOUND):
            yield _one("stem_sound", title, stem["name"], waits=sounds)
        if any(old.get(f) != stem.get(f) for f in _MIX):
            yield _one("stem_mix", title, stem["name"])


def _level(
    kind: OfSong | OfShow, was: Mapping[str, Any], now: Mapping[str, Any], song: str = "", name: str = ""
) -> Iterator[Difference]:
    before, after = (float(one.get("gain_db", 0.0)) for one in (was, now))
    if before != after:
        yield _one(kind, song, name, was=before, now=after)


def _but_level(row: Mapping[str, Any]) -> dict[str, Any]:
    return {field: value for field, value in row.items() if field != "gain_db"}


def _routing(before: Mapping[str, Any], now: Mapping[str, Any]) -> Iterator[Difference]:
    were, are = _by("id", before.get("feeds", [])), _by("id", now.get("feeds", []))
    yield from (_one("feed_added", name=f["name"]) for i, f in are.items() if i not in were)
    yield from (_one("feed_gone", name=f["name"]) for i, f in were.items() if i not in are)
    for was, feed in ((were[i], f) for i, f in are.items() if i in were):
        yield from _level("feed_level", was, feed, name=feed["name"])
        if _but_level(was) != _but_level(feed):
            yield _one("feed", name=feed["name"])
    if before.get("rig") != now.get("rig"):
        yield _one("sockets")
    if _unordered(before.get("patch", [])) != _unordered(now.get("patch", [])):
        yield _one("patch")


def _unordered(rows: Sequence[Mapping[str, Any]]) -> list[str]:
    return sorted(repr(sorted(row.items())) for row in rows)


def _rest(before: Mapping[str, Any], now: Mapping[str, Any]) -> Iterator[Difference]:
    for kind, field in _OF_SHOW.items():
        if (before.get(field) or None) != (now.get(field) or None):
            yield _one(kind)
    if _intervals(before) != _intervals(now):
        yield _one("intervals")


def _intervals(show: Mapping[str, Any]) -> list[tuple[str, int]]:
    """The intervals by the entry before each: one moves along where an entry before it comes or goes."""
    entries = show["entries"]
    return [
        (entries[i["after"] - 1]["id"], i["minutes"]) for i in show.get("intervals", []) if i["after"] <= len(entries)
    ]
