"""Taking a sound that somebody brought: checked, made ready by the core, kept by content."""

from __future__ import annotations

import hashlib

from django.conf import settings

from api.sound_files import read_sound, write_sound
from people.models import Band
from upbeat.click.own import prepare_click
from upbeat.cues.recorded import prepare_recording
from upbeat.cues.speech import make_words
from upbeat.cues.voice import MAX_TEXT, Voice
from upbeat.errors import refuse
from voices.models import OwnSound

MOST_BYTES, READ_S, MOST_SOUNDS = 12 << 20, 60, 400


def take(band: Band, kind: str, name: str, file_name: str, content: bytes) -> OwnSound:
    """Keep ``content`` as a word or a click of the band; one of the same name gives way. Raises :class:`Refused`."""
    name = " ".join(name.split())[:MAX_TEXT]
    if not name:
        raise refuse("own-nameless", "Say which word it is: it has no name.")
    if len(content) > MOST_BYTES:
        raise refuse(
            "own-big",
            f"“{file_name}” has more than {MOST_BYTES >> 20} MB: a word or a click is a short file. Cut it out and add that.",
        )
    if band.own_sounds.exclude(kind=kind, key=name.casefold()).count() >= MOST_SOUNDS:
        raise refuse("own-many", f"A band has at most {MOST_SOUNDS} sounds of its own: remove some first.")
    sound, rate = read_sound(content, file_name, READ_S)
    if kind == OwnSound.Kind.WORD:
        made = prepare_recording(name, sound, rate, settings.SAMPLE_RATE)
        plain, fast = make_words([name], Voice(), settings.SAMPLE_RATE, settings.WORDS, {name.casefold(): made})
        kept = {"onset": plain.onset, "fast_onset": fast.onset}
        sounds = {False: plain.sound, True: fast.sound}
    else:
        sounds, kept = {False: prepare_click(name, sound, rate, settings.SAMPLE_RATE)}, {}
    digest = hashlib.sha256(kind.encode() + sounds[False].tobytes()).hexdigest()
    key = name.casefold()
    gone = list(band.own_sounds.filter(kind=kind, key=key).exclude(content=digest))
    for is_fast, line in sounds.items():
        write_sound(OwnSound(band=band, content=digest).path(is_fast), line[:, None])
    # The row stays where there is one, so that clicks still know their sound.
    fields = {"name": name, "content": digest, "frames": len(sounds[False]), **kept}
    own, _ = OwnSound.objects.update_or_create(band=band, kind=kind, key=key, defaults=fields)
    for old in gone:
        remove_files(old)
    return own


def remove_files(own: OwnSound) -> None:
    """Take away the sound of a row that is gone, unless another row has the same."""
    if not own.band.own_sounds.filter(content=own.content).exists():
        for path in (own.path(), own.path(fast=True)):
            path.unlink(missing_ok=True)
