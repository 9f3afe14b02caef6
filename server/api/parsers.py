"""JSON that the database can keep."""

from __future__ import annotations

from collections.abc import Mapping
from typing import IO, Any

from rest_framework.exceptions import ParseError
from rest_framework.parsers import JSONParser

DEEPEST = 32
_UNKEEPABLE = "The text has a character in it that cannot be kept (a NUL, or half of an emoji): type it again."
_DEEP = f"The body is nested more than {DEEPEST} deep: send it flatter."
_NO_OBJECT = "The body is not a JSON object: send one, such as {}."


class KeepableJSONParser(JSONParser):
    """Takes one JSON object. Refuses deep nesting, and NUL and lone surrogates, which PostgreSQL cannot keep."""

    def parse(
        self, stream: IO[bytes], media_type: str | None = None, parser_context: Mapping[str, Any] | None = None
    ) -> Any:
        try:
            data = super().parse(stream, media_type, parser_context)
        except RecursionError:
            raise ParseError(_DEEP) from None
        if not isinstance(data, dict):
            raise ParseError(_NO_OBJECT)
        _check(data, 0)
        return data


def _check(data: Any, depth: int) -> None:
    if depth > DEEPEST:
        raise ParseError(_DEEP)
    if isinstance(data, str):
        if "\0" in data or any("\ud800" <= c <= "\udfff" for c in data):
            raise ParseError(_UNKEEPABLE)
    elif isinstance(data, dict):
        for key, value in data.items():
            _check(key, depth)
            _check(value, depth + 1)
    elif isinstance(data, list):
        for value in data:
            _check(value, depth + 1)
