"""Click and cues of songs: as a page draws them, and given away as files."""

from __future__ import annotations

import re
import tempfile
import zipfile
from collections.abc import Iterable
from dataclasses import asdict
from pathlib import Path
from typing import Any

from django.conf import settings

from songs.alone import show_of
from songs.build import core_song, song_document
from songs.models import Song
from songs.rows import held
from upbeat.click.pattern import key_of, usual_pattern
from upbeat.errors import refuse
from upbeat.show.document import Show
from upbeat.show.guides import WHAT, guide_midi, guide_sound, ready_guides, write_sound
from upbeat.song.key_tempo import AS_RECORDED, KeyTempo

KINDS = {"wav": "audio/wav", "flac": "audio/flac", "mid": "audio/midi"}


def shown_click(song: Song) -> dict[str, Any]:
    """The click of a song, with a pattern for each of its time signatures and the bars that have it."""
    core = core_song(song, stems=False)
    changes = [*core.grid.meters.changes]
    ends = [bar - 1 for bar, _ in changes[1:]] + [sum(s.bars for s in held(song).sections)]
    meters: dict[str, dict[str, Any]] = {}
    for (bar, signature), last in zip(changes, ends, strict=True):
        key = key_of(signature)
        usual = usual_pattern(signature, core.click.divisions)
        one = meters.setdefault(
            key,
            {
                "key": key,
                "beats": len(signature.felt_beats),
                "usual": usual,
                "pattern": core.click.patterns.get(key, usual),
                "spans": [],
            },
        )
        one["spans"].append([bar, last])
    return {
        "band": song.band.click,
        "whole": {**asdict(core.click), "silent": list(core.click.silent)},
        "meters": list(meters.values()),
    }


def one_song_show(song: Song, form: str | None, change: KeyTempo = AS_RECORDED) -> Show:
    """A song alone, as a show without stems or outputs. Raises :class:`Refused`."""
    whole = form in (None, "", "full")
    return show_of(song_document(song, stems=False), song.band, None if whole else form, change=change)


def checked(what: str, kind: str) -> tuple[str, str]:
    """What is given away and as what. Raises :class:`Refused`."""
    if what not in WHAT:
        raise refuse("guide-unknown", f"“{what}” cannot be given away: choose click, cues or both.")
    if kind not in KINDS:
        raise refuse("guide-kind", f"“{kind}” is no kind of file here: choose wav, flac or mid.")
    return what, kind


def write_guide(
    song: Song,
    form: str | None,
    what: str,
    kind: str,
    path: Path,
    tags: dict[str, str],
    change: KeyTempo = AS_RECORDED,
) -> None:
    """Write the guides of a song. Raises :class:`Refused`."""
    show = one_song_show(song, form, change)
    if kind == "mid":
        path.write_bytes(guide_midi(ready_guides(show, 0, settings.MEDIA, what, settings.WORDS), what))
    else:
        write_sound(path, guide_sound(show, 0, settings.MEDIA, what, settings.WORDS), settings.SAMPLE_RATE, kind, tags)


def name_of(song: Song, what: str, kind: str, number: int | None = None) -> str:
    """A file name that says what it is: ``03 Night Ferry - click.wav``."""
    title = re.sub(r'[\\/:*?"<>|\x00-\x1f]+', "-", song.title).strip(" .") or "Song"
    words = {"both": "click and cues"}.get(what, what)
    return f"{'' if number is None else f'{number:02d} '}{title} - {words}.{kind}"


def tags_of(song: Song, what: str, album: str = "", number: int | None = None) -> dict[str, str]:
    page = {
        "title": song.title,
        "artist": song.band.name,
        "comment": {"both": "Click and cues"}.get(what, what.capitalize()),
    }
    return {
        **page,
        **({"album": album} if album else {}),
        **({"tracknumber": str(number)} if number is not None else {}),
    }


def write_all(songs: Iterable[tuple[Song, str, KeyTempo]], what: str, kind: str, album: str, path: Path) -> None:
    """The guides of several songs, numbered in order, in one zip. Raises :class:`Refused`."""
    with (
        zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as archive,
        tempfile.TemporaryDirectory(dir=path.parent) as temporary,
    ):
        for number, (song, form, change) in enumerate(songs, 1):
            part = Path(temporary) / f"{number}.{kind}"
            write_guide(song, form, what, kind, part, tags_of(song, what, album, number), change)
            archive.write(part, name_of(song, what, kind, number))
            part.unlink()
