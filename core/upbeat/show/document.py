"""Reading a show document (docs/show-format.md) into the data of the core."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from functools import cache
from pathlib import Path
from typing import Any

from jsonschema_rs import Draft202012Validator

from upbeat import limits
from upbeat.cues.voice import Voice, voice_of
from upbeat.errors import Problem, Refused, refuse
from upbeat.messages.kinds import Device, read_devices, read_messages
from upbeat.messages.timecode import parse_label
from upbeat.mix.line_up import Person
from upbeat.mix.loops import TONES
from upbeat.mix.routing import Feed, Patch, Routing, Send, Socket
from upbeat.play.hand import PlayerTonight, away_with
from upbeat.play.plan import Link
from upbeat.show.stem_document import read_stem
from upbeat.song.edges import Edges
from upbeat.song.forms import Ending, Form, Step
from upbeat.song.guides import ClickSettings, CountIn, FreeCue
from upbeat.song.hand_sounds import HandSound
from upbeat.song.key_tempo import REHEARSAL, KeyTempo, key_tempo, slower
from upbeat.song.played_in import played_in
from upbeat.song.screen import Shows, read_screen
from upbeat.song.sections import remarked
from upbeat.song.song import Section, Song, full_form
from upbeat.song.tone import read_tone
from upbeat.time.grid import Grid
from upbeat.time.meter import MeterMap, TimeSignature
from upbeat.time.tempo import TempoMap, TempoPoint, parse_bpm

#: What may sound between two songs: nothing, the pad of the song that comes, a tone in its key.
PADS = ("", "song", *TONES)
FORMAT, VERSION = "upbeat-cue-show", 1


@dataclass(frozen=True)
class Entry:
    """``call_title``: its title is spoken before its count-in (rule Q8). ``players``: who is on in it, or away, other than in the show.
    ``timecode``: the label of its bar 1, "" for its own hour; ``screen``: what screens for the audience show.
    ``song``: its song in the key and tempo that it is played in, by the name that the show has it under.
    """

    id: str
    song: str
    form: str | None = None
    link: Link = field(default_factory=Link)
    call_title: bool = False
    players: tuple[PlayerTonight, ...] = ()
    timecode: str = ""
    screen: Shows = "song"


@dataclass(frozen=True)
class WordFile:
    """A word rendered ahead; ``onset`` in frames at the show's rate."""

    text: str
    fast: bool
    file: str
    onset: int


@dataclass(frozen=True)
class Slot:
    """When a show begins (``20:15``, None where it is not known), and the minutes it may last."""

    starts_at: str | None
    minutes: int


@dataclass(frozen=True, kw_only=True)
class Show:
    title: str
    sample_rate: int
    songs: Mapping[str, Song]
    entries: tuple[Entry, ...]
    routing: Routing
    away: frozenset[str] = frozenset()
    players: tuple[Person, ...] = ()
    voice: Voice = field(default_factory=Voice)
    words: tuple[WordFile, ...] = field(default=())
    #: The band's own click sounds: name to file.
    sounds: Mapping[str, str] = field(default_factory=dict)
    #: Words that can be said on the spot (rule Q7).
    palette: tuple[str, ...] = ()
    hand_sounds: tuple[HandSound, ...] = ()
    #: Receivers of messages (rule S1).
    devices: tuple[Device, ...] = ()
    #: By the songs of entries, those that are prepared slower for rehearsal: per cent of its tempo, and the song so (rule V2).
    slower: Mapping[str, tuple[tuple[int, Song], ...]] = field(default_factory=dict)
    slot: Slot | None = None
    #: Minutes of the interval behind so many entries.
    intervals: Mapping[int, int] = field(default_factory=dict)

    def entry(self, entry: int) -> Entry:
        """An entry, from 0. Raises :class:`Refused` where there is none."""
        if not self.entries:
            raise refuse("entry-unknown", "The show has no songs: put some in the setlist.")
        if not 0 <= entry < len(self.entries):
            raise refuse("entry-unknown", f"The setlist has entries 1 to {len(self.entries)}: choose one of them.")
        return self.entries[entry]

    def away_in(self, entry: int) -> frozenset[str]:
        """The players who are away in an entry, from 0."""
        return away_with(self.away, self.entries[entry].players)


@cache
def schema() -> dict[str, Any]:
    """The JSON Schema (draft 2020-12) of the show document."""
    loaded: dict[str, Any] = json.loads(Path(__file__).with_name("schema.json").read_text("utf-8"))
    return _with_limits(loaded)


def _with_limits(schema: Any) -> Any:
    """``schema`` with the numbers of :mod:`upbeat.limits` for every ``range`` and ``longest`` it names."""
    if isinstance(schema, list):
        return [_with_limits(one) for one in schema]
    if not isinstance(schema, dict):
        return schema
    whole = {key: _with_limits(value) for key, value in schema.items()}
    if isinstance(whole.get("range"), str):
        whole |= limits.ranges()[whole.pop("range")].json_schema
    if isinstance(whole.get("longest"), str):
        whole["maxLength"] = limits.lengths()[whole.pop("longest")]
    return whole


@cache
def _validator() -> Draft202012Validator:
    return Draft202012Validator(schema())


def check_schema(document: object) -> None:
    """Raise :class:`Refused` with one sentence for each place that does not fit the schema (ten at most)."""
    problems = []
    for error in sorted(_validator().iter_errors(document), key=lambda e: list(map(str, e.instance_path)))[:10]:
        where = ".".join(str(p) for p in error.instance_path) or "the document"
        problems.append(Problem("show-format", f"The show document is wrong at {where}: {error.message[:200]}"))
    if problems:
        raise Refused(*problems)


def read_show(document: Any, as_recorded: bool = False) -> Show:
    """A checked document as a :class:`Show`. Raises :class:`Refused`.

    ``as_recorded``: with every song in the key and tempo that it was recorded in, so that none has to be prepared.
    """
    check_schema(document)
    songs = _songs(document["songs"])
    devices = read_devices(document.get("devices", []))
    entries, played, slow = [], {}, {}
    for raw in document["entries"]:
        if raw["song"] not in songs:
            raise refuse("entry-song-unknown", f"The setlist names a song {raw['song']} that is not in the show.")
        change = KeyTempo() if as_recorded else key_tempo(raw.get("semitones", 0), raw.get("tempo_percent", 100))
        name = f"{raw['song']} {change.semitones} {change.percent}" if change.changes else raw["song"]
        if name not in played:
            played[name] = played_in(songs[raw["song"]], change)
            slow[name] = () if as_recorded else tuple(_slower(songs[raw["song"]], change))
        entries.append(_entry(raw, name, devices))
    on = document.get("line_up", {}).get("on")
    players = tuple(Person(p["id"], p["name"], p.get("part", "")) for p in document.get("players", []))
    away = frozenset() if on is None else frozenset(p.id for p in players if p.id not in on)
    words = tuple(WordFile(w["text"], w["fast"], w["file"], w["onset"]) for w in document.get("words", []))
    return Show(
        title=document["title"],
        sample_rate=document.get("sample_rate", 48000),
        songs=_in_use(songs, entries, document) | played,
        entries=tuple(entries),
        routing=read_routing(document),
        away=away,
        players=players,
        voice=voice_of(document.get("voice")),
        words=words,
        sounds={s["name"]: s["file"] for s in document.get("click_sounds", [])},
        palette=tuple(dict.fromkeys(document.get("palette", []))),
        intervals={i["after"]: i["minutes"] for i in document.get("intervals", [])},
        slot=Slot(**document["slot"]) if document.get("slot") else None,
        hand_sounds=_hand_sounds(document.get("hand_sounds", []), songs),
        devices=devices,
        slower=slow,
    )


def _songs(raws: Sequence[Mapping[str, Any]]) -> dict[str, Song]:
    songs: dict[str, Song] = {}
    for raw in raws:
        if raw["id"] in songs:
            raise refuse("song-twice", f"Two songs have the id {raw['id']}: give one of them another.")
        songs[raw["id"]] = read_song(raw)
    return songs


def _entry(raw: Mapping[str, Any], song: str, devices: Sequence[Device]) -> Entry:
    return Entry(
        id=raw["id"],
        song=song,
        form=raw.get("form"),
        link=_link(raw.get("link", {})),
        call_title=raw.get("call_title", False),
        players=tuple(PlayerTonight(p["player"], p["on"]) for p in raw.get("players", [])),
        timecode=_timecode(raw.get("timecode", ""), devices),
        screen=raw.get("screen", "song"),
    )


def _slower(song: Song, change: KeyTempo) -> Iterator[tuple[int, Song]]:
    """A song at the tempos for rehearsal, as far as it is prepared."""
    if not any(stem.prepared for stem in song.stems):
        return
    for percent in REHEARSAL:
        slow = slower(change, percent)
        try:
            if slow is not None:
                yield percent, played_in(song, slow)
        except Refused:
            continue


def _in_use(songs: Mapping[str, Song], entries: Sequence[Entry], document: Mapping[str, Any]) -> dict[str, Song]:
    """The songs as they are recorded, but those that are played in other keys and tempos alone."""
    moved = {raw["song"] for raw, e in zip(document["entries"], entries, strict=True) if raw["song"] != e.song}
    return {name: song for name, song in songs.items() if name not in moved or any(e.song == name for e in entries)}


def _timecode(label: str, devices: Sequence[Device]) -> str:
    """A label of timecode that every device can be told. Raises :class:`Refused`."""
    for fps in {d.fps for d in devices if d.kind == "timecode"} or {"30"} if label else ():
        parse_label(label, fps)
    return label


def _link(raw: Mapping[str, Any]) -> Link:
    pad = raw.get("pad", "")
    if pad not in PADS:
        raise refuse("pad-unknown", f"“{pad}” is no pad: choose {', '.join(PADS[1:])}, or none.")
    return Link(raw.get("kind", "wait"), raw.get("seconds", 0.0), pad)


def _hand_sounds(raw: Sequence[Mapping[str, Any]], songs: Mapping[str, Song]) -> tuple[HandSound, ...]:
    sounds = {one["id"]: HandSound(**one) for one in raw}
    if len(sounds) < len(raw):
        raise refuse("sound-twice", "Two sounds by hand have the same id: give one of them another.")
    for sound in sounds.values():
        if sound.song is not None and sound.song not in songs:
            raise refuse("sound-song-unknown", f"The sound “{sound.name}” belongs to a song that is not in the show.")
    return tuple(sounds.values())


def read_grid(raw: Mapping[str, Any]) -> Grid:
    """The grid of a song from ``tempo``, ``meters``, ``bar1_s`` and ``pickup``."""
    meters = MeterMap([(m["bar"], TimeSignature.parse(m["meter"], m.get("grouping"))) for m in raw["meters"]])
    points = []
    for t in raw["tempo"]:
        position = meters.position(t["bar"], _fraction(t.get("beat", 1), "beat"))
        points.append(
            TempoPoint(position, parse_bpm(t["bpm"]), _fraction(t.get("unit", 1), "unit"), t.get("ramp", False))
        )
    return Grid(
        TempoMap(points), meters, Fraction(str(raw.get("bar1_s", 0))), _fraction(raw.get("pickup", 0), "pickup")
    )


def _fraction(value: object, what: str) -> Fraction:
    try:
        return Fraction(str(value))
    except (ValueError, ZeroDivisionError):
        raise refuse("fraction-unreadable", f"“{value}” is not a {what}: write it as 1, 1.5 or 3/2.") from None


def read_song(raw: Mapping[str, Any]) -> Song:
    """A song of a show document. Raises :class:`Refused`."""
    sections = remarked(tuple(read_section(s, 1 + i % 6) for i, s in enumerate(raw["sections"])))
    forms = tuple(Form(f["id"], f["name"], tuple(_step(s) for s in f["steps"])) for f in raw.get("forms", []))
    stems = tuple(read_stem(s) for s in raw.get("stems", []))
    count = raw.get("count_in", {})
    return Song(
        id=raw["id"],
        title=raw["title"],
        grid=read_grid(raw),
        sections=sections,
        forms=forms or ((full_form(sections),) if sections else ()),
        stems=stems,
        click=_click(raw.get("click", {})),
        count_in=CountIn(count.get("bars", 2), count.get("aloud", True), count.get("sticks", False)),
        crossfade_ms=raw.get("crossfade_ms", 10.0),
        ring_on_s=raw.get("ring_on_s", 0.0),
        calls=raw.get("calls", True),
        key=raw.get("key", ""),
        chords={c["bar"]: c["text"] for c in raw.get("chords", [])},
        note=raw.get("note", ""),
        gain_db=raw.get("gain_db", 0.0),
        edges=Edges(**raw.get("edges", {})),
        cues=tuple(FreeCue(c["bar"], c["beat"], c["text"]) for c in raw.get("cues", [])),
        lead=raw.get("lead", 1),
        messages=read_messages(raw.get("messages", []), raw["title"]),
        screen=read_screen(raw.get("screen", {}), raw["title"]),
    )


def _click(raw: Mapping[str, Any]) -> ClickSettings:
    return ClickSettings(**{**raw, "silent": tuple(raw.get("silent", ()))})


def read_section(raw: Mapping[str, Any], colour: int = 1) -> Section:
    """A section of a show document; ``colour`` where it has none."""
    texts = {name: raw.get(name, "") for name in ("cue", "words", "note")}
    called = {"called": raw.get("called", True), "lead": raw.get("lead")}
    return Section(
        id=raw["id"],
        name=raw["name"],
        bars=raw["bars"],
        mark="",
        colour=raw.get("colour", colour),
        locked=raw.get("locked", False),
        **called,
        **texts,
    )


def _step(raw: Mapping[str, Any]) -> Step:
    ending = raw.get("ending", {})
    return Step(
        raw["section"],
        Ending(ending.get("kind", "attacca"), ending.get("times", 1)),
        raw.get("cue", ""),
        frozenset(raw.get("tacet", [])),
        raw.get("first", 1),
        raw.get("bars"),
    )


def read_routing(raw: Mapping[str, Any]) -> Routing:
    """Feeds, sockets and patch of a show document."""
    feeds = tuple(
        Feed(
            id=f["id"],
            name=f["name"],
            kind=f["kind"],
            channels=f.get("channels", 2),
            gain_db=f.get("gain_db", 0.0),
            sends=tuple(Send(s["source"], s.get("gain_db", 0.0), s.get("before", False)) for s in f.get("sends", [])),
            alone=f.get("alone", False),
            player=f.get("player"),
            tone=read_tone(f.get("tone"), f["name"]),
            ceiling_db=f.get("ceiling_db"),
        )
        for f in raw.get("feeds", [])
    )
    sockets = tuple(
        Socket(
            number=s["number"],
            label=s.get("label", ""),
            use=s.get("use", "free"),
            balanced=s.get("balanced", True),
            headphones=s.get("headphones", False),
            printed=s.get("printed", ""),
            desk=s.get("desk", ""),
            mirrored=s.get("mirrored", ""),
            cable_m=s.get("cable_m", 0.0),
            pair=s.get("pair", 0),
        )
        for s in raw.get("rig", {}).get("sockets", [])
    )
    patches = tuple(
        Patch(
            feed=p["feed"],
            side=p.get("side", "mono"),
            socket=p["socket"],
            trim_db=p.get("trim_db", 0.0),
            delay_ms=p.get("delay_ms", 0.0),
            invert=p.get("invert", False),
        )
        for p in raw.get("patch", [])
    )
    return Routing(feeds, sockets, patches)
