"""Parameters of a query, read without trust: what cannot be read is refused in a sentence, or left out."""

from __future__ import annotations

import uuid
from typing import Any

from rest_framework.request import Request

from upbeat.errors import refuse


def text(request: Request, name: str, most: int = 200) -> str:
    """A text parameter, "" without one. Raises :class:`Refused` for one that cannot be kept."""
    value = request.query_params.get(name, "")
    if "\0" in value or any("\ud800" <= c <= "\udfff" for c in value):
        raise refuse("text-unreadable", f"“{name}” has a character in it that cannot be kept: type it again.")
    return value[:most]


def body_of(request: Request) -> dict[str, Any]:
    """The body of a request, which the parser takes only if it is an object."""
    return request.data if isinstance(request.data, dict) else {}


def whole(request: Request, name: str, otherwise: int = 0) -> int:
    """A number from 0, ``otherwise`` where there is none."""
    value = request.query_params.get(name, "")
    return int(value) if value.isascii() and value.isdigit() and len(value) < 10 else otherwise


def uuid_or_none(value: Any) -> str | None:
    """A UUID in its usual form, None for what is none."""
    try:
        return str(uuid.UUID(str(value)))
    except (ValueError, AttributeError):
        return None


def uuid_or_nil(value: Any) -> uuid.UUID:
    """A UUID for a lookup: the nil one, which no row has, for what is none."""
    known = uuid_or_none(value)
    return uuid.UUID(known) if known else uuid.UUID(int=0)


def identifier(request: Request, name: str, what: str) -> str | None:
    """A UUID parameter, None without one. Raises :class:`Refused` for what is no UUID."""
    value = request.query_params.get(name)
    if not value:
        return None
    known = uuid_or_none(value)
    if known is None:
        raise refuse(f"{what}-unknown", f"There is no such {what}: choose another.")
    return known
