"""The folders of shows that were loaded: without their sounds they are kept as long as the nights that they were played in."""

from __future__ import annotations

import contextlib
import shutil
import time
from pathlib import Path

from django.conf import settings

from playout.files import plain
from playout.night_log import KEPT_DAYS
from shows.models import Show
from stage.nights import has_bars, night_paths
from upbeat.errors import Refused
from upbeat.show.on_paper import LENGTHS, put_on_paper


def leave_old_folders(show: Show, keep: Path) -> None:
    """Put the earlier folders of a show on paper, once the engine has another; those that nobody played are removed."""
    own = plain(str(show.pk))
    nights = [path.read_bytes() for path in night_paths(show.band) if own in path.name]
    played = [night for night in nights if has_bars(night)]
    for old in (settings.MEDIA / "shows").glob(f"{show.pk}-*"):
        if old == keep:
            continue
        name = old.name.encode()
        if (old / LENGTHS).exists():
            if _left_at(old) < time.time() - KEPT_DAYS * 86400:
                shutil.rmtree(old, ignore_errors=True)
        elif any(name in night for night in played):
            with contextlib.suppress(Refused, OSError):
                put_on_paper(old)
        else:
            shutil.rmtree(old, ignore_errors=True)


def _left_at(folder: Path) -> float:
    return (folder / LENGTHS).stat().st_mtime


def folder_of(path: str) -> Path | None:
    """A folder that a night names, if it is one of ours and still there."""
    own = settings.MEDIA / "shows"
    folder = own / Path(path).name
    return folder if folder.is_dir() else None
