"""Sounds of a band, kept once by content: the original, what plays, its peaks and measures."""

from __future__ import annotations

import hashlib
import os
import shutil
import tempfile
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path

import numpy as np
from django.conf import settings

from people.models import Band
from songs.models import Audio
from upbeat.audio.pcm import WavWriter
from upbeat.audio.prepare import prepare


def keep_file(
    band: Band, path: Path, name: str, extension: str, key: str, progress: Callable[[float], None] | None = None
) -> Audio:
    """The band's audio with the content of a file, prepared if it is new.

    All is made in a folder beside, which is moved into place whole: a half-made one never counts. ``key``: of who makes
    it, who takes away what they left half made before. Raises :class:`Refused`, OSError.
    """
    with open(path, "rb") as file:
        digest = hashlib.file_digest(file, "sha256").hexdigest()
    known = Audio.objects.filter(band=band, sha256=digest).first()
    if known is not None and known.prepared.exists():
        return known
    audio = known or Audio(band=band, sha256=digest, extension=extension, frames=0, channels=1, measured={})
    part = audio.folder.with_name(f".{digest}.{key}.part")
    shutil.rmtree(part, ignore_errors=True)
    part.mkdir(parents=True)
    try:
        made = prepare(path, part / "prepared.wav", settings.SAMPLE_RATE, name, progress)
        np.save(part / "peaks.npy", made.peaks)
        os.link(path, part / f"original{audio.extension}")
        _move_in(part, audio.folder)
    finally:
        shutil.rmtree(part, ignore_errors=True)
    audio.frames, audio.channels, audio.measured = made.frames, made.channels, asdict(made.measured)
    audio.crc32 = made.crc32
    if known is not None:
        audio.save()
        return audio
    kept, _ = Audio.objects.get_or_create(
        band=band,
        sha256=digest,
        defaults={
            "extension": extension,
            "frames": made.frames,
            "channels": made.channels,
            "measured": asdict(made.measured),
            "crc32": made.crc32,
        },
    )
    return kept


def keep_sound(band: Band, sound: np.ndarray, name: str) -> Audio:
    """The band's audio of (frames, channels) float32 at the rate of shows."""
    settings.MEDIA.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix=".sound-", dir=settings.MEDIA) as folder:
        path = Path(folder) / "sound.wav"
        with WavWriter(path, settings.SAMPLE_RATE, sound.shape[1]) as writer:
            writer.write(sound)
        return keep_file(band, path, name, ".wav", key=Path(folder).name)


def _move_in(part: Path, folder: Path) -> None:
    folder.parent.mkdir(parents=True, exist_ok=True)
    try:
        part.rename(folder)
    except OSError:
        if not (folder / "prepared.wav").exists():
            shutil.rmtree(folder, ignore_errors=True)
            part.rename(folder)
