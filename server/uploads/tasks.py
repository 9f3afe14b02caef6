"""Import, in the worker: sound becomes a stem by one edit; lists, MIDI files and zips become offers and files."""

from __future__ import annotations

import shutil
import time
import uuid
from collections.abc import Callable, Mapping
from pathlib import Path, PurePosixPath
from typing import Any

from django.conf import settings
from django.db import transaction
from django.db.models import Q
from procrastinate.contrib.django import app

from api.files import disk_sentence
from jobs.run import LOST, MAX_ATTEMPTS
from songs import edits, offers
from songs.kept import keep_file
from songs.models import Audio, Song, first_tempo
from songs.summary import keep_summary
from songs.tasks import ask_comparison
from upbeat.errors import Refused, refuse
from upbeat.intake.names import SOUND_EXTENSIONS, read_folder, read_stem
from upbeat.intake.wavcue import read_cues
from upbeat.listening.groups import group_by_sound
from upbeat.listening.trace import trace_prepared
from uploads.archive import unpack
from uploads.models import Upload

_UNSURE = 0.5


class Cancelled(Exception):
    """Somebody does not want this file any more."""


@app.task(name="import_file", queue="import", pass_context=False)
def import_file(upload_id: str) -> None:
    """Take in a received upload. Whatever goes wrong, the song stays as it was."""
    upload = Upload.objects.select_related("song", "band", "user").filter(pk=upload_id).first()
    if upload is None or upload.status not in (Upload.Status.WAITING, Upload.Status.READING):
        return
    _tell(upload, status=Upload.Status.READING, progress=0)
    try:
        _way_in(upload.name)(upload)
        upload.path.unlink(missing_ok=True)
    except Cancelled:
        upload.path.unlink(missing_ok=True)
    except Refused as refused:
        _tell(upload, status=Upload.Status.REFUSED, code=refused.problems[0].code, message=str(refused))
        upload.path.unlink(missing_ok=True)
    except OSError as error:
        _tell(upload, status=Upload.Status.REFUSED, code="disk", message=disk_sentence(error, upload.name))
    except MemoryError:
        _tell(
            upload,
            status=Upload.Status.REFUSED,
            code="memory",
            message=f"There is not enough memory to read “{upload.name}”: close what else runs here, then try again.",
        )
    _all_in(upload.song)


def _way_in(name: str) -> Callable[[Upload], None]:
    suffix = PurePosixPath(name).suffix.casefold()
    if suffix in offers.MIDI_NAMES:
        return _midi
    if suffix in offers.LABEL_NAMES:
        return _labels
    return _zip if suffix == ".zip" else _stem


def _stem(upload: Upload) -> None:
    audio = _stored(upload)
    guess = read_stem(upload.name, upload.song.title)
    group = upload.group or guess.group
    if not upload.group and guess.sure < _UNSURE:
        by_sound, sure = group_by_sound(trace_prepared(audio.prepared, settings.SAMPLE_RATE))
        group = by_sound if sure > guess.sure else group
    cues = read_cues(audio.original, audio.measured["frames"], upload.name)
    with transaction.atomic():
        if Upload.objects.select_for_update().get(pk=upload.pk).status == Upload.Status.CANCELLED:
            raise Cancelled
        stem = uuid.uuid4()
        song = edits.add_stem(
            upload.song_id,
            upload.band,
            upload.user,
            id=stem,
            audio=audio.pk,
            name=upload.stem_name or guess.name,
            file_name=upload.name,
            group=group,
            purpose=upload.purpose or guess.purpose,
            position=_place(upload),
        )
        offers.offer_cues(song, upload.name, cues, audio.measured["sample_rate"])
        if cues.sections:
            keep_summary(song.pk)
        _tell(
            upload, status=Upload.Status.DONE, progress=1, stem=stem, message=" ".join(p.message for p in cues.problems)
        )


def _place(upload: Upload) -> int:
    """Stems stand in the order their files were announced in, whichever was read first."""
    earlier = Q(made__lt=upload.made) | Q(made=upload.made, name__lt=upload.name)
    return upload.song.uploads.filter(earlier).count()


def _midi(upload: Upload) -> None:
    _offered(upload, offers.offer_midi)


def _labels(upload: Upload) -> None:
    _offered(upload, offers.offer_labels)


def _offered(upload: Upload, offer: Callable[[Song, str, Path], None]) -> None:
    _arrived(upload.path)
    with transaction.atomic():
        offer(upload.song, upload.name, upload.path)
        keep_summary(upload.song_id)
        _tell(upload, status=Upload.Status.DONE, progress=1)


def _zip(upload: Upload) -> None:
    """Every file of a zip becomes an upload of its own, received already."""
    _arrived(upload.path)
    room = shutil.disk_usage(settings.MEDIA).free
    made: list[Upload] = []
    try:
        for entry in unpack(upload.path, upload.name, min(settings.UPLOAD_MAX, room)):
            one = Upload(
                band=upload.band,
                song=upload.song,
                user=upload.user,
                name=entry.name,
                size=entry.size,
                received=entry.size,
                status=Upload.Status.WAITING,
            )
            made.append(one)
            entry.save(one.path, _Progress(upload))
        stems = [u for u in made if PurePosixPath(u.name).suffix.casefold() in SOUND_EXTENSIONS]
        reading = read_folder(PurePosixPath(upload.name).stem, [u.name for u in stems])
        for one, guess in zip(stems, reading.stems, strict=True):
            one.stem_name = guess.name
            one.group = guess.group if guess.sure >= _UNSURE else ""
        with transaction.atomic():
            if Upload.objects.select_for_update().get(pk=upload.pk).status == Upload.Status.CANCELLED:
                raise Cancelled
            Upload.objects.bulk_create(made)
            _offer_names(
                upload.song,
                upload.name,
                reading.title.value if reading.title.sure > _UNSURE else None,
                reading.bpm.value if reading.bpm else None,
            )
            _tell(upload, status=Upload.Status.DONE, progress=1)
    except BaseException:
        for one in made:
            one.path.unlink(missing_ok=True)
        raise
    for one in made:
        import_file.defer(upload_id=str(one.pk))


def _offer_names(song: Song, source: str, title: str | None, bpm: str | None) -> None:
    """What names say is offered while nobody has typed a tempo."""
    if song.tempo == first_tempo():
        offers.offer_facts(song, source, title, bpm)
        keep_summary(song.pk)


def _all_in(song: Song) -> None:
    """Once the last file of a song is in, names are read together and the stems compared."""
    busy = (Upload.Status.SENDING, Upload.Status.WAITING, Upload.Status.READING)
    if song.uploads.filter(status__in=busy).exists():
        return
    song.refresh_from_db()
    names = list(song.stems.values_list("file_name", flat=True))
    bpm = read_folder("", names).bpm if names else None
    if bpm and not song.offers.filter(kind="facts").exists():
        _offer_names(song, names[0], None, bpm.value)
    ask_comparison(song)


def _tell(upload: Upload, **changes: object) -> None:
    Upload.objects.filter(pk=upload.pk).exclude(status=Upload.Status.CANCELLED).update(**changes)


def _stored(upload: Upload) -> Audio:
    """The band's audio with this content, prepared if it is new."""
    _arrived(upload.path)
    extension = PurePosixPath(upload.name).suffix.lower()
    extension = extension if extension in SOUND_EXTENSIONS else ""
    return keep_file(upload.band, upload.path, upload.name, extension, key=str(upload.pk), progress=_Progress(upload))


def _arrived(path: Path) -> None:
    if not path.exists():
        raise refuse("upload-lost", "The file did not arrive whole: send it again.")


class _Progress:
    """Writes progress four times a second, and notices when the upload was cancelled."""

    def __init__(self, upload: Upload):
        self.upload, self.said_at = upload, 0.0

    def __call__(self, part: float) -> None:
        now = time.monotonic()
        if now - self.said_at < 0.25:
            return
        self.said_at = now
        if (
            not Upload.objects.filter(pk=self.upload.pk)
            .exclude(status=Upload.Status.CANCELLED)
            .update(progress=round(part, 3))
        ):
            raise Cancelled


def _lost(args: Mapping[str, Any]) -> None:
    upload = Upload.objects.filter(pk=args["upload_id"]).first()
    if upload is not None and upload.status not in (Upload.Status.DONE, Upload.Status.CANCELLED):
        said = f"Reading “{upload.name}” was broken off {MAX_ATTEMPTS} times: export it again, or try once more."
        _tell(upload, status=Upload.Status.REFUSED, code="worker-lost", message=said)


LOST["import_file"] = _lost
