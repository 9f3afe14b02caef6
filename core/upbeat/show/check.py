"""Whether the sound of a show is still what was prepared."""

from __future__ import annotations

import os
import zlib
from pathlib import Path

from upbeat.audio.pcm import pcm_layout
from upbeat.errors import Refused
from upbeat.show.document import Show
from upbeat.show.ready import inside
from upbeat.song.stems import Stem

_PART = 4 << 20


def harmed_files(show: Show, folder: Path) -> list[str]:
    """Files of stems that are missing, cannot be read, or hold other samples than were prepared (CRC-32), in order."""
    stems = {stem.file: stem for song in show.songs.values() for stem in song.stems}
    return sorted(name for name, stem in stems.items() if not _whole(stem, inside(folder, name)))


def _whole(stem: Stem, path: Path) -> bool:
    if stem.crc32 is None:
        return path.is_file()
    try:
        layout = pcm_layout(path)
        if layout is None:
            return False
        return _crc32(path, layout.start, layout.frames * layout.channels * layout.dtype.itemsize) == stem.crc32
    except (OSError, Refused):
        return False


def _crc32(path: Path, start: int, length: int) -> int:
    """Of the bytes of a file from ``start`` on; of fewer where it ends before."""
    crc = 0
    with open(path, "rb", buffering=0) as file:
        os.posix_fadvise(file.fileno(), start, length, os.POSIX_FADV_SEQUENTIAL)
        file.seek(start)
        while length > 0 and (part := file.read(min(_PART, length))):
            crc = zlib.crc32(part, crc)
            length -= len(part)
    return crc
