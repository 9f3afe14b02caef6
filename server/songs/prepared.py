"""Stems prepared for another key and tempo: made in the worker, kept by content (rule V1)."""

from __future__ import annotations

import json
import shutil
import tempfile
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any, NamedTuple, TypedDict

from django.conf import settings
from django.db import transaction
from django.utils import timezone
from procrastinate.contrib.django import app

from api.files import disk_sentence, linked_or_copied
from jobs.command import run_upbeat
from jobs.run import LOST, MAX_ATTEMPTS, carry_out
from songs.build import core_stem, song_document
from songs.models import Preparation, PreparedAudio, Song, Stem
from songs.rows import held
from upbeat.errors import Problem, Refused, refuse
from upbeat.show.document import FORMAT, VERSION
from upbeat.song.key_tempo import KeyTempo
from upbeat.song.played_in import change_of, is_struck


class Wanted(NamedTuple):
    """A file that a stem needs: ``change`` is what becomes of this stem (drums keep their pitch)."""

    stem: Stem
    change: KeyTempo
    struck: bool

    @property
    def key(self) -> tuple[Any, int, float, bool]:
        return self._row.key

    @property
    def path(self) -> Path:
        return self._row.path

    @property
    def _row(self) -> PreparedAudio:
        """What is kept of it once it is made."""
        return PreparedAudio(
            audio=self.stem.audio,
            semitones=self.change.semitones,
            tempo_percent=float(self.change.percent),
            struck=self.struck,
        )


class PreparingNow(TypedDict):
    """``state``: ready, working, none or refused. ``left_s``: about how many seconds are left, None where nobody knows."""

    state: str
    progress: float
    left_s: float | None
    message: str


READY = PreparingNow(state="ready", progress=1.0, left_s=0.0, message="")


def wanted(song: Song, change: KeyTempo) -> list[Wanted]:
    """The files that a song needs to be played so."""
    found = []
    for row in held(song).stems:
        stem = core_stem(row)
        own = change_of(stem, change)
        if own.changes and (stem.group != "timecode" or change.percent == 100):
            found.append(Wanted(row, own, is_struck(stem)))
    return found


def _made(needed: Iterable[Wanted]) -> dict[tuple[Any, int, float, bool], PreparedAudio]:
    rows = PreparedAudio.objects.filter(audio__in={w.stem.audio_id for w in needed})
    return {r.key: r for r in rows}


def missing(song: Song, change: KeyTempo) -> list[Wanted]:
    """What is not prepared yet."""
    needed = wanted(song, change)
    made = _made(needed)
    return [w for w in needed if w.key not in made or not w.path.exists()]


def prepared_files(song: Song, changes: Iterable[KeyTempo], files: dict[str, Path]) -> dict[str, list[dict[str, Any]]]:
    """Of each stem (by id) its files in other keys and tempos, as a show document has them; ``files`` gathers where they are."""
    found: dict[str, list[dict[str, Any]]] = {}
    for change in changes:
        needed = wanted(song, change)
        made = _made(needed)
        for one in needed:
            name = f"audio/{one.stem.audio_id}{one.path.stem.removeprefix('prepared')}.wav"
            files[name] = one.path
            own = found.setdefault(str(one.stem.pk), [])
            if all(p["file"] != name for p in own):
                row = made.get(one.key)
                own.append({**one.change.document, "file": name, "crc32": row.crc32 if row is not None else None})
    return found


def with_prepared(
    song: Song, changes: Iterable[KeyTempo], files: dict[str, Path], line_up: str | None = None
) -> dict[str, Any]:
    """The document of a song (:func:`songs.build.song_document`) with its files for these keys and tempos."""
    document = song_document(song, files, line_up=line_up)
    prepared = prepared_files(song, changes, files)
    for stem in document["stems"]:
        if stem["id"] in prepared:
            stem["prepared"] = prepared[stem["id"]]
    return document


def check_prepared(song: Song, change: KeyTempo) -> None:
    """Raise :class:`Refused` where a song is not prepared yet, and have it prepared."""
    now = preparing(song, change)
    if now["state"] == "ready":
        return
    ask_preparation(song, change)
    how_long = f"about {max(1, round(now['left_s']))} s are left" if now["left_s"] else "it has been begun"
    raise refuse("key-preparing", f"“{song.title}” is not prepared at {change} yet: {how_long}. Try again then.")


def preparing(song: Song, change: KeyTempo) -> PreparingNow:
    """How far a song is prepared."""
    if not change.changes or not missing(song, change):
        return READY
    row = _rows(song, change).last()
    if row is None or row.state == Preparation.State.DONE:
        return PreparingNow(state="none", progress=0.0, left_s=None, message="")
    left = None
    if row.state == Preparation.State.WORKING and row.started_at is not None and row.progress > 0:
        gone = (timezone.now() - row.started_at).total_seconds()
        left = round(gone * (1 - row.progress) / row.progress, 1)
    return PreparingNow(state=row.state, progress=row.progress, left_s=left, message=row.message)


def _rows(song: Song, change: KeyTempo) -> Any:
    return Preparation.objects.filter(song=song, semitones=change.semitones, tempo_percent=float(change.percent))


def ask_preparation(song: Song, change: KeyTempo) -> None:
    """Have a song prepared, where it is not, and is not being."""
    if not change.changes or not missing(song, change):
        return
    if _rows(song, change).filter(state=Preparation.State.WORKING).exists():
        return
    _rows(song, change).delete()
    row = Preparation.objects.create(song=song, semitones=change.semitones, tempo_percent=float(change.percent))
    transaction.on_commit(lambda: prepare_stems.defer(preparation_id=row.pk))


@app.task(name="prepare_stems", queue="import", pass_context=False)
def prepare_stems(preparation_id: int) -> None:
    """Make what a song needs in another key and tempo."""
    carry_out(Preparation.objects.select_related("song__band").filter(pk=preparation_id).first(), _prepare)


def _prepare(row: Preparation) -> None:
    row.started_at = timezone.now()
    row.save(update_fields=["started_at"])
    needed = missing(row.song, row.change)
    (settings.MEDIA / "preparing").mkdir(parents=True, exist_ok=True)
    folder = Path(tempfile.mkdtemp(prefix=f"{row.pk}-", dir=settings.MEDIA / "preparing"))
    try:
        (folder / "show.json").write_text(json.dumps(_document(row.song, needed, folder)))
        answer = run_upbeat(
            row,
            folder,
            "prepare",
            str(folder),
            "--entry=1",
            f"--semitones={row.semitones}",
            f"--tempo={row.tempo_percent}",
            f"--out={folder / 'made'}",
        )
        if answer is None:
            raise refuse("preparing-ended", f"Preparing “{row.song.title}” was ended: begin it once more.")
        if not answer["ok"]:
            raise Refused(*(Problem(p["code"], p["message"]) for p in answer["problems"]))
        for one, made in zip(needed, answer["stems"], strict=True):
            (folder / "made" / made["file"]).replace(one.path)
            _keep(one, made["crc32"])
    except OSError as error:
        raise refuse("preparing-disk", disk_sentence(error, row.song.title)) from error
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _keep(one: Wanted, crc32: int) -> None:
    audio, semitones, percent, struck = one.key
    PreparedAudio.objects.update_or_create(
        audio_id=audio, semitones=semitones, tempo_percent=percent, struck=struck, defaults={"crc32": crc32}
    )


def _document(song: Song, needed: list[Wanted], folder: Path) -> dict[str, Any]:
    """A show of the song alone, with the stems that are needed, their files linked into its folder."""
    files: dict[str, Path] = {}
    document = song_document(song, files)
    ids = [str(w.stem.pk) for w in needed]
    document["stems"] = sorted((s for s in document["stems"] if s["id"] in ids), key=lambda s: ids.index(s["id"]))
    for stem in document["stems"]:
        target = folder / stem["file"]
        target.parent.mkdir(parents=True, exist_ok=True)
        if not target.exists():
            linked_or_copied(files[stem["file"]], target)
    entry = {"id": "one", "song": document["id"]}
    return {
        "format": FORMAT,
        "version": VERSION,
        "title": song.title,
        "sample_rate": settings.SAMPLE_RATE,
        "songs": [document],
        "entries": [entry],
    }


def _lost(args: Mapping[str, Any]) -> None:
    Preparation.objects.filter(pk=args["preparation_id"], state=Preparation.State.WORKING).update(
        state=Preparation.State.REFUSED,
        message=f"Preparing was broken off {MAX_ATTEMPTS} times: ask for it once more.",
    )


LOST["prepare_stems"] = _lost
