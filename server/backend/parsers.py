"""JSON that the database can keep."""

from __future__ import annotations

from collections.abc import Mapping
from typing import IO, Any

from rest_framework.exceptions import ParseError
from rest_framework.parsers import JSONParser

_SAID = "The text has a character in it that cannot be kept (a NUL, or half of an emoji): type it again."


class KeepableJSONParser(JSONParser):
    """Refuses NUL and lone surrogates, which JSON can carry and PostgreSQL cannot."""

    def parse(
        self, stream: IO[bytes], media_type: str | None = None, parser_context: Mapping[str, Any] | None = None
    ) -> Any:
        data = super().parse(stream, media_type, parser_context)
        if not _keepable(data):
            raise ParseError(_SAID)
        return data


def _keepable(data: Any) -> bool:
    if isinstance(data, str):
        return "\0" not in data and not any("\ud800" <= c <= "\udfff" for c in data)
    if isinstance(data, dict):
        return all(_keepable(k) and _keepable(v) for k, v in data.items())
    return all(map(_keepable, data)) if isinstance(data, list) else True
