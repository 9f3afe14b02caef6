"""Typed arguments at the edge: raw JSON becomes a checked type, or one sentence that says what is wrong."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any, TypeVar, get_args, get_type_hints

import msgspec

from upbeat.errors import refuse

T = TypeVar("T")
_PLACE = re.compile(r" - at `\$\.?(.*)`$")
_WORDS = {
    "int": "a whole number",
    "float": "a number",
    "str": "text",
    "bool": "true or false",
    "array": "a list",
    "object": "an object",
    "null": "nothing",
}
_MISSING = re.compile(r"Object missing required field `(.*)`")


def parsed(raw: Mapping[str, Any], kind: type[T], what: str, *, strict: bool = True) -> T:
    """``raw`` as a msgspec type, TypedDict or dataclass.

    ``what`` begins the sentence of a refusal. Without ``strict``, numbers written as text are read.
    Raises :class:`Refused` with the code ``FIELD-unknown`` or ``arguments-incomplete``.
    """
    try:
        return msgspec.convert(raw, kind, strict=strict)
    except msgspec.ValidationError as error:
        text = str(error)
    missing = _MISSING.search(text)
    if missing:
        raise refuse("arguments-incomplete", f"{what} needs “{missing[1]}”: it is missing.")
    place = _PLACE.search(text)
    field = place[1] if place else ""
    code = f"{re.split(r'[^a-z_]', field)[0] or 'arguments'}-unknown".replace("_", "-")
    choices = _choices(kind, field)
    if "enum" in text and choices:
        given: Any = raw
        for name in field.split("."):
            given = given[name]
        raise refuse(code, f"{what} cannot take “{str(given)[:40]}” as “{field}”: choose {', '.join(choices)}.")
    wrong = re.sub(r"`([a-z]+(?: \| [a-z]+)*)`", lambda m: _plain(m[1]), _PLACE.sub("", text)).replace("`", "")
    wrong = wrong[:1].lower() + wrong[1:]
    raise refuse(code, f"{what} cannot be taken{f': “{field}”' if field else ''}: {wrong[:160]}.")


def _choices(kind: Any, field: str) -> list[str]:
    """The texts that a field, of a field and so on, can be; empty where it is anything else."""
    for name in field.split("."):
        kind = get_type_hints(kind).get(name) if isinstance(kind, type) else None
        kind = next((k for k in get_args(kind) if isinstance(k, type) and k is not type(None)), kind)
    found = get_args(kind)
    return [str(c) for c in found] if all(isinstance(c, str) for c in found) else []


def _plain(names: str) -> str:
    """The words of a type, as they are written in a message of msgspec."""
    return " or ".join(_WORDS.get(name, name) for name in names.split(" | "))
