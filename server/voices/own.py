"""Taking a sound that somebody brought: checked, made ready by the core, kept by content."""

from __future__ import annotations

import hashlib
import os
import tempfile
from itertools import islice
from pathlib import Path

import numpy as np
from django.conf import settings
from django.db import transaction

from people.models import Band
from upbeat.audio.pcm import WavWriter
from upbeat.audio.read import BLOCK, Source
from upbeat.click.own import prepare_click
from upbeat.cues.recorded import prepare_recording
from upbeat.cues.speech import make_words
from upbeat.cues.voice import MAX_TEXT
from upbeat.errors import refuse
from voices.build import band_voice
from voices.models import OwnSound

MOST_BYTES, READ_S, MOST_SOUNDS = 12 << 20, 60, 400


def take(band: Band, kind: str, name: str, file_name: str, content: bytes) -> OwnSound:
    """Keep ``content`` as a word or a click of the band; one of the same name gives way. Raises :class:`Refused`."""
    name = " ".join(name.split())[:MAX_TEXT]
    if not name:
        raise refuse("own-nameless", "Say which word it is: it has no name.")
    if len(content) > MOST_BYTES:
        raise refuse("own-big", f"“{file_name}” has more than {MOST_BYTES >> 20} MB: a word or a click is a short file. Cut it out and add that.")
    if band.own_sounds.exclude(kind=kind, key=name.casefold()).count() >= MOST_SOUNDS:
        raise refuse("own-many", f"A band has at most {MOST_SOUNDS} sounds of its own: remove some first.")
    sound, rate = _read(content, file_name)
    if kind == OwnSound.Kind.WORD:
        made = prepare_recording(name, sound, rate, settings.SAMPLE_RATE)
        plain, fast = make_words([name], band_voice(band), settings.SAMPLE_RATE, settings.WORDS, {name.casefold(): made})
        kept = {"onset": _unmoved(band, name, plain.onset), "fast_onset": _unmoved(band, name, fast.onset)}
        sounds = {False: plain.sound, True: fast.sound}
    else:
        sounds, kept = {False: prepare_click(name, sound, rate, settings.SAMPLE_RATE)}, {}
    digest = hashlib.sha256(kind.encode() + sounds[False].tobytes()).hexdigest()
    own = OwnSound(band=band, kind=kind, name=name, key=name.casefold(), content=digest, frames=len(sounds[False]), **kept)
    for is_fast, line in sounds.items():
        _write(own.path(is_fast), line)
    with transaction.atomic():
        old = band.own_sounds.filter(kind=kind, key=own.key).first()
        if old is not None:
            # The name stays under which clicks know it.
            own.pk, own._state.adding = old.pk, False
        own.save()
    return own


def _unmoved(band: Band, name: str, onset: int) -> int:
    """The measured onset, without what the band moves the word by."""
    return onset + round(band_voice(band).shifts.get(name, 0.0) * settings.SAMPLE_RATE / 1000)


def _read(content: bytes, name: str) -> tuple[np.ndarray, int]:
    """The first minute of a sound file as (frames, channels) float32, and its rate; more than that is no word."""
    with tempfile.NamedTemporaryFile(suffix=Path(name).suffix[:8]) as file:
        file.write(content)
        file.flush()
        with Source(file.name, name) as source:
            most = READ_S * source.sample_rate // BLOCK + 1
            blocks = list(islice(source.blocks(), most))
            return np.concatenate(blocks) if blocks else np.zeros((0, 1), np.float32), source.sample_rate


def _write(path: Path, sound: np.ndarray) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    part = path.with_suffix(f".{os.getpid()}.part")
    with WavWriter(part, settings.SAMPLE_RATE, 1) as writer:
        writer.write(sound[:, None])
    part.replace(path)
