"""Places that were marked in rehearsal, for the chart: read from the night logs (rule P13)."""

from __future__ import annotations

import json
from functools import lru_cache
from pathlib import Path
from typing import Any, TypedDict

from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from api.query import uuid_or_nil
from api.typed import component
from people.access import asking_band
from songs.models import Song
from songs.rows import held
from stage.nights import night_paths

_MARK = b'"marked"'


class Mark(TypedDict):
    """A place of a song, ``bar`` from 1; ``at``: seconds since 1970, ``by``: who pressed."""

    id: str
    bar: int
    at: float
    by: str


class Marks(TypedDict):
    marks: list[Mark]


class MarksView(APIView):
    @extend_schema(
        parameters=[OpenApiParameter("song", OpenApiTypes.UUID, required=True)], responses={200: component(Marks)}
    )
    def get(self, request: Request) -> Response:
        """What was marked of a song in rehearsals and was not seen to yet, the newest first."""
        song = get_object_or_404(Song, pk=uuid_or_nil(request.query_params.get("song")), band=asking_band(request))
        firsts, bar = {}, 1
        for section in held(song).sections:
            firsts[section.id] = bar, section.bars
            bar += section.bars
        found = [
            _mark(name, line, firsts)
            for path in night_paths(asking_band(request))
            for name, line in _marked(path, path.stat().st_mtime_ns)
            if line["marked"]["song"] == str(song.pk) and line["marked"]["section"] in firsts
        ]
        left = [mark for mark in found if mark["id"] not in song.marks_done]
        return Response(Marks(marks=sorted(left, key=lambda m: m["at"], reverse=True)))


def _mark(name: str, line: dict[str, Any], firsts: dict[str, tuple[int, int]]) -> Mark:
    first, bars = firsts[line["marked"]["section"]]
    bar = first + min(line["marked"]["bar"], bars) - 1
    return Mark(id=f"{name}:{line['n']}", bar=bar, at=line["at"], by=line.get("by", ""))


@lru_cache(maxsize=2000)
def _marked(path: Path, changed: int) -> tuple[tuple[str, dict[str, Any]], ...]:
    """The marks of a night that were made in rehearsal, each once whoever wrote it; ``changed``: when the file was."""
    lines = {}
    with open(path, "rb") as file:
        for raw in file:
            line = _read(raw) if _MARK in raw else None
            if line is not None:
                lines[line["n"]] = line
    return tuple((path.stem, line) for line in lines.values())


def _read(raw: bytes) -> dict[str, Any] | None:
    try:
        line: dict[str, Any] = json.loads(raw)
        return line if line["marked"]["rehearsal"] and line["accepted"] else None
    except (ValueError, KeyError, TypeError):
        return None  # half a line of a machine that lost its power
