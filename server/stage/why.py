"""Why a source is heard at a socket now, or not: of the show that is loaded, with the mix by hand."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, TypedDict

from django.conf import settings
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from api.query import text, whole
from api.typed import component
from people.access import asking_band
from shows.why import ShownWhy, shown
from stage import engine
from stage.shows import own_state
from upbeat.errors import refuse
from upbeat.mix.line_up import Person
from upbeat.play.hand import Hand, PartByHand, PlayerTonight
from upbeat.show.bundle import read_document
from upbeat.show.ready import make_ready
from upbeat.show.why import entry_alone, heard_at, place_now, why_at


class WhyNow(TypedDict):
    """``found``: of one source, or of all that is heard, the one with the most gain first; in ``bar`` of ``title``."""

    title: str
    bar: int
    found: list[ShownWhy]


class WhyNowView(APIView):
    @extend_schema(
        parameters=[
            OpenApiParameter(
                "of", OpenApiTypes.STR, description="A stem, feed, click or cues; all that is heard without it."
            ),
            OpenApiParameter("socket", OpenApiTypes.INT, required=True),
        ],
        responses={200: component(WhyNow)},
    )
    def get(self, request: Request) -> Response:
        """Why a source is heard at a socket at this moment, or not, with the levels by hand."""
        state = own_state(asking_band(request))
        return Response(why_now(state, text(request, "of"), whole(request, "socket")))


def why_now(state: dict[str, Any], of: str, socket: int) -> WhyNow:
    """What the loaded show says of a source at a socket as the engine's ``state`` has it. Raises :class:`Refused`."""
    folder = engine.loaded_folder(state["show"], state["loads"])
    shown_now = engine.described(state["show"], state["loads"])
    at = state["position"]
    if not shown_now["entries"]:
        raise refuse("show-empty", "The show has no songs: put some in the setlist.")
    show = entry_alone(read_document(folder), *_entry_of(shown_now, at["entry"]))
    ready = make_ready(show, folder, words_folder=settings.WORDS)
    place = place_now(ready, at["step"], max(1, at["bar"]))
    hand = hand_now(state, ready.show.players)
    if of:
        found = [shown(of, why_at(ready, of, socket, place, hand))]
    else:
        found = [shown(name, one) for name, one in heard_at(ready, socket, place, hand)]
    return WhyNow(title=ready.plan.entries[0].title, bar=place.bar, found=found)


def hand_now(state: dict[str, Any], players: Sequence[Person]) -> Hand:
    """The mix by hand as the engine tells it."""
    return Hand(
        house_pulled=state["house_pulled"],
        fallback=state["fallback"],
        line_up=tuple(PlayerTonight(p.id, p.id not in state["away"]) for p in players),
        parts=tuple(PartByHand(p["part"], p["db"], p["on"]) for p in state["parts"]),
        alone=tuple(p["part"] for p in state["parts"] if p["alone"]),
        alone_in_house=state["alone_in_house"],
    )


def _entry_of(described: dict[str, Any], at: int) -> tuple[str, str | None]:
    """The entry's id in the document, and its form where it is played in another one; of one that sounds on, what it is now."""
    entry = described["entries"][at]
    if entry["kept"] and entry["of"] is not None:
        entry = described["entries"][entry["of"]]
    own, _, form = entry["id"].partition(":")
    return own, form or None
