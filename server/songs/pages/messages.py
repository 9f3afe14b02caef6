"""Messages of a song: its lanes, and what holds at a place."""

from __future__ import annotations

import msgspec
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response

from api import query
from api.typed import component
from songs.messages import HoldsShown, MessagesShown, shown_holds, shown_messages
from songs.pages.song import SongPages

_FORM = OpenApiParameter("form", OpenApiTypes.STR, required=False)
_PLACE = [OpenApiParameter(n, OpenApiTypes.INT, required=False) for n in ("step", "round", "bar")]


class MessagesViewSet(SongPages):
    @extend_schema(responses={200: component(MessagesShown)})
    @action(detail=True)
    def messages(self, request: Request, pk: str) -> Response:
        """What the song sends, in its sections."""
        return Response(msgspec.to_builtins(shown_messages(self.get_object())))

    @extend_schema(responses={200: component(HoldsShown)}, parameters=[_FORM, *_PLACE])
    @action(detail=True)
    def holds(self, request: Request, pk: str) -> Response:
        """What every device has been brought to at a place of a form: ``step`` from 0, ``round`` and ``bar`` of it from 1."""
        step, round_, bar = (query.whole(request, n, d) for n, d in (("step", 0), ("round", 1), ("bar", 1)))
        found = shown_holds(self.get_object(), query.text(request, "form") or None, step, round_, bar)
        return Response(msgspec.to_builtins(found))
