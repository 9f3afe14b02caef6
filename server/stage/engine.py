"""Talking to the engine."""

from __future__ import annotations

from typing import Any

from django.conf import settings

from playout.client import EngineClient, EngineSilent
from upbeat.errors import Problem, Refused, refuse

_SILENT = "The engine does not answer: look at what ./start prints."


def ask(do: str, **fields: Any) -> dict[str, Any]:
    """One command to the engine. Raises :class:`Refused` if it is silent or refuses."""
    with EngineClient(settings.ENGINE_CONTROL_PORT, settings.ENGINE_STATE_PORT) as client:
        try:
            return _checked(client.ask(do, **fields))
        except EngineSilent:
            raise refuse("engine-silent", _SILENT) from None


def load(folder: str, show: str) -> dict[str, Any]:
    """Load a show and wait until it stands by. Raises :class:`Refused`."""
    with EngineClient(settings.ENGINE_CONTROL_PORT, settings.ENGINE_STATE_PORT) as client:
        try:
            return _checked(client.load(folder, show))
        except EngineSilent:
            raise refuse("engine-silent", _SILENT) from None


def _checked(answer: dict[str, Any]) -> dict[str, Any]:
    """An engine's answer, or what it refused, raised."""
    if not answer.get("ok"):
        raise Refused(*(Problem(p["code"], p["message"]) for p in answer.get("problems", [])))
    return answer
