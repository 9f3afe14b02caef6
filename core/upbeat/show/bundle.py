"""The bundle: a zip with ``show.json`` and every file it names, or the folder that it unpacks to."""

from __future__ import annotations

import json
import os
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path, PurePosixPath
from typing import Any

from upbeat.errors import refuse
from upbeat.show.document import Show, read_show

DOCUMENT = "show.json"
MAX_DOCUMENT = 64 << 20
MAX_UNPACKED = 64 << 30


@contextmanager
def open_bundle(path: str | os.PathLike[str], as_recorded: bool = False) -> Iterator[tuple[Show, Path]]:
    """A show and the folder its files lie in; a zip is unpacked for as long as it is open.

    ``as_recorded``: as :func:`upbeat.show.document.read_show` has it. Raises :class:`Refused`.
    """
    path = Path(path)
    if path.is_dir():
        yield read_document(path, as_recorded), path
        return
    if not path.exists():
        raise refuse("show-missing", f"There is no show at “{path.name}”.")
    # A folder needs none of this, and is opened sooner without it.
    from tempfile import TemporaryDirectory

    with TemporaryDirectory(prefix="upbeat-") as temporary:
        unpack(path, Path(temporary))
        yield read_document(Path(temporary), as_recorded), Path(temporary)


def read_document(folder: Path, as_recorded: bool = False) -> Show:
    """The show of a folder (:func:`upbeat.show.document.read_show`). Raises :class:`Refused`."""
    file = folder / DOCUMENT
    if not file.is_file():
        raise refuse("show-missing", f"“{folder.name}” is not a show: it has no {DOCUMENT}.")
    if file.stat().st_size > MAX_DOCUMENT:
        raise refuse("show-too-big", f"The {DOCUMENT} of “{folder.name}” is too big to be one.")
    try:
        document = json.loads(file.read_text("utf-8"))
    except (ValueError, UnicodeDecodeError, RecursionError) as error:
        raise refuse(
            "show-unreadable", f"The {DOCUMENT} of “{folder.name}” cannot be read: {str(error)[:120]}."
        ) from None
    return read_show(document, as_recorded)


def unpack(path: Path, folder: Path) -> None:
    """Unpack a zip without trust: no path leaves ``folder``, no links, no bombs. Raises :class:`Refused`."""
    import zipfile

    try:
        with zipfile.ZipFile(path) as archive:
            infos = archive.infolist()
            if sum(i.file_size for i in infos) > MAX_UNPACKED:
                raise refuse("show-too-big", f"“{path.name}” would unpack to more than 64 GB.")
            for info in infos:
                name = PurePosixPath(info.filename)
                linked = (info.external_attr >> 16) & 0o170000 == 0o120000
                if name.is_absolute() or ".." in name.parts or "\\" in info.filename or linked:
                    raise refuse(
                        "show-unsafe", f"“{path.name}” names a file outside itself ({info.filename}): it is not opened."
                    )
                archive.extract(info, folder)
    except (zipfile.BadZipFile, zipfile.LargeZipFile, EOFError, NotImplementedError, RuntimeError) as error:
        raise refuse(
            "show-not-zip", f"“{path.name}” is not a show bundle, or it is damaged: {str(error)[:120]}."
        ) from None


def files_of(document: Any, folder: Path) -> dict[str, Path]:
    """The files that a document names, by their name in it; those that are not there are left out."""
    if isinstance(document, list):
        return {name: path for one in document for name, path in files_of(one, folder).items()}
    if not isinstance(document, dict):
        return {}
    found = files_of(list(document.values()), folder)
    name = document.get("file")
    if isinstance(name, str) and (folder / name).is_file():
        found[name] = folder / name
    return found


def write_bundle(path: str | os.PathLike[str], document: dict[str, Any], files: Mapping[str, Path]) -> None:
    """Write ``document`` and the files it names (name in the bundle to path) as a zip.

    Sound is stored, not deflated: it hardly shrinks, and a bundle has to open fast.
    """
    part = Path(path).with_name(Path(path).name + ".part")
    import shutil
    import zipfile

    try:
        with zipfile.ZipFile(part, "w", zipfile.ZIP_STORED, allowZip64=True) as archive:
            archive.writestr(DOCUMENT, json.dumps(document, ensure_ascii=False, indent=1), zipfile.ZIP_DEFLATED)
            for name, source in files.items():
                with archive.open(zipfile.ZipInfo(name), "w", force_zip64=True) as target, open(source, "rb") as sound:
                    shutil.copyfileobj(sound, target, 1 << 20)
        part.replace(path)
    finally:
        part.unlink(missing_ok=True)
