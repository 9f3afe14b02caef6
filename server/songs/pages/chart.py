"""The chart: bars, calls, ChordPro, paper, and sections heard in the sound."""

from __future__ import annotations

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response

from api import query
from api.printing import pdf_answer
from songs import build, divided
from songs.pages.song import SongPages
from songs.printed import printed
from songs.tasks import ask_sections, known_sections
from songs.written import as_chordpro

_FORM = OpenApiParameter("form", OpenApiTypes.STR, required=False)


class BarSerializer(serializers.Serializer):
    bar = serializers.IntegerField()
    start_s = serializers.FloatField()
    end_s = serializers.FloatField()
    meter = serializers.CharField()
    grouping = serializers.ListField(child=serializers.IntegerField())
    bpm = serializers.FloatField()
    beats = serializers.IntegerField()
    sound = serializers.ListField(child=serializers.FloatField())


class CallSerializer(serializers.Serializer):
    """Words spoken at a bar; ``beat``: of a free cue, 0 for a section call."""

    bar = serializers.IntegerField()
    text = serializers.CharField()
    beat = serializers.IntegerField()


class ChartSerializer(serializers.Serializer):
    bars = BarSerializer(many=True)
    calls = CallSerializer(many=True)
    seconds = serializers.FloatField()
    form_bars = serializers.IntegerField()


class ChordProSerializer(serializers.Serializer):
    text = serializers.CharField()


class HeardReasonSerializer(serializers.Serializer):
    """Why a section is heard to begin: ``kind`` enters, leaves, louder, softer, chords, colour, busier or calmer."""

    kind = serializers.CharField()
    stem = serializers.CharField(allow_blank=True)
    value = serializers.FloatField()


class HeardSectionSerializer(serializers.Serializer):
    """A section heard in the sound; those that sound alike have the same ``like``."""

    bar = serializers.IntegerField()
    sure = serializers.FloatField()
    like = serializers.IntegerField()
    reasons = HeardReasonSerializer(many=True)


class HearingSerializer(serializers.Serializer):
    """``state``: none (no stems), working, done or refused."""

    state = serializers.CharField()
    progress = serializers.FloatField()
    message = serializers.CharField()
    sections = HeardSectionSerializer(many=True)


class ChartViewSet(SongPages):
    @extend_schema(
        responses=ChartSerializer, parameters=[_FORM, OpenApiParameter("points", OpenApiTypes.INT, required=False)]
    )
    @action(detail=True)
    def chart(self, request: Request, pk: str) -> Response:
        """Every bar with its time, metre and sound, and where calls are spoken; ``points``: peaks in a bar."""
        points = min(build.MOST_POINTS, query.whole(request, "points")) or build.SOUND_POINTS
        return Response(build.chart(self.get_object(), query.text(request, "form") or None, points))

    @extend_schema(responses=ChordProSerializer)
    @action(detail=True)
    def chordpro(self, request: Request, pk: str) -> Response:
        """The chart as ChordPro text."""
        return Response({"text": as_chordpro(self.get_object())})

    @extend_schema(
        responses={(200, "application/pdf"): OpenApiTypes.BINARY},
        parameters=[_FORM, OpenApiParameter("words", OpenApiTypes.BOOL, required=False)],
    )
    @action(detail=True, url_path="print")
    def print(self, request: Request, pk: str) -> HttpResponse:
        """The chart on paper, A4, for the music stands."""
        song = self.get_object()
        pdf = printed(song, query.text(request, "form") or None, request.query_params.get("words") != "false")
        return pdf_answer(pdf, song.title)

    @extend_schema(responses=HearingSerializer)
    @action(detail=True, url_path="heard-sections")
    def heard_sections(self, request: Request, pk: str) -> Response:
        """Where sections are heard to begin, each with its reason, once that was asked for."""
        return Response(divided.shown_hearing(known_sections(self.get_object())))

    @extend_schema(request=None, responses=HearingSerializer)
    @heard_sections.mapping.post
    def hear_sections(self, request: Request, pk: str) -> Response:
        """Ask the worker where sections are heard to begin."""
        return Response(divided.shown_hearing(ask_sections(self.get_object())))
