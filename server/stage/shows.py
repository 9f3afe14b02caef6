"""Whose show the engine holds, told by the engine itself: rows may be gone while it plays."""

from __future__ import annotations

from typing import Any

from people.models import Band
from stage import engine
from upbeat.errors import Problem, refuse


def is_own(state: dict[str, Any], band: Band) -> bool:
    """Whether the show in the engine is this band's."""
    return bool(state.get("show")) and state.get("band") == str(band.pk)


def own_state(band: Band) -> dict[str, Any]:
    """The state of the engine while it holds a show of this band. Raises :class:`Refused`."""
    state: dict[str, Any] = engine.ask("state")["state"]
    if not is_own(state, band):
        raise refuse("no-show", "No show of your band is loaded: take one to the stage first.")
    return state


def own_mixes(described: dict[str, Any], player: str) -> frozenset[str]:
    """The parts of a loaded show that are the mix of a player, by their id: monitors, never a feed of the house."""
    feeds = described["feeds"]
    return frozenset(f"feed:{f['id']}" for f in feeds if f["kind"] == "monitor" and player and f["player"] == player)


def lost_by_loading(state: dict[str, Any], show: str, band: Band) -> Problem | None:
    """What loading a show would take away: another band's show, another show, or a place to resume at."""
    if not state.get("show"):
        return None
    if not is_own(state, band):
        owner = Band.objects.filter(pk=state["band"]).first() if state.get("band") else None
        name = f"“{owner.name}”" if owner else "Another band"
        return Problem("stage-taken", f"{name} has a show on this stage, and has not given it back.")
    title = _title(state)
    if state["show"] != show:
        return Problem("stage-other-show", f"{title} is on this stage now.")
    if state.get("status") == "stopped":
        at = state["position"]
        return Problem("stage-place", f"{title} stands stopped at bar {at['bar']} of song {at['entry'] + 1}.")
    if state.get("entry", 0) > 0 and state.get("status") != "finished":
        return Problem("stage-place", f"{title} stands at song {state['entry'] + 1}.")
    return None


def _title(state: dict[str, Any]) -> str:
    return f"“{engine.described(state['show'], state['loads'])['title']}”"
