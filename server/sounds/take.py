"""Taking a sound by hand that somebody brought: checked, made ready by the core, kept by content."""

from __future__ import annotations

import hashlib
from pathlib import Path

from django.conf import settings

from api.sound_files import MOST_BYTES, read_sound, write_sound
from people.models import Band
from songs.models import Song
from sounds.models import HandSound
from upbeat.audio.hand_sound import prepare_hand_sound, proposed_gain_db
from upbeat.errors import refuse
from upbeat.limits import HAND_SOUND_S, HAND_SOUNDS, NAME


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
    sound, rate = read_sound(content, file_name, HAND_SOUND_S.high + 1)
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
    write_sound(one.path, made)
    one.save()
    return one


def remove_file(one: HandSound) -> None:
    """Take away the file of a row that is gone, unless another row has the same."""
    if not one.band.hand_sounds.filter(content=one.content).exists():
        one.path.unlink(missing_ok=True)
