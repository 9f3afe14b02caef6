"""How loud a song is in the house."""

from __future__ import annotations

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response

from api import query
from people.access import asking_band
from people.line_ups import asked_line_up
from songs import loud
from songs.pages.song import SongPages
from songs.tasks import ask_loudness
from upbeat.mix.matching import checked_target

_PARAMETERS = [OpenApiParameter(n, OpenApiTypes.STR, required=False) for n in ("line_up", "form", "target")]


class ProposedLevelSerializer(serializers.Serializer):
    """``short_db``: how far the target is missed so that the true peak stays in bounds."""

    gain_db = serializers.FloatField()
    lufs = serializers.FloatField(allow_null=True)
    peak_dbtp = serializers.FloatField(allow_null=True)
    short_db = serializers.FloatField()


class StepTimeSerializer(serializers.Serializer):
    step = serializers.IntegerField()
    at_s = serializers.FloatField()


class LevelSerializer(serializers.Serializer):
    """A song in the house: ``state`` working, done or refused; ``short_term``: LUFS every ``step_s``, null in silence."""

    state = serializers.CharField()
    progress = serializers.FloatField()
    message = serializers.CharField(allow_blank=True)
    gain_db = serializers.FloatField()
    own = serializers.BooleanField()
    lufs = serializers.FloatField(allow_null=True)
    peak_dbtp = serializers.FloatField(allow_null=True)
    target = serializers.FloatField(allow_null=True)
    proposal = ProposedLevelSerializer(allow_null=True)
    seconds = serializers.FloatField()
    step_s = serializers.FloatField()
    steps = StepTimeSerializer(many=True)
    short_term = serializers.ListField(child=serializers.FloatField(allow_null=True))


class LevelsViewSet(SongPages):
    @extend_schema(responses=LevelSerializer, parameters=_PARAMETERS)
    @action(detail=True)
    def level(self, request: Request, pk: str) -> Response:
        """How loud the song is in the house with a line-up, once that was asked for."""
        return self._level(request, ask=False)

    @extend_schema(request=None, responses=LevelSerializer, parameters=_PARAMETERS)
    @level.mapping.post
    def measure_level(self, request: Request, pk: str) -> Response:
        """Ask the worker how loud the song is in the house with a line-up."""
        return self._level(request, ask=True)

    def _level(self, request: Request, ask: bool) -> Response:
        song, line_up = self.get_object(), asked_line_up(request)
        form = query.text(request, "form") or "full"
        typed = query.text(request, "target")
        target = checked_target(typed) if typed else asking_band(request).target_lufs
        row = ask_loudness(song, form, line_up) if ask else loud.known(song, form, line_up)
        return Response(loud.shown_level(song, row, line_up, target))
