"""Seams: which joins of sections will be heard, and why."""

from __future__ import annotations

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response

from api import query
from songs import seams
from songs.pages.song import SongPages


class SeamMendSerializer(serializers.Serializer):
    """``value``: ms of a crossfade, s of a ring-on, ms of a shift; ``likely``: how likely the seam is heard then."""

    kind = serializers.ChoiceField(["crossfade", "ring_on", "shift"])
    value = serializers.FloatField()
    likely = serializers.FloatField()


class SeamSerializer(serializers.Serializer):
    """The join of two sections; figures as in upbeat.listening.seam.score."""

    old = serializers.CharField()
    new = serializers.CharField()
    straight = serializers.BooleanField()
    likely = serializers.FloatField()
    verdict = serializers.ChoiceField(["heard", "may", "not"])
    reason = serializers.CharField(allow_blank=True)
    cut = serializers.FloatField()
    early = serializers.FloatField()
    level = serializers.FloatField()
    colour = serializers.FloatField()
    cut_db = serializers.FloatField()
    early_ms = serializers.FloatField()
    level_db = serializers.FloatField()
    colour_db = serializers.FloatField()
    stem = serializers.CharField(allow_null=True)
    mends = SeamMendSerializer(many=True)


class SeamsViewSet(SongPages):
    @extend_schema(
        responses=SeamSerializer(many=True), parameters=[OpenApiParameter("form", OpenApiTypes.STR, required=False)]
    )
    @action(detail=True)
    def seams(self, request: Request, pk: str) -> Response:
        """Every join of a form, the likeliest to be heard first."""
        return Response(seams.shown_seams(self.get_object(), query.text(request, "form") or None))

    @extend_schema(
        responses=SeamSerializer,
        parameters=[OpenApiParameter("old", OpenApiTypes.STR), OpenApiParameter("new", OpenApiTypes.STR)],
    )
    @action(detail=True)
    def seam(self, request: Request, pk: str) -> Response:
        """The join of any two sections."""
        return Response(seams.asked_seam(self.get_object(), query.text(request, "old"), query.text(request, "new")))
