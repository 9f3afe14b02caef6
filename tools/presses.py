"""Prints ``docs/presses.md``: every press with its arguments, from the registry of the core. See tools/api."""

from __future__ import annotations

from typing import Any, get_args, get_type_hints

import msgspec

from upbeat.play.presses import PRESSES, Press

HEAD = """# Presses

Made by `tools/api` from `core/upbeat/play/presses/`: do not edit. What can be pressed now, and why not, is in the engine's
state (`unavailable`). In a presses file ([show-format.md](show-format.md)) and on the stage's WebSocket the arguments stand beside
the name.

| press | arguments | what it does |
|---|---|---|
"""


_WORDS = {int: "whole number", float: "number", bool: "true or false", str: "text"}


def row(press: Press) -> str:
    return f"| `{press.name}` | {arguments(press)} | {press.about} |"


def arguments(press: Press) -> str:
    """What a press takes, in words."""
    hints = get_type_hints(press.arguments)
    taken = [_argument(field, hints[field.name]) for field in msgspec.structs.fields(press.arguments)]
    return "; ".join(taken) or "none"


def _argument(field: msgspec.structs.FieldInfo, hint: Any) -> str:
    choices = get_args(hint)
    if choices and not any(isinstance(choice, type) for choice in choices):
        kind = ", ".join(map(str, choices))
    else:
        kind = " or ".join(_WORDS.get(k, "nothing") for k in choices or (hint,))
    default = "" if field.default in (msgspec.NODEFAULT, None) else f"; without it {str(field.default).lower()}"
    return f"`{field.name}`: {kind}{default}"


if __name__ == "__main__":
    print(HEAD + "\n".join(row(press) for press in PRESSES.values()))
