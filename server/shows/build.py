"""The show document from rows, as a folder for the engine and as a bundle to save."""

from __future__ import annotations

import json
import shutil
import tempfile
from collections.abc import Container, Iterable
from pathlib import Path
from typing import Any

from django.conf import settings

from api.files import linked_or_copied
from devices.changes import KEPT
from outputs.routing import feeds_document, rig_document
from people.line_ups import missing
from setlists.models import Entry
from shows.models import Show
from songs.messages import messages_document
from songs.models import Song
from songs.prepared import check_prepared, with_prepared
from songs.prepared import missing as missing_of
from sounds.build import hand_sounds_document
from upbeat.audio.pcm import WavWriter
from upbeat.cues.speech import make_words
from upbeat.errors import refuse
from upbeat.limits import INTERVAL_MINUTES
from upbeat.messages.devices import as_data
from upbeat.show.bundle import DOCUMENT, write_bundle
from upbeat.show.document import FORMAT, VERSION, read_show
from upbeat.show.ready import line_check_words, needed_words
from upbeat.song.key_tempo import REHEARSAL, KeyTempo, slower
from voices.build import palette, with_voice


def show_document(show: Show, *, rehearsal: bool = False) -> tuple[dict[str, Any], dict[str, Path]]:
    """The document of a show and the files it names. Raises :class:`Refused`.

    ``rehearsal``: with what is prepared at the tempos for rehearsal (rule V2).
    """
    files: dict[str, Path] = {}
    rows = list(show.setlist.entries.select_related("song"))
    entries = [e for e in rows if e.song is not None]
    if not entries:
        raise refuse("show-empty", f"“{show.setlist.name}” has no songs yet: put some in the setlist.")
    songs = {e.song.pk: e.song for e in entries if e.song is not None}
    played = {pk: list(dict.fromkeys(e.change for e in entries if e.song_id == pk)) for pk in songs}
    changes = {pk: [*played[pk], *(_slower(s, played[pk]) if rehearsal else [])] for pk, s in songs.items()}
    away = {p.pk for p in missing(show.line_up)}
    line_up = str(show.line_up_id) if show.line_up_id else None
    players = list(show.band.players.all())
    devices = KEPT.of(show.band)
    known = {str(p.pk) for p in players}
    document = {
        "format": FORMAT,
        "version": VERSION,
        "title": show.title,
        "band": show.band.name,
        "sample_rate": settings.SAMPLE_RATE,
        "players": [{"id": str(p.pk), "name": p.name, "part": p.part} for p in players],
        "line_up": {"on": [str(p.pk) for p in players if p.pk not in away]},
        "devices": as_data(devices),
        "songs": [
            {**with_prepared(s, changes[s.pk], files, line_up), "messages": messages_document(s, devices)}
            for s in songs.values()
        ],
        "entries": [_entry(e, known) for e in entries],
        "intervals": _intervals(rows),
        "slot": {
            "starts_at": f"{show.setlist.starts_at:%H:%M}" if show.setlist.starts_at else None,
            "minutes": show.setlist.slot_minutes,
        },
        "palette": palette(show.band),
        "hand_sounds": hand_sounds_document(show.band, set(songs), files),
        "feeds": feeds_document(show.band),
        **rig_document(show.rig),
    }
    read_show(with_voice(document, show.band, files, show.voice))
    return document, files


def _intervals(rows: list[Entry]) -> list[dict[str, int]]:
    """The intervals between songs, those that lie beside each other as one."""
    found: dict[int, int] = {}
    songs = 0
    for row in rows:
        if row.song is not None:
            songs += 1
        elif songs:
            found[songs] = found.get(songs, 0) + (row.interval_minutes or 0)
    total = sum(row.song is not None for row in rows)
    return [
        {"after": after, "minutes": min(minutes, int(INTERVAL_MINUTES.high))}
        for after, minutes in found.items()
        if minutes and after < total
    ]


def _entry(entry: Entry, players: Container[str]) -> dict[str, Any]:
    """An entry; ``players``: those of the band (by id)."""
    return {
        "id": str(entry.pk),
        "song": str(entry.song_id),
        "form": entry.form or None,
        "link": {"kind": entry.link, "seconds": entry.link_seconds, "pad": entry.pad},
        "call_title": entry.call_title,
        "timecode": entry.timecode,
        "screen": entry.screen,
        **entry.change.document,
        "players": [{"player": p, "on": on} for p, on in sorted(entry.players.items()) if p in players],
    }


def _slower(song: Song, played: Iterable[KeyTempo]) -> list[KeyTempo]:
    """The tempos for rehearsal that a song is prepared in, of the keys and tempos that it is played in (rule V2)."""
    slow = [s for change in played for percent in REHEARSAL if (s := slower(change, percent)) is not None]
    return [s for s in dict.fromkeys(slow) if not missing_of(song, s)]


def place_for_engine(show: Show) -> Path:
    """Write a show where the engine loads it from, and give the folder.

    Sound is linked, not copied, so that the show keeps playing whatever is deleted meanwhile.
    Every loading has a folder of its own.
    """
    _check_prepared(show)
    document, files = show_document(show, rehearsal=True)
    return placed(document, files, settings.MEDIA / "shows", str(show.pk))


def _check_prepared(show: Show) -> None:
    """Raise :class:`Refused` where a song is not prepared yet in its key and tempo."""
    for entry in show.setlist.entries.select_related("song"):
        if entry.song is not None:
            check_prepared(entry.song, entry.change)


def placed(document: dict[str, Any], files: dict[str, Path], parent: Path, of: str, missing_ok: bool = False) -> Path:
    """A new folder in ``parent`` with a document and its files.

    Raises :class:`Refused` where one is missing, unless ``missing_ok``.
    """
    parent.mkdir(parents=True, exist_ok=True)
    folder = Path(tempfile.mkdtemp(prefix=f"{of}-", dir=parent))
    for name, source in files.items():
        target = folder / name
        target.parent.mkdir(parents=True, exist_ok=True)
        if not source.exists():
            if missing_ok:
                continue
            shutil.rmtree(folder)
            raise refuse("stem-file-missing", f"The sound of a stem is missing on disk ({name}): add the stem again.")
        linked_or_copied(source, target)
    (folder / DOCUMENT).write_text(json.dumps(document, ensure_ascii=False))
    return folder


def save_bundle(show: Show, path: Path) -> None:
    """Write a show as a bundle, with its words rendered, so that it plays anywhere."""
    _check_prepared(show)
    document, files = show_document(show)
    with tempfile.TemporaryDirectory() as temporary:
        ready = read_show(document)
        recorded, needed = {w.text for w in ready.words}, [*needed_words(ready), *line_check_words(ready)]
        spoken = make_words(
            [t for t in dict.fromkeys(needed) if t not in recorded], ready.voice, settings.SAMPLE_RATE, settings.WORDS
        )
        for i, word in enumerate(spoken):
            name = f"words/{i:03d}.wav"
            with WavWriter(Path(temporary) / f"{i}.wav", settings.SAMPLE_RATE, 1) as writer:
                writer.write(word.sound[:, None])
            files[name] = Path(temporary) / f"{i}.wav"
            document["words"].append({"text": word.text, "fast": word.fast, "file": name, "onset": word.onset})
        write_bundle(path, document, files)
