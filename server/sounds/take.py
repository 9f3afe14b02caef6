"""Taking a sound by hand that somebody brought: checked, made ready by the core, kept by content."""

from __future__ import annotations

import hashlib
import os
import tempfile
from itertools import islice
from pathlib import Path

import numpy as np
from django.conf import settings

from people.models import Band
from songs.models import Song
from sounds.models import HandSound
from upbeat.audio.hand_sound import prepare_hand_sound, proposed_gain_db
from upbeat.audio.pcm import WavWriter
from upbeat.audio.read import BLOCK, Source
from upbeat.errors import refuse
from upbeat.limits import HAND_SOUND_S, HAND_SOUNDS, NAME

MOST_BYTES = 64 << 20


def take(band: Band, song: Song | None, file_name: str, content: bytes) -> HandSound:
    """Keep ``content`` as a sound by hand, named like its file. Raises :class:`Refused`."""
    if len(content) > MOST_BYTES:
        raise refuse(
            "hand-sound-big",
            f"“{file_name}” has more than {MOST_BYTES >> 20} MB: a sound by hand is a short file. Cut it out and add that.",
        )
    if band.hand_sounds.count() + 1 not in HAND_SOUNDS:
        raise refuse(
            "hand-sounds-many", f"A band has at most {HAND_SOUNDS.high:.0f} sounds by hand: remove some first."
        )
    sound, rate = _read(content, file_name)
    made = prepare_hand_sound(file_name, sound, rate, settings.SAMPLE_RATE)
    one = HandSound(
        band=band,
        song=song,
        name=Path(file_name).stem.replace("_", " ").strip()[:NAME] or "Sound",
        content=hashlib.sha256(made.tobytes()).hexdigest(),
        frames=len(made),
        channels=made.shape[1],
        gain_db=proposed_gain_db(made, settings.SAMPLE_RATE),
        position=band.hand_sounds.count(),
    )
    _write(one.path, made)
    one.save()
    return one


def remove_file(one: HandSound) -> None:
    """Take away the file of a row that is gone, unless another row has the same."""
    if not one.band.hand_sounds.filter(content=one.content).exists():
        one.path.unlink(missing_ok=True)


def _read(content: bytes, name: str) -> tuple[np.ndarray, int]:
    """A sound file as (frames, channels) float32, and its rate; no more of it than shows that it is too long."""
    with tempfile.NamedTemporaryFile(suffix=Path(name).suffix[:8]) as file:
        file.write(content)
        file.flush()
        with Source(file.name, name) as source:
            most = round(HAND_SOUND_S.high + 1) * source.sample_rate // BLOCK + 1
            blocks = list(islice(source.blocks(), most))
            return np.concatenate(blocks) if blocks else np.zeros((0, 1), np.float32), source.sample_rate


def _write(path: Path, sound: np.ndarray) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    part = path.with_suffix(f".{os.getpid()}.part")
    try:
        with WavWriter(part, settings.SAMPLE_RATE, sound.shape[1]) as writer:
            writer.write(sound)
        part.replace(path)
    finally:
        part.unlink(missing_ok=True)
