"""The grid: how far every bar is from what is played."""

from __future__ import annotations

from typing import Any

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response

from api import query
from songs import build, grid
from songs.models import Measurement, Song
from songs.pages.song import SongPages, TempoSerializer
from songs.tasks import ask_measurement, known_measurement
from upbeat.errors import refuse
from upbeat.listening.follow.tap import tapped

_STEMS = OpenApiParameter("stems", OpenApiTypes.STR, required=False)


class GridBarSerializer(serializers.Serializer):
    """``off_ms``: heard after the click (positive); ``fit_ms``: heard after the grid that is proposed."""

    bar = serializers.IntegerField()
    seconds = serializers.FloatField()
    off_ms = serializers.FloatField(allow_null=True)
    fit_ms = serializers.FloatField(allow_null=True)
    sure = serializers.FloatField()


class GridProposalSerializer(serializers.Serializer):
    """What is wrong with the grid and what can be taken; ``factor``: heard over typed."""

    first_bar = serializers.IntegerField()
    last_bar = serializers.IntegerField()
    first_ms = serializers.FloatField()
    last_ms = serializers.FloatField()
    low_ms = serializers.FloatField()
    high_ms = serializers.FloatField()
    worst_after_ms = serializers.FloatField()
    factor = serializers.FloatField()
    ways = serializers.ListField(child=serializers.CharField())
    unsure = serializers.BooleanField()
    bar_unsure = serializers.BooleanField()
    metre = serializers.CharField(allow_null=True)
    doubtful = serializers.ListField(child=serializers.IntegerField())
    typed = serializers.FloatField()
    heard = serializers.FloatField()
    steady = serializers.BooleanField()
    unnamed = serializers.IntegerField()
    sentence = serializers.CharField()


class GridSerializer(serializers.Serializer):
    """``state``: none, working, done or refused; ``strips``: the bars that are farthest off; ``tempo``: what the bars were worked out with."""

    measurement = serializers.IntegerField(allow_null=True)
    state = serializers.CharField()
    progress = serializers.FloatField()
    message = serializers.CharField()
    stems = serializers.ListField(child=serializers.CharField())
    bars = GridBarSerializer(many=True)
    strips = serializers.ListField(child=serializers.IntegerField())
    pins = serializers.ListField(child=serializers.IntegerField())
    tempo = TempoSerializer(many=True)
    heard_beats = serializers.IntegerField()
    confidence = serializers.FloatField()
    proposal = GridProposalSerializer(allow_null=True)


class StripSerializer(serializers.Serializer):
    bar = serializers.IntegerField()
    seconds = serializers.FloatField()
    low = serializers.ListField(child=serializers.FloatField())
    high = serializers.ListField(child=serializers.FloatField())


class TapsSerializer(serializers.Serializer):
    seconds = serializers.ListField(child=serializers.FloatField(), max_length=200)


class TappedSerializer(serializers.Serializer):
    bpm = serializers.FloatField()
    within = serializers.FloatField()


class OnsetSerializer(serializers.Serializer):
    by_ms = serializers.FloatField()


class GridViewSet(SongPages):
    @extend_schema(responses=GridSerializer, parameters=[_STEMS])
    @action(detail=True)
    def grid(self, request: Request, pk: str) -> Response:
        """How far every bar line is from what is played, and what to do, once that was asked for."""
        song = self.get_object()
        return Response(_shown(song, known_measurement(song, _ids(request))))

    @extend_schema(
        request=None,
        responses=GridSerializer,
        parameters=[_STEMS, OpenApiParameter("again", OpenApiTypes.BOOL, required=False)],
    )
    @grid.mapping.post
    def measure(self, request: Request, pk: str) -> Response:
        """Ask the worker to measure, also where it was measured before with ``again``."""
        song = self.get_object()
        row = ask_measurement(song, _ids(request), request.query_params.get("again") == "true")
        return Response(_shown(song, row))

    @extend_schema(
        responses=StripSerializer(many=True), parameters=[_STEMS, OpenApiParameter("bars", OpenApiTypes.STR)]
    )
    @action(detail=True)
    def strips(self, request: Request, pk: str) -> Response:
        """Real sound around bar lines of the click, ±120 ms."""
        song = self.get_object()
        stems = grid.chosen_stems(song, _ids(request))
        bars = [int(b) for b in query.text(request, "bars").split(",") if b.isascii() and b.isdigit()][:16]
        return Response([grid.strip(song, stems, b) for b in bars])

    @extend_schema(
        responses=OnsetSerializer,
        parameters=[
            OpenApiParameter("measurement", OpenApiTypes.INT),
            OpenApiParameter("bar", OpenApiTypes.INT),
            OpenApiParameter("after", OpenApiTypes.BOOL),
        ],
    )
    @action(detail=True)
    def onset(self, request: Request, pk: str) -> Response:
        """How far the next (or previous) onset lies from a bar line of the click, in ms."""
        song = self.get_object()
        row = song.measurements.filter(pk=query.whole(request, "measurement"), state=Measurement.State.DONE).first()
        if row is None:
            raise refuse("measurement-gone", "What was heard is no longer there: listen again.")
        line = float(build.core_song(song).grid.bar_seconds(max(1, query.whole(request, "bar"))))
        at = grid.onset_near(row, line, request.query_params.get("after") == "true")
        return Response({"by_ms": round((at - line) * 1000, 2)})

    @extend_schema(request=TapsSerializer, responses=TappedSerializer)
    @action(detail=False, methods=["post"])
    def tap(self, request: Request) -> Response:
        """A tempo from the times of taps, and how exact it is."""
        asked = TapsSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        bpm, within = tapped(asked.validated_data["seconds"])
        return Response({"bpm": round(bpm, 3), "within": round(within, 3)})


def _shown(song: Song, row: Measurement | None) -> dict[str, Any]:
    return {"measurement": row.pk if row else None, **grid.shown_grid(song, row)}


def _ids(request: Request) -> list[str] | None:
    """The stems that are to be listened to; None for the usual ones."""
    return [part for part in query.text(request, "stems", 4000).split(",") if part][:64] or None
