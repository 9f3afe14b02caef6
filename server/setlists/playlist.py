"""A setlist as sound: its songs as the house hears them, in one zip with a playlist, made in the worker."""

from __future__ import annotations

import tempfile
import zipfile
from collections.abc import Mapping
from pathlib import Path
from typing import Any, TypedDict

from django.conf import settings
from procrastinate.contrib.django import app

from api.files import plain_name
from jobs.run import LOST, MAX_ATTEMPTS, carry_out
from outputs.routing import feeds_document
from setlists.models import Entry, Playlist, Setlist
from songs.guides import name_of, tags_of
from songs.models import Song
from songs.prepared import check_prepared, with_prepared
from upbeat.errors import Refused, refuse
from upbeat.show.document import read_routing, read_song
from upbeat.show.playlist import Track, m3u8, write_song
from upbeat.song.played_in import played_in

FOLDER = "playlists"


class PlaylistShown(TypedDict):
    """``state``: ``none``, ``working``, ``done`` or ``refused`` (then ``message`` says why); ``at``: when it was begun."""

    state: str
    progress: float
    message: str
    at: float | None


def shown_playlist(setlist: Setlist) -> PlaylistShown:
    row = setlist.playlists.last()
    if row is None:
        return PlaylistShown(state="none", progress=0.0, message="", at=None)
    return PlaylistShown(state=row.state, progress=row.progress, message=row.message, at=row.begun_at.timestamp())


def ask_playlist(setlist: Setlist) -> None:
    """Have it made, unless that is under way; the one before it goes. Raises :class:`Refused` for one without songs."""
    if setlist.playlists.filter(state=Playlist.State.WORKING).exists():
        return
    if not setlist.entries.filter(song__isnull=False).exists():
        raise refuse("show-empty", f"“{setlist.name}” has no songs yet: put some in the setlist.")
    call_off(setlist)
    row = Playlist.objects.create(setlist=setlist)
    make_playlist.defer(playlist_id=row.pk)


def call_off(setlist: Setlist) -> None:
    """Delete what was made, or end what is under way."""
    for row in setlist.playlists.all():
        file_of(row).unlink(missing_ok=True)
        row.delete()


def file_of(row: Playlist) -> Path:
    return settings.MEDIA / FOLDER / f"{row.pk}.zip"


@app.task(name="make_playlist", queue="import", pass_context=False)
def make_playlist(playlist_id: int) -> None:
    carry_out(Playlist.objects.select_related("setlist__band").filter(pk=playlist_id).first(), _make)


class _CalledOff(Exception):
    pass


def _make(row: Playlist) -> None:
    entries = [e for e in row.setlist.entries.select_related("song") if e.song is not None]
    path = file_of(row)
    path.parent.mkdir(parents=True, exist_ok=True)
    try:
        with tempfile.TemporaryDirectory(dir=path.parent) as temporary:
            part = Path(temporary) / "made.zip"
            _write(row, entries, part, Path(temporary))
            part.replace(path)
    except _CalledOff:
        path.unlink(missing_ok=True)


def _write(row: Playlist, entries: list[Entry], part: Path, folder: Path) -> None:
    tracks = []
    with zipfile.ZipFile(part, "w", zipfile.ZIP_STORED) as archive:
        for number, entry in enumerate(entries, 1):
            song = entry.song
            assert song is not None
            sound = folder / "song.flac"

            def tell(share: float, done: int = number - 1) -> None:
                _tell(row, (done + share) / len(entries))

            try:
                seconds = _bounce(song, entry, sound, number, row.setlist.name, tell)
            except Refused as refused:
                raise refuse("playlist-song", f"“{song.title}” could not be made: {refused}") from None
            name = name_of(song, "house", "flac", number)
            archive.write(sound, name)
            sound.unlink()
            tracks.append(Track(name, song.title, seconds))
        archive.writestr(f"{plain_name(row.setlist.name, 'setlist')}.m3u8", m3u8(row.setlist.name, tracks))


def _bounce(song: Song, entry: Entry, path: Path, number: int, album: str, tell: Any) -> float:
    files: dict[str, Any] = {}
    check_prepared(song, entry.change)
    document = with_prepared(song, [entry.change], files)
    for stem in document["stems"]:
        for file in (stem, *stem.get("prepared", [])):
            file["file"] = str(files[file["file"]].relative_to(settings.MEDIA))
    feeds = read_routing({"feeds": feeds_document(song.band), "rig": {"sockets": []}, "patch": []}).feeds
    away = [player for player, on in entry.players.items() if not on]
    tags = {**tags_of(song, "house", album, number), "comment": "As the house hears it"}
    return write_song(
        played_in(read_song(document), entry.change),
        entry.form or None,
        feeds,
        away,
        settings.MEDIA,
        settings.SAMPLE_RATE,
        path,
        tags,
        tell,
    )


def _tell(row: Playlist, share: float) -> None:
    """Keep how far it is. Raises :class:`_CalledOff` once its row is gone."""
    if share - row.progress < 0.01:
        return
    row.progress = round(share, 2)
    if not Playlist.objects.filter(pk=row.pk).update(progress=row.progress):
        raise _CalledOff


def _lost(args: Mapping[str, Any]) -> None:
    Playlist.objects.filter(pk=args["playlist_id"], state=Playlist.State.WORKING).update(
        state=Playlist.State.REFUSED, message=f"It was broken off {MAX_ATTEMPTS} times: begin it once more."
    )


LOST["make_playlist"] = _lost
