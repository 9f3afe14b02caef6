"""What was edited since the show was loaded: listed, and taken in while it plays (rule P8)."""

from __future__ import annotations

import json
import shutil
from typing import Any, TypedDict

from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from api.typed import component
from people.access import asking_band
from people.models import Band
from playout.session import ProblemDict
from shows.build import place_for_engine, show_document
from shows.models import Show
from stage import engine
from stage.shows import own_state
from upbeat.errors import Refused, refuse
from upbeat.mix.routing import routing_problems
from upbeat.show.bundle import DOCUMENT
from upbeat.show.differences import Difference, differences
from upbeat.show.document import read_routing


class Changes(TypedDict):
    """``problems``: why they cannot be taken in."""

    changes: list[Difference]
    problems: list[ProblemDict]


class ChangesView(APIView):
    @extend_schema(responses={200: component(Changes)})
    def get(self, request: Request) -> Response:
        """What differs between the show as it is loaded and as it is now."""
        state = own_state(asking_band(request))
        try:
            show = _show(state, asking_band(request))
            now, _ = show_document(show)
        except Refused as refused:
            return Response(Changes(changes=[], problems=_problems(refused)))
        folder = engine.loaded_folder(state["show"], state["loads"])
        try:
            before = json.loads((folder / DOCUMENT).read_text())
        except (OSError, ValueError):
            raise refuse("show-missing", "The show on the stage is not on the disk any more: load it anew.") from None
        problems = [ProblemDict(code=p.code, message=p.message) for p in routing_problems(read_routing(now))]
        return Response(Changes(changes=differences(before, now, _sounding(state)), problems=problems))

    @extend_schema(request=None, responses={204: None})
    def post(self, request: Request) -> Response:
        """Take the changes in: what sounds goes on as it is, all else is as it is now.

        Refused where they break a rule; the show then goes on as it was.
        """
        state = own_state(asking_band(request))
        show = _show(state, asking_band(request))
        folder = place_for_engine(show)
        try:
            engine.load(str(folder), str(show.pk), str(show.band_id), onto=True)
        except Refused as refused:
            # An engine that is silent may have it all the same.
            if refused.problems[0].code != "engine-silent":
                shutil.rmtree(folder, ignore_errors=True)
            raise
        return Response(status=204)


def _show(state: dict[str, Any], band: Band) -> Show:
    shows = Show.objects.select_related("band", "setlist", "rig", "line_up")
    show = shows.filter(pk=state["show"], band=band).first()
    if show is None:
        raise refuse("show-deleted", "This show was deleted: what is on the stage goes on as it was loaded.")
    return show


def _sounding(state: dict[str, Any]) -> str | None:
    """The song that plays."""
    if state["status"] not in ("playing", "count_in"):
        return None
    song: str = engine.described(state["show"], state["loads"])["entries"][state["position"]["entry"]]["song"]
    return song


def _problems(refused: Refused) -> list[ProblemDict]:
    return [ProblemDict(code=p.code, message=p.message) for p in refused.problems]
