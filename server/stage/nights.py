"""The nights that were written down: listed and downloaded."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any, TypedDict

from django.conf import settings
from django.http import FileResponse, Http404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from api.typed import component
from people.access import asking_band
from people.models import Band
from playout.files import plain
from playout.night_log import FOLDER, KEPT_DAYS

_NAME = re.compile(r"^[0-9]{8}-[0-9]{6}-[0-9]+-([0-9a-zA-Z]+)-[0-9a-zA-Z]+\.jsonl$")


class Night(TypedDict):
    """One night log. ``began``: seconds since 1970; ``played``: a bar at least was played."""

    name: str
    title: str
    began: float
    bytes: int
    played: bool


class Nights(TypedDict):
    """The band's nights, the newest first; each is kept ``kept_days``."""

    kept_days: int
    nights: list[Night]


class NightsView(APIView):
    @extend_schema(responses={200: component(Nights)})
    def get(self, request: Request) -> Response:
        """The nights of the band that are still kept."""
        nights = [_night(path) for path in night_paths(asking_band(request))]
        return Response(
            Nights(kept_days=KEPT_DAYS, nights=sorted(nights, key=lambda n: n["began"], reverse=True)),
        )


class NightView(APIView):
    @extend_schema(operation_id="night_file", responses={(200, "application/x-ndjson"): OpenApiTypes.BINARY})
    def get(self, request: Request, name: str) -> FileResponse:
        """A night as it was written down, a line of JSON for each event."""
        path = path_of(asking_band(request), name)
        return FileResponse(open(path, "rb"), as_attachment=True, filename=name, content_type="application/x-ndjson")


def night_paths(band: Band) -> list[Path]:
    mark = plain(str(band.pk))
    folder = Path(settings.VAR) / "engine" / FOLDER
    return [p for p in folder.glob("*.jsonl") if (m := _NAME.match(p.name)) and m[1] == mark]


def path_of(band: Band, name: str) -> Path:
    """The file of a night of the band; nothing else can be named."""
    found = next((p for p in night_paths(band) if p.name == name), None)
    if found is None:
        raise Http404
    return found


def has_bars(log: bytes) -> bool:
    """Whether something was played in a night."""
    return b'"kind": "bar"' in log


def _night(path: Path) -> Night:
    head: dict[str, Any] = {}
    with open(path, encoding="utf-8", errors="replace") as file:
        try:
            first = json.loads(file.readline(1 << 16))
            head = first if isinstance(first, dict) else {}
        except ValueError:
            pass  # half a line of a machine that lost its power
    status = path.stat()
    began = head.get("at")
    return Night(
        name=path.name,
        title=str(head.get("title") or ""),
        began=float(began) if isinstance(began, int | float) else status.st_mtime,
        bytes=status.st_size,
        played=has_bars(path.read_bytes()),
    )
