"""What a show document has of sounds by hand."""

from __future__ import annotations

from collections.abc import Collection
from pathlib import Path
from typing import Any
from uuid import UUID

from people.models import Band


def hand_sounds_document(band: Band, songs: Collection[UUID], files: dict[str, Path]) -> list[dict[str, Any]]:
    """The sounds of a band's shelf, and of some of its songs; ``files`` gathers name to path."""
    listed = []
    for one in band.hand_sounds.all():
        if one.song_id is not None and one.song_id not in songs:
            continue
        files[one.file] = one.path
        listed.append(
            {
                "id": str(one.pk),
                "name": one.name,
                "file": one.file,
                "group": one.group,
                "gain_db": one.gain_db,
                "again": one.again,
                "only": one.only,
                "song": str(one.song_id) if one.song_id else None,
            }
        )
    return listed
