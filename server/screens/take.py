"""Taking a film or a picture that somebody brought: checked by the core, kept by content."""

from __future__ import annotations

import hashlib
import tempfile
from pathlib import Path
from typing import BinaryIO

from django.conf import settings

from people.models import Band
from screens.models import ScreenFile
from upbeat.errors import refuse
from upbeat.intake.screen_files import check_size, read_screen_file
from upbeat.limits import NAME, SCREEN_FILES

PIECE = 1 << 20


def take(band: Band, name: str, stream: BinaryIO) -> ScreenFile:
    """Keep what comes as a film or picture of a band; one that it has already is that one. Raises :class:`Refused`."""
    if band.screen_files.count() + 1 not in SCREEN_FILES:
        raise refuse("films-many", f"A band has at most {SCREEN_FILES.high:g} films and pictures: take some out first.")
    folder = settings.MEDIA / "screens" / str(band.pk)
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=folder) as temporary:
        path = Path(temporary) / "film"
        digest, size = hashlib.sha256(), 0
        with open(path, "wb") as file:
            while piece := stream.read(PIECE):
                size += len(piece)
                check_size(name, size)
                digest.update(piece)
                file.write(piece)
        facts = read_screen_file(path, name)
        known = band.screen_files.filter(content=digest.hexdigest()).first()
        if known is not None:
            return known
        one = ScreenFile(
            band=band,
            name=Path(name).stem.replace("_", " ").strip()[:NAME] or "Film",
            kind=facts.kind,
            content=digest.hexdigest(),
            type=facts.type,
            size=size,
            width=facts.width,
            height=facts.height,
            seconds=facts.seconds,
            fps=facts.fps,
        )
        path.replace(one.path)
        one.save()
        return one
