"""A show that was played, kept without its sounds: what it takes to tell its night (rule P12)."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import numpy as np

from upbeat.audio.file_pcm import Pcm
from upbeat.audio.pcm import open_prepared
from upbeat.errors import Refused
from upbeat.show.bundle import DOCUMENT, read_document
from upbeat.show.document import Show
from upbeat.show.ready import ReadyShow, inside, make_ready

LENGTHS = "lengths.json"


def put_on_paper(folder: Path) -> None:
    """Keep of a show's folder its document, its click sounds and how long its stems are. Raises :class:`Refused`, OSError."""
    show = read_document(folder)
    lengths = {}
    for file in {s.file for song in show.songs.values() for s in song.stems}:
        try:
            lengths[file] = open_prepared(inside(folder, file), show.sample_rate).shape
        except Refused:
            continue  # it was silent in that night as well
    (folder / LENGTHS).write_text(json.dumps(lengths))
    keep = {DOCUMENT, LENGTHS, *show.sounds.values()}
    for path in sorted(folder.rglob("*"), reverse=True):
        if path.is_dir():
            if not any(path.iterdir()):
                path.rmdir()
        elif path.relative_to(folder).as_posix() not in keep:
            path.unlink()


def ready_on_paper(folder: Path) -> ReadyShow:
    """The show of a folder that may have been put on paper, with silent stems and no words. Raises :class:`Refused`."""
    show: Show = read_document(folder)
    return make_ready(show, folder, speak=False, open_stem=_silent(folder))


def _silent(folder: Path) -> Callable[[Path, int], Pcm]:
    try:
        lengths = json.loads((folder / LENGTHS).read_text("utf-8"))
    except (OSError, ValueError):
        lengths = {}

    def opened(path: Path, sample_rate: int) -> Pcm:
        frames, channels = lengths.get(path.relative_to(folder.resolve()).as_posix(), (0, 1))
        if path.exists():
            frames, channels = open_prepared(path, sample_rate).shape
        return np.broadcast_to(np.int16(0), (frames, channels))

    return opened
