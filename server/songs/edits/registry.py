"""The registry of edits: one function for each, with typed arguments."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from songs.models import Song

Apply = Callable[[Song, Any], None]


@dataclass(frozen=True)
class SongEdit:
    """An edit by name: ``arguments`` is the TypedDict of what it takes."""

    name: str
    arguments: Any
    apply: Apply


_REGISTRY: dict[str, SongEdit] = {}
#: Every edit by name.
EDITS: Mapping[str, SongEdit] = _REGISTRY


def edit(arguments: Any) -> Callable[[Apply], Apply]:
    """Register a function as the edit of its name. It changes a song in memory; nothing is written there."""

    def register(apply: Apply) -> Apply:
        _REGISTRY[apply.__name__] = SongEdit(apply.__name__, arguments, apply)
        return apply

    return register
