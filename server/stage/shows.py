"""Which show the engine holds, and whose it is."""

from __future__ import annotations

from typing import Any

from api.query import uuid_or_none
from people.models import Band
from shows.models import Show
from stage import engine
from upbeat.errors import refuse


def loaded_show(state: dict[str, Any], band: Band) -> Show | None:
    """The show in the engine, if it is this band's."""
    key = uuid_or_none(state.get("show"))
    return Show.objects.filter(pk=key, band=band).first() if key else None


def own_state(band: Band) -> dict[str, Any]:
    """The state of the engine while it holds a show of this band. Raises :class:`Refused`."""
    state: dict[str, Any] = engine.ask("state")["state"]
    if loaded_show(state, band) is None:
        raise refuse("no-show", "No show of your band is loaded: take one to the stage first.")
    return state
