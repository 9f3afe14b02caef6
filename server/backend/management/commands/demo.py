"""``manage.py demo``: the demo band with its songs, setlist, feeds, rigs and show (docs/demo.md)."""

from __future__ import annotations

import uuid
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import msgspec
from django.conf import settings
from django.core.management.base import BaseCommand, CommandParser
from django.db import connections, transaction
from django.utils.text import slugify

from devices.changes import KEPT as KEPT_DEVICES
from hands.changes import KEPT as HANDS
from outputs.models import Feed, Patch, Rig, Send, Socket
from outputs.views import make_feeds
from people.models import Band, LineUp, Player, user_named
from screens.take import take as take_screen_file
from setlists.models import Entry, Setlist
from shows.models import Show
from songs import edits
from songs.build import core_song
from songs.loops import keep_stack, layers_of
from songs.models import Form, Section, Song
from songs.prepared import ask_preparation
from songs.summary import keep_summary
from sounds.take import take
from upbeat.controls.hands import with_all
from upbeat.controls.starters import StarterName, starter
from upbeat.messages.devices import with_device
from upbeat.song.treatment import TREATMENTS
from upbeat_demo.compose import write_stems
from upbeat_demo.devices import DEVICES
from upbeat_demo.film import write_film
from upbeat_demo.hand_sounds import write_hand_sounds
from upbeat_demo.songs import SONGS, DemoSong
from uploads.models import Upload
from uploads.tasks import import_file

PLAYERS = (("Wren", "voice, violin"), ("Ozo", "drums"), ("Pilar", "bass"), ("Teodor", "keys"))
#: Songs whose grid nobody has looked at yet.
UNSEEN = ("Paper Comets", "Gravity Hop")
FILMED = "Perihelion Parade"
#: What is printed on the outputs of the dome tent.
TENT = (
    "Tracks L",
    "Tracks R",
    "Tonal L",
    "Tonal R",
    "Click, cues",
    "Riser headphones",
    "Keyboard computer L",
    "Keyboard computer R",
)
COVERS = {"Drums": "Ozo", "Bass": "Pilar", "Organ": "Teodor", "Harp": "Teodor"}


class Command(BaseCommand):
    help = "Make the demo band; --empty makes only a band to begin with."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--empty", action="store_true")

    def handle(self, *args: Any, **options: Any) -> None:
        with transaction.atomic():
            band = Band.objects.create(name="The Comet Caravan" if not options["empty"] else "Our band")
            user = user_named("Ines Aurelio" if not options["empty"] else "Director", band, "director")
            feeds = make_feeds(band)
        if options["empty"]:
            return
        user_named("Hakon", band, "sound")
        players = {n: Player.objects.create(band=band, name=n, part=p, position=i) for i, (n, p) in enumerate(PLAYERS)}
        _devices(band, user)
        # Each process composes a song and imports it; a connection must not be shared by two.
        connections.close_all()
        with ProcessPoolExecutor(2, mp_context=get_context("fork")) as pool:
            songs = list(pool.map(partial(_composed, band, user, players), SONGS))
        _hand_sounds(band)
        _film(band, user, songs)
        _hands(band, user)
        rig = _outputs(band, feeds)
        _show(band, songs, rig, _line_ups(band, players)[1])


def _devices(band: Band, user: Any) -> None:
    """What gets messages."""
    for one in DEVICES:
        KEPT_DEVICES.change(band, user, partial(with_device, raw=one))
    KEPT_DEVICES.changes.objects.filter(band=band).delete()


def _film(band: Band, user: Any, songs: list[Song]) -> None:
    """The dome film of Perihelion Parade."""
    song = next(s for s in songs if s.title == FILMED)
    path = settings.VAR / "demo" / "Dome_film.webm"
    made = core_song(song)
    write_film(
        path, float(made.grid.bar_seconds(made.total_bars + 1) - made.grid.bar_seconds(1)), float(song.tempo[0]["bpm"])
    )
    with open(path, "rb") as file:
        one = take_screen_file(band, path.name, file)
    shown = {"id": one.content, "name": one.name, "type": one.type, "fps": one.fps, "seconds": one.seconds}
    edits.apply_edit(song.pk, band, user, "set_screen", {"screen": {"film": {"file": shown, "starts_s": 0}}})


def _message(made: DemoSong, number: int, by_name: dict[str, str]) -> dict[str, Any]:
    """A message of a song as the edit takes it."""
    device, place, send, only = made.messages[number]
    if isinstance(place, tuple):
        at: dict[str, Any] = {"place": "bar", "bar": place[0], "beat": place[1]}
    elif place in ("start", "end"):
        at = {"place": place}
    else:
        at = {"place": "section", "section": by_name[place]}
    what = {"kind": "named", "message": send} if isinstance(send, str) else send
    return {
        "id": f"{device}-{number}",
        "device": device,
        "at": {**at, "pass": only},
        "send": what,
        "chase": device != "film",
    }


def _hands(band: Band, user: Any) -> None:
    """What the simulated boxes do."""
    sets: tuple[tuple[StarterName, str], ...] = (
        ("nine_pads", "Nine pads"),
        ("two_pedals", "Four pedals"),
        ("eight_faders", "Eight faders"),
    )
    made = [b for name, port in sets for b in starter(name, port, lambda: uuid.uuid4().hex[:12])]
    HANDS.change(band, user, lambda hands: with_all(hands, made))


def _composed(band: Band, user: Any, players: dict[str, Player], made: DemoSong) -> Song:
    folder = settings.VAR / "demo" / slugify(made.title)
    return _song(band, user, players, made, write_stems(made, folder))


def _chords(made: DemoSong) -> dict[str, str]:
    """Bar to chord, each part's chords round and round to its length."""
    bars = [
        chords[i % len(chords)] for part in made.parts for chords in [part.chords.split()] for i in range(part.bars)
    ]
    return {str(i + 1): chord for i, chord in enumerate(bars) if chord != "N"}


def _song(band: Band, user: Any, players: dict[str, Player], made: DemoSong, files: list[Path]) -> Song:
    song = Song.objects.create(
        band=band,
        title=made.title,
        key=made.key,
        tempo=list(made.tempo),
        meters=list(made.meters),
        bar1_s=made.bar1_s,
        pickup=made.pickup,
    )
    by_name = _sections(song, made)
    for file in files:
        _import(song, user, file)
    edit = partial(edits.apply_edit, song.pk, band, user)
    for stem in song.stems.all():
        if stem.name in COVERS:
            edit("set_stem", {"stem": str(stem.pk), "covers": str(players[COVERS[stem.name]].pk)})
        if stem.name == "Violin guide":
            edit("set_stem", {"stem": str(stem.pk), "purpose": "rehearsal"})
    for stem_name, section, change in made.cells:
        stem = song.stems.get(name=stem_name)
        edit("set_cells", {"stems": [str(stem.pk)], "sections": [by_name[section]], **change})
    for stem_name, sections, purpose in made.treatments:
        where = {"sections": [by_name[s] for s in sections]} if sections else {}
        stems = [str(song.stems.get(name=stem_name).pk)]
        edit("set_treatment", {"stems": stems, "treatment": msgspec.to_builtins(TREATMENTS[purpose]), **where})
    for bar, beat, text in made.cues:
        edit("set_cue", {"bar": bar, "beat": beat, "text": text})
    for loop, sections, gain_db in made.layers:
        where = {"sections": [by_name[s] for s in sections]} if sections else {}
        changed = edit("add_layer", {"loop": loop, "waits": made.waits, **where})
        edit("set_stem", {"stem": str(layers_of(changed)[-1].pk), "gain_db": gain_db})
    if made.stack:
        keep_stack(Song.objects.get(pk=song.pk), made.stack)
    for number in range(len(made.messages)):
        edit("set_message", {"message": _message(made, number, by_name)})
    if made.title not in UNSEEN:
        edit("set_seen", {"what": "grid"})
    song.edits.all().delete()
    song.refresh_from_db()
    keep_summary(song.pk)
    return song


def _sections(song: Song, made: DemoSong) -> dict[str, str]:
    """Make sections, endings, chords and forms; gives the sections' ids by name."""
    sections = [
        Section(song=song, position=i, name=p.name, bars=p.bars, colour=i % 6 + 1, words=p.words)
        for i, p in enumerate(made.parts)
    ]
    Section.objects.bulk_create(sections)
    song.chords = _chords(made)
    song.endings = {
        str(s.pk): {"kind": p.ending[0], "times": p.ending[1]}
        for s, p in zip(sections, made.parts, strict=True)
        if p.ending[0] != "attacca"
    }
    song.save()
    by_name = {s.name: str(s.pk) for s in sections}
    for i, (name, steps) in enumerate(made.forms.items()):
        Form.objects.create(
            song=song,
            position=i,
            name=name,
            steps=[{"section": by_name[s], "ending": {"kind": kind, "times": times}} for s, kind, times in steps],
        )
    return by_name


def _import(song: Song, user: Any, file: Path) -> None:
    """Take a file in as an upload would."""
    size = file.stat().st_size
    upload = Upload.objects.create(
        band=song.band,
        song=song,
        user=user,
        name=file.name,
        size=size,
        received=size,
        status=Upload.Status.WAITING,
    )
    upload.path.parent.mkdir(parents=True, exist_ok=True)
    file.rename(upload.path)
    import_file(str(upload.pk))
    upload.refresh_from_db()
    if upload.status != Upload.Status.DONE:
        raise RuntimeError(upload.message)


def _hand_sounds(band: Band) -> None:
    """Four on the band's shelf; of crowd and thunder one rings at a time."""
    for file in write_hand_sounds(settings.VAR / "demo" / "hand-sounds"):
        one = take(band, None, file.name, file.read_bytes())
        if one.name in ("Crowd", "Thunder"):
            one.only, one.again = "weather", "off"
            one.save()


def _outputs(band: Band, feeds: dict[str, Feed]) -> Rig:
    riser = Feed.objects.create(band=band, name="Drum riser mix", kind="monitor", channels=1, position=4)
    heard = (("click", 0), ("cues", 0), (f"feed:{feeds['House rhythm'].pk}", -8))
    Send.objects.bulk_create([Send(feed=riser, source=s, gain_db=g) for s, g in heard])
    tent = Rig.objects.create(band=band, name="Dome tent, eight outputs", position=0)
    Socket.objects.bulk_create(
        [
            Socket(
                rig=tent,
                number=i,
                label=name,
                desk=str(20 + i) if i < 6 else "",
                use="kept" if i > 6 else "free",
                balanced=i != 6,
                headphones=i == 6,
            )
            for i, name in enumerate(TENT, 1)
        ]
    )
    wires = [
        ("House rhythm", "left", 1),
        ("House rhythm", "right", 2),
        ("House tonal", "left", 3),
        ("House tonal", "right", 4),
        ("Click", "mono", 5),
        ("Cues", "mono", 5),
    ]
    Patch.objects.bulk_create([Patch(rig=tent, feed=feeds[f], side=side, socket=n) for f, side, n in wires])
    Patch.objects.create(rig=tent, feed=riser, side="mono", socket=6)
    hall = Rig.objects.create(band=band, name="Village hall", position=1)
    Socket.objects.bulk_create(
        [
            Socket(rig=hall, number=i, label=name)
            for i, name in enumerate(["Left: click and cues", "Right: the house"], 1)
        ]
    )
    Patch.objects.bulk_create(
        [
            *(Patch(rig=hall, feed=feeds[f], side="mono", socket=1) for f in ("Click", "Cues")),
            *(Patch(rig=hall, feed=feeds[f], side="mono", socket=2) for f in ("House rhythm", "House tonal")),
        ]
    )
    return tent


def _line_ups(band: Band, players: dict[str, Player]) -> list[LineUp]:
    """All four; without the bass player; a guest at the drums."""
    made = [
        LineUp.objects.create(band=band, name=name, position=i)
        for i, name in enumerate(("All four", "Without Pilar", "Sami at the drums"))
    ]
    made[1].away.set([players["Pilar"]])
    made[2].away.set([players["Ozo"]])
    made[2].guests = {str(players["Ozo"].pk): "Sami"}
    made[2].save()
    return made


SUNG_HIGHER = {"Night Ferry": 2}  # semitones


def _show(band: Band, songs: list[Song], rig: Rig, line_up: LineUp) -> None:
    setlist = Setlist.objects.create(band=band, name="Thursday, dome tent", slot_minutes=75, starts_at="20:15")
    links = {"Tin Moon Waltz": ("attacca", 0), "Night Ferry": ("after", 12)}
    position = 0
    for song in songs:
        link, seconds = links.get(song.title, ("wait", 0))
        entry = Entry.objects.create(
            setlist=setlist,
            song=song,
            position=position,
            link=link,
            link_seconds=seconds,
            pad="warm" if song.title == "Night Ferry" else "",
            semitones=SUNG_HIGHER.get(song.title),
        )
        ask_preparation(song, entry.change)
        position += 1
        if song.title == "Paper Comets":
            Entry.objects.create(setlist=setlist, position=position, interval_minutes=25)
            position += 1
    Show.objects.create(
        band=band, title="Thursday, dome tent", setlist=setlist, rig=rig, date="2026-11-26", line_up=line_up
    )
