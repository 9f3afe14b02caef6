"""A zip of files, taken out with nothing in it trusted: no paths, no claimed sizes, no bombs."""

from __future__ import annotations

import zipfile
import zlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

from upbeat.errors import refuse
from upbeat.intake.names import SOUND_EXTENSIONS, clean_file_name

MAX_FILES, MAX_ENTRIES = 200, 5000
_KEPT = SOUND_EXTENSIONS | {".mid", ".midi", ".smf", ".txt", ".tsv", ".lab"}
_PIECE = 1 << 20


@dataclass(frozen=True, kw_only=True)
class Entry:
    """A file inside a zip: ``size`` is what the zip claims, checked when it is saved; ``before`` bytes come first."""

    archive: zipfile.ZipFile
    info: zipfile.ZipInfo
    name: str
    zip_name: str
    before: int
    total: int

    @property
    def size(self) -> int:
        return self.info.file_size

    def save(self, path: Path, progress: Callable[[float], None]) -> None:
        """Write the file. Raises :class:`Refused` for one that is damaged or longer than it claims."""
        path.parent.mkdir(parents=True, exist_ok=True)
        written = 0
        try:
            with self.archive.open(self.info) as source, open(path, "wb") as out:
                while piece := source.read(_PIECE):
                    written += len(piece)
                    if written > self.size:
                        break
                    out.write(piece)
                    progress((self.before + written) / max(1, self.total))
        except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError):
            raise refuse(
                "zip-damaged",
                f"“{self.name}” in “{self.zip_name}” is damaged, locked or packed in a way that is not read here: pack the folder again.",
            ) from None
        if written != self.size:
            raise refuse(
                "zip-damaged", f"“{self.name}” in “{self.zip_name}” is not as long as it says: pack the folder again."
            )


def unpack(path: Path, name: str, room: int) -> Iterator[Entry]:
    """The files of a zip that may belong to a song, in order of their names.

    Hidden files and what file managers add are left out; names lose their paths. Raises
    :class:`Refused` before anything is written where the zip is no zip, holds nothing for a song,
    too many files, or more than ``room`` bytes.
    """
    try:
        with zipfile.ZipFile(path) as archive:
            infos = [i for i in archive.infolist() if not i.is_dir() and _wanted(i.filename)]
            if len(archive.infolist()) > MAX_ENTRIES or len(infos) > MAX_FILES:
                raise refuse(
                    "zip-full",
                    f"“{name}” holds {len(archive.infolist()):,} files; a song has at most {MAX_FILES} stems. Pack one song at a time.",
                )
            if not infos:
                raise refuse("zip-nothing", f"There are no sound files in “{name}”: pack the folder of exported stems.")
            total = sum(i.file_size for i in infos)
            if total > room:
                need = f"{total >> 20:,} MB when it is unpacked, and there is room for {room >> 20:,} MB"
                raise refuse("zip-too-big", f"“{name}” holds {need}: make room, or send its files one by one.")
            before = 0
            for info in sorted(infos, key=lambda i: i.filename):
                yield Entry(
                    archive=archive,
                    info=info,
                    name=clean_file_name(info.filename),
                    zip_name=name,
                    before=before,
                    total=total,
                )
                before += info.file_size
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, ValueError, UnicodeDecodeError):
        raise refuse("zip-damaged", f"“{name}” is not a zip that can be read: pack the folder again.") from None


def _wanted(path: str) -> bool:
    parts = PurePosixPath(path.replace("\\", "/")).parts
    hidden = any(p.startswith(".") or p == "__MACOSX" for p in parts)
    return bool(parts) and not hidden and PurePosixPath(parts[-1]).suffix.casefold() in _KEPT
