"""The server's side of the engine."""

from __future__ import annotations

from typing import Any

from django.conf import settings

from people.models import Band
from playout.client import EngineClient, EngineSilent
from shows.models import Show
from upbeat.errors import Refused, refuse

_SILENT = "The engine does not answer: look at what ./start prints."


def ask(do: str, **fields: Any) -> dict[str, Any]:
    """One command to the engine. Raises :class:`Refused` if it is silent or refuses."""
    with EngineClient(settings.ENGINE_CONTROL_PORT, settings.ENGINE_STATE_PORT) as client:
        try:
            return checked(client.ask(do, **fields))
        except EngineSilent:
            raise refuse("engine-silent", _SILENT) from None


def load(folder: str, show: str) -> dict[str, Any]:
    """Load a show and wait until it stands by."""
    with EngineClient(settings.ENGINE_CONTROL_PORT, settings.ENGINE_STATE_PORT) as client:
        try:
            return checked(client.load(folder, show))
        except EngineSilent:
            raise refuse("engine-silent", _SILENT) from None


def checked(answer: dict[str, Any]) -> dict[str, Any]:
    """An engine's answer, or what it refused, raised."""
    if not answer.get("ok"):
        from upbeat.errors import Problem

        raise Refused(*(Problem(p["code"], p["message"]) for p in answer.get("problems", [])))
    return answer


def loaded_show(state: dict[str, Any], band: Band) -> Show | None:
    """The show in the engine, if it is this band's."""
    name = state.get("show")
    return Show.objects.filter(pk=name, band=band).first() if _is_uuid(name) else None


def _is_uuid(name: Any) -> bool:
    import uuid

    try:
        uuid.UUID(str(name))
    except ValueError:
        return False
    return True
