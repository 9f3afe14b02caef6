"""Import, in the worker: decode, prepare, measure, draw; then one edit that adds the stem."""

from __future__ import annotations

import errno
import hashlib
import os
import shutil
import time
from dataclasses import asdict
from pathlib import Path, PurePosixPath

import numpy as np
from django.conf import settings
from django.db import transaction
from procrastinate.contrib.django import app

from exchange.models import Upload
from exchange.names import group_of, stem_name
from songs import edits
from songs.models import Audio
from upbeat.audio.prepare import prepare
from upbeat.errors import Refused, refuse

_EXTENSIONS = {".wav", ".wave", ".aif", ".aiff", ".aifc", ".flac", ".mp3", ".ogg", ".opus", ".rf64"}


class Cancelled(Exception):
    """Somebody does not want this file any more."""


@app.task(name="import_stem", queue="import", pass_context=False)
def import_stem(upload_id: str) -> None:
    """Turn a received upload into a stem. Whatever goes wrong, the song stays as it was."""
    upload = Upload.objects.select_related("song", "band", "user").filter(pk=upload_id).first()
    if upload is None or upload.status not in (Upload.Status.WAITING, Upload.Status.READING):
        return
    _tell(upload, status=Upload.Status.READING, progress=0)
    try:
        audio = _stored(upload)
        name = stem_name(upload.name, upload.song.title)
        with transaction.atomic():
            if Upload.objects.select_for_update().get(pk=upload.pk).status == Upload.Status.CANCELLED:
                raise Cancelled
            args = {"audio": audio.pk, "name": name, "file_name": upload.name, "group": group_of(name)}
            song = edits.add_stem(upload.song_id, upload.band, upload.user, args)
            stem = song.stems.order_by("-position").first()
            _tell(upload, status=Upload.Status.DONE, progress=1, stem=stem.pk if stem else None)
        upload.path.unlink(missing_ok=True)
    except Cancelled:
        upload.path.unlink(missing_ok=True)
    except Refused as refused:
        _tell(upload, status=Upload.Status.REFUSED, code=refused.problems[0].code, message=str(refused))
        upload.path.unlink(missing_ok=True)
    except OSError as error:
        _tell(upload, status=Upload.Status.REFUSED, code="disk", message=disk_sentence(error, upload.name))


def disk_sentence(error: OSError, name: str) -> str:
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return f"The disk is full: “{name}” could not be kept. Make room, then try again."
    return f"The disk said no to “{name}”: {error.strerror or error}. Try again."


def _tell(upload: Upload, **changes: object) -> None:
    Upload.objects.filter(pk=upload.pk).exclude(status=Upload.Status.CANCELLED).update(**changes)


def _stored(upload: Upload) -> Audio:
    """The band's audio with this content, prepared if it is new.

    All is made in a folder beside, which is moved into place whole: a half-made one never counts.
    """
    digest = _sha256(upload.path)
    known = Audio.objects.filter(band=upload.band, sha256=digest).first()
    if known is not None and known.prepared.exists():
        return known
    extension = PurePosixPath(upload.name).suffix.lower()
    extension = extension if extension in _EXTENSIONS else ""
    audio = known or Audio(band=upload.band, sha256=digest, extension=extension, frames=0, channels=1, measured={})
    part = audio.folder.with_name(f".{audio.sha256}.{upload.pk}.part")
    shutil.rmtree(part, ignore_errors=True)
    part.mkdir(parents=True)
    try:
        made = prepare(upload.path, part / "prepared.wav", settings.SAMPLE_RATE, upload.name, _Progress(upload))
        np.save(part / "peaks.npy", made.peaks)
        os.link(upload.path, part / f"original{audio.extension}")
        _move_in(part, audio.folder)
    finally:
        shutil.rmtree(part, ignore_errors=True)
    audio.frames, audio.channels, audio.measured = made.frames, made.channels, asdict(made.measured)
    if known is not None:
        audio.save()
        return audio
    kept, _ = Audio.objects.get_or_create(
        band=upload.band, sha256=digest, defaults={"extension": extension, "frames": made.frames, "channels": made.channels, "measured": asdict(made.measured)}
    )
    return kept


def _move_in(part: Path, folder: Path) -> None:
    folder.parent.mkdir(parents=True, exist_ok=True)
    try:
        part.rename(folder)
    except OSError:
        if not (folder / "prepared.wav").exists():
            shutil.rmtree(folder, ignore_errors=True)
            part.rename(folder)


def _sha256(path: Path) -> str:
    if not path.exists():
        raise refuse("upload-lost", "The file did not arrive whole: send it again.")
    with open(path, "rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


class _Progress:
    """Writes progress four times a second, and notices when the upload was cancelled."""

    def __init__(self, upload: Upload):
        self.upload, self.told = upload, 0.0

    def __call__(self, part: float) -> None:
        now = time.monotonic()
        if now - self.told < 0.25:
            return
        self.told = now
        if not Upload.objects.filter(pk=self.upload.pk).exclude(status=Upload.Status.CANCELLED).update(progress=round(part, 3)):
            raise Cancelled
