"""Forms side by side."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response

from songs import build
from songs.pages.song import SongPages
from upbeat.song.side_by_side import side_by_side


class ComparedSerializer(serializers.Serializer):
    """Forms side by side: each row has a place for every form, in the order of ``forms``."""

    forms = serializers.ListField(child=serializers.CharField())
    rows = serializers.ListField(child=serializers.ListField(child=serializers.IntegerField(allow_null=True)))


class FormsViewSet(SongPages):
    @extend_schema(responses=ComparedSerializer)
    @action(detail=True)
    def compared(self, request: Request, pk: str) -> Response:
        """The forms of a song side by side, the same steps in one row."""
        forms = build.core_song(self.get_object()).forms
        rows = side_by_side([[s.section for s in f.steps] for f in forms])
        return Response({"forms": [f.id for f in forms], "rows": rows})
