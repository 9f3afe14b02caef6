"""A song heard in another key and tempo: from what is prepared, else stretched where it is read (rule V1)."""

from __future__ import annotations

from collections.abc import Mapping
from fractions import Fraction
from pathlib import Path
from typing import Any, cast

from django.conf import settings

from songs.models import Song
from songs.prepared import missing, wanted
from upbeat.audio.file_pcm import Pcm
from upbeat.audio.pcm import open_prepared
from upbeat.audio.stretched_pcm import StretchedPcm
from upbeat.song.key_tempo import KeyTempo, key_tempo, typed_percent
from upbeat.time.tempo import parse_bpm

MARK = "@"  # between the name of a file and what becomes of it; no file of ours has it


def asked_change(message: Mapping[str, Any], song: Song) -> KeyTempo:
    """The key and tempo that a page wants to hear a song in. Raises :class:`Refused`."""
    tempo = message.get("tempo")
    percent: object = 100
    if isinstance(tempo, str) and tempo.strip():
        percent = typed_percent(tempo[:12], parse_bpm(song.tempo[0]["bpm"]))
    elif isinstance(message.get("tempo_percent"), int | float):
        percent = message["tempo_percent"]
    semitones = message.get("semitones")
    return key_tempo(semitones if isinstance(semitones, int) else 0, percent)


def put_heard_files(song: Song, document: dict[str, Any], change: KeyTempo) -> None:
    """Give the stems of a document, whose files are named from the media folder, those of a key and tempo."""
    if not change.changes:
        return
    lacking = {w.key for w in missing(song, change)}
    files = {str(w.stem.pk): w for w in wanted(song, change)}
    for stem in document["stems"]:
        one = files.get(stem["id"])
        if one is None:
            continue
        file = str(one.path.relative_to(settings.MEDIA))
        if one.key in lacking:
            file = MARK.join(
                [stem["file"], str(one.change.semitones), str(float(one.change.percent)), str(int(one.struck))]
            )
        stem["prepared"] = [{**one.change.document, "file": file}]


def open_heard(path: Path, sample_rate: int) -> Pcm:
    """Open a file that :func:`put_heard_files` named. Raises :class:`Refused`."""
    if MARK not in path.name:
        return open_prepared(path, sample_rate)
    file, semitones, percent, struck = str(path).rsplit(MARK, 3)
    sound = open_prepared(file, sample_rate)
    return cast(Pcm, StretchedPcm(sound, sample_rate, int(semitones), Fraction(percent), struck == "1"))
