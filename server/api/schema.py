"""Touches to the OpenAPI document that the front end's types are made from."""

from typing import Any


def answers_are_whole(result: dict[str, Any], generator: Any, request: Any, public: bool) -> dict[str, Any]:
    """Every field of an answer is there: only what is asked for may leave fields out."""
    for name, schema in result["components"]["schemas"].items():
        if not name.endswith("Request") and name not in _SPARSE and "properties" in schema:
            schema["required"] = list(schema["properties"])
    return result


# Stored as they were given, so that a field left out stays out.
_SPARSE = {"Click", "Meter", "Tempo", "Ending"}
