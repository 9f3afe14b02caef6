"""Types of the core and the engine in the OpenAPI document: TypedDicts and msgspec types become components."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

import msgspec

#: Every type that views refer to by :func:`component`; added to the document by :func:`add_components`.
_REFERRED: dict[str, Any] = {}
#: Components that are written out rather than made from a type.
_WRITTEN: dict[str, dict[str, Any]] = {}
_REF = "#/components/schemas/{name}"


def component(kind: Any) -> dict[str, str]:
    """A reference to a type, or to a component by name, for ``extend_schema``."""
    if isinstance(kind, str):
        return {"$ref": _REF.format(name=kind)}
    _REFERRED[kind.__name__] = kind
    return {"$ref": _REF.format(name=kind.__name__)}


def written_component(name: str, schema: dict[str, Any]) -> str:
    """Add a component that is written out; gives its name."""
    _WRITTEN[name] = schema
    return name


def tagged(name: str, tag: str, kinds: Mapping[str, tuple[str, Any]], **more: dict[str, Any]) -> str:
    """A component that is one of many, discriminated by ``tag``: each has ``args`` of a type of its own.

    ``kinds``: value of the tag to (what it does, type of its arguments). ``more``: other fields of each.
    """
    names = {value: _member(name, tag, value, about, kind, more) for value, (about, kind) in kinds.items()}
    mapping = {value: _REF.format(name=one) for value, one in names.items()}
    choice = {
        "oneOf": [component(one) for one in names.values()],
        "discriminator": {"propertyName": tag, "mapping": mapping},
    }
    return written_component(name, choice)


def _member(name: str, tag: str, value: str, about: str, kind: Any, more: Mapping[str, dict[str, Any]]) -> str:
    properties = {tag: {"type": "string", "enum": [value]}, "args": component(kind), **more}
    schema = {"type": "object", "properties": properties, "required": [tag]}
    title = "".join(part.capitalize() for part in value.split("_")) + name.removesuffix("Request")
    return written_component(title, {**schema, **({"description": " ".join(about.split())} if about else {})})


def add_components(result: dict[str, Any], generator: Any, request: Any, public: bool) -> dict[str, Any]:
    """Postprocessing hook of drf-spectacular."""
    schemas = result["components"].setdefault("schemas", {})
    _, made = msgspec.json.schema_components(list(_REFERRED.values()), ref_template=_REF)
    for name, schema in {**made, **_WRITTEN}.items():
        schemas[name] = _plain(schema)
    result["components"]["schemas"] = dict(sorted(schemas.items()))
    return result


def _plain(schema: Any) -> Any:
    """A schema without titles; nullable ones as OpenAPI has them."""
    if isinstance(schema, list):
        return [_plain(one) for one in schema]
    if not isinstance(schema, dict):
        return schema
    kept = {k: _plain(v) for k, v in schema.items() if not (k == "title" and isinstance(v, str))}
    if "description" in kept and isinstance(kept["description"], str):
        kept["description"] = re.sub(r"``([^`]*)``", r"\1", " ".join(kept["description"].split()))
    if kept.get("required") == []:
        del kept["required"]
    choices = kept.get("anyOf")
    if choices and {"type": "null"} in choices:
        rest = [c for c in choices if c != {"type": "null"}]
        kept.pop("anyOf")
        kept |= {**rest[0]} if len(rest) == 1 and "$ref" not in rest[0] else {"anyOf": rest}
        kept["nullable"] = True
    return kept
