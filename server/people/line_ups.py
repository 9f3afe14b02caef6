"""Line-ups as they are asked for: by id, or none for everybody."""

from __future__ import annotations

from rest_framework.request import Request

from api import query
from people.access import asking_band
from people.models import Band, LineUp, Player
from upbeat.errors import refuse


def line_up_of(band: Band, key: str | None) -> LineUp | None:
    """A line-up of a band by id; None for everybody. Raises :class:`Refused`."""
    if not key:
        return None
    found = LineUp.objects.prefetch_related("away").filter(pk=query.uuid_or_nil(key), band=band).first()
    if found is None:
        raise refuse("line-up-unknown", "That line-up is no longer there: choose another.")
    return found


def asked_line_up(request: Request) -> LineUp | None:
    """The line-up that the parameter ``line_up`` names. Raises :class:`Refused`."""
    return line_up_of(asking_band(request), query.text(request, "line_up"))


def missing(line_up: LineUp | None) -> list[Player]:
    """The players whose part nobody plays."""
    return line_up.missing() if line_up else []
