"""Files made for an answer, and what is said where the disk refuses one."""

from __future__ import annotations

import errno
import os
import shutil
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from django.conf import settings


@contextmanager
def written(write: Callable[[Path], None], kind: str) -> Iterator[Path]:
    """A file made by ``write`` for an answer; an open handle on it outlives its name."""
    folder = settings.VAR / "tmp"
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=folder) as temporary:
        path = Path(temporary) / f"made.{kind}"
        write(path)
        yield path


def linked_or_copied(source: Path, target: Path) -> None:
    """Have a file in another place too: linked, so that it takes no room, where the disk can."""
    try:
        os.link(source, target)
    except OSError:
        shutil.copyfile(source, target)


def plain_name(name: str, otherwise: str) -> str:
    """A name as that of a file: letters, figures, spaces and dashes; ``otherwise`` where nothing is left."""
    return "".join(c if c.isalnum() or c in " -_" else "-" for c in name).strip() or otherwise


def disk_sentence(error: OSError, name: str) -> str:
    """One sentence for a file that could not be written."""
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return f"The disk is full: “{name}” could not be kept. Make room, then try again."
    return f"The disk said no to “{name}”: {error.strerror or error}. Try again."
