"""Click and cues of a song: its patterns, the cue lane, and both given away as files."""

from __future__ import annotations

from django.http import FileResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response

from api import query
from api.files import written
from songs import guides
from songs.cues import shown_cues
from songs.pages.song import ClickSerializer, SongPages
from upbeat.song.guides import OF_ONE_SONG

_FORM, _WHAT, _KIND = (OpenApiParameter(n, OpenApiTypes.STR, required=False) for n in ("form", "what", "kind"))


class MeterClickSerializer(serializers.Serializer):
    """A time signature of the song: ``key`` names its pattern, ``usual`` is what it has without one of its own; ``spans``: (first, last) bar."""

    key = serializers.CharField()
    beats = serializers.IntegerField()
    usual = serializers.CharField()
    pattern = serializers.CharField()
    spans = serializers.ListField(child=serializers.ListField(child=serializers.IntegerField()))


class ClickPageSerializer(serializers.Serializer):
    """The click of a song as its page draws it; ``band``: the band's click, ``whole``: both together."""

    band = ClickSerializer()
    whole = ClickSerializer()
    meters = MeterClickSerializer(many=True)


class LaneStepSerializer(serializers.Serializer):
    section = serializers.CharField()
    name = serializers.CharField()
    mark = serializers.CharField()
    colour = serializers.IntegerField()
    spoken = serializers.CharField()
    first_bar = serializers.IntegerField()


class LaneBeatSerializer(serializers.Serializer):
    at_s = serializers.FloatField()
    bar = serializers.IntegerField()
    beat = serializers.IntegerField()


class LaneWordSerializer(serializers.Serializer):
    """Heard at ``at_s``; its sound lasts from ``start_s`` to ``end_s``; ``fast``: shortened."""

    text = serializers.CharField()
    kind = serializers.ChoiceField(["name", "count", "free"])
    at_s = serializers.FloatField()
    start_s = serializers.FloatField()
    end_s = serializers.FloatField()
    fast = serializers.BooleanField()


class LeftOutSerializer(serializers.Serializer):
    text = serializers.CharField()
    at_s = serializers.FloatField()
    why = serializers.ChoiceField(["covered", "call", "silent"])


class PassSerializer(serializers.Serializer):
    """One pass through a step (none: the count-in), in seconds from its first beat."""

    step = LaneStepSerializer(allow_null=True)
    round = serializers.IntegerField()
    into = LaneStepSerializer(allow_null=True)
    seconds = serializers.FloatField()
    beats = LaneBeatSerializer(many=True)
    words = LaneWordSerializer(many=True)
    left_out = LeftOutSerializer(many=True)


class SectionCallSerializer(serializers.Serializer):
    section = serializers.CharField()
    text = serializers.CharField()


class SpokenWordSerializer(serializers.Serializer):
    """A word of the song: whose sound it is, how long, and how far into it it is heard; ``shift_ms`` by hand."""

    text = serializers.CharField()
    source = serializers.ChoiceField(  # type: ignore[assignment]  # a name that DRF has for something else
        ["engine", "recording", "silent"]
    )
    seconds = serializers.FloatField()
    onset_ms = serializers.FloatField()
    shift_ms = serializers.FloatField()
    count = serializers.BooleanField()


class CueSummarySerializer(serializers.Serializer):
    words = serializers.IntegerField()
    shortened = serializers.IntegerField()
    left_out = serializers.IntegerField()
    gap_ms = serializers.FloatField(allow_null=True)


class CuesSerializer(serializers.Serializer):
    """The cues of a song in a form, as they will be spoken."""

    passes = PassSerializer(many=True)
    calls = SectionCallSerializer(many=True)
    words = SpokenWordSerializer(many=True)
    summary = CueSummarySerializer()


class ClickViewSet(SongPages):
    @extend_schema(responses=ClickPageSerializer)
    @action(detail=True)
    def click(self, request: Request, pk: str) -> Response:
        """The click of the song: the band's and its own, with a pattern for each time signature."""
        return Response(guides.shown_click(self.get_object()))

    @extend_schema(request=None, responses=ClickPageSerializer)
    @action(detail=True, methods=["post"], url_path="keep-click")
    def keep_click(self, request: Request, pk: str) -> Response:
        """Make this song's click the band's, for every song that has none of its own."""
        song = self.get_object()
        band = song.band
        band.click = {**band.click, **{k: v for k, v in song.click.items() if k not in OF_ONE_SONG}}
        band.save(update_fields=["click"])
        return Response(guides.shown_click(song))

    @extend_schema(responses=CuesSerializer, parameters=[_FORM])
    @action(detail=True)
    def cues(self, request: Request, pk: str) -> Response:
        """Every word that is spoken in a form of the song, where, and what has to give way."""
        return Response(shown_cues(self.get_object(), query.text(request, "form") or None))

    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY}, parameters=[_WHAT, _KIND, _FORM])
    @action(detail=True)
    def guide(self, request: Request, pk: str) -> FileResponse:
        """Click, cues or both of the song, as sound with its count-in or as a MIDI file."""
        song, form = self.get_object(), query.text(request, "form") or None
        what, kind = guides.checked(query.text(request, "what") or "click", query.text(request, "kind") or "wav")
        tags = guides.tags_of(song, what)
        with written(lambda path: guides.write_guide(song, form, what, kind, path, tags), kind) as path:
            return FileResponse(
                open(path, "rb"),
                as_attachment=True,
                filename=guides.name_of(song, what, kind),
                content_type=guides.KINDS[kind],
            )
