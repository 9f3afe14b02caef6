"""Shows over the API: making them, saving them as bundles."""

from __future__ import annotations

from django.conf import settings
from django.http import FileResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, viewsets
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response

from api.files import written
from outputs.models import Rig
from people.access import BandRelated, OfBand
from people.models import LineUp
from setlists.models import Setlist
from shows.build import save_bundle, show_document
from shows.models import Show
from upbeat.cues.speech import speak
from upbeat.cues.voice import Voice


class ShowSerializer(serializers.ModelSerializer):
    setlist = BandRelated(queryset=Setlist.objects.all())
    rig = BandRelated(queryset=Rig.objects.all())
    line_up = BandRelated(queryset=LineUp.objects.all(), allow_null=True, required=False)
    setlist_name = serializers.CharField(source="setlist.name", read_only=True)
    rig_name = serializers.CharField(source="rig.name", read_only=True)

    class Meta:
        model = Show
        fields = ["id", "title", "setlist", "rig", "date", "line_up", "voice", "setlist_name", "rig_name"]

    def validate_voice(self, name: str) -> str:
        """A voice that speaks here, or none for the band's. Raises :class:`Refused`."""
        if name:
            speak("one", Voice(name=name), settings.SAMPLE_RATE)
        return name


class ShowViewSet(OfBand, viewsets.ModelViewSet):
    queryset = Show.objects.select_related("band", "setlist", "rig", "line_up")
    serializer_class = ShowSerializer

    @extend_schema(responses={(200, "application/zip"): OpenApiTypes.BINARY})
    @action(detail=True)
    def bundle(self, request: Request, pk: str) -> FileResponse:
        """The show as a bundle that ``upbeat bounce`` plays anywhere."""
        show = self.get_object()
        with written(lambda path: save_bundle(show, path), "zip") as path:
            return FileResponse(open(path, "rb"), as_attachment=True, filename=f"{_plain(show.title)}.upbeat.zip")

    @extend_schema(responses=OpenApiTypes.OBJECT)
    @action(detail=True)
    def document(self, request: Request, pk: str) -> Response:
        """The show document alone, for the stage page."""
        return Response(show_document(self.get_object())[0])


def _plain(title: str) -> str:
    return "".join(c if c.isalnum() or c in " -_" else "-" for c in title).strip() or "show"
