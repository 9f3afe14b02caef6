"""Films and pictures for screens over the API."""

from __future__ import annotations

from typing import Any, BinaryIO, cast

from django.http import FileResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import mixins, serializers, status, viewsets
from rest_framework.decorators import action
from rest_framework.parsers import BaseParser
from rest_framework.request import Request
from rest_framework.response import Response

from api.files import disk_sentence
from people.access import OfBand, asking_band
from screens.models import ScreenFile
from screens.take import take
from songs.models import Song
from upbeat.errors import refuse
from upbeat.intake.names import clean_file_name
from upbeat.intake.screen_files import check_size


class StreamParser(BaseParser):
    """A file as a stream: it is larger than memory should be."""

    media_type = "application/octet-stream"

    def parse(self, stream: Any, media_type: str | None = None, parser_context: Any = None) -> Any:
        return stream


class ScreenFileSerializer(serializers.ModelSerializer):
    class Meta:
        model = ScreenFile
        fields = ["id", "name", "kind", "content", "type", "size", "width", "height", "seconds", "fps"]


class ScreenFileViewSet(
    OfBand, mixins.ListModelMixin, mixins.RetrieveModelMixin, mixins.DestroyModelMixin, viewsets.GenericViewSet
):
    """The films and pictures of the band."""

    queryset = ScreenFile.objects.all()
    serializer_class = ScreenFileSerializer
    parser_classes = [StreamParser]

    @extend_schema(
        request={"application/octet-stream": bytes},
        responses={201: ScreenFileSerializer},
        parameters=[OpenApiParameter("file", required=True)],
    )
    def create(self, request: Request) -> Response:
        """Add a film or a picture, checked to be one that browsers show."""
        name = clean_file_name(request.query_params.get("file") or "film")
        check_size(name, int(request.META.get("CONTENT_LENGTH") or 0))
        try:
            one = take(asking_band(request), name, cast(BinaryIO, request.data))
        except OSError as error:
            raise refuse("film-disk", disk_sentence(error, name)) from error
        return Response(ScreenFileSerializer(one).data, status=status.HTTP_201_CREATED)

    def perform_destroy(self, one: ScreenFile) -> None:
        if title := _used_by(one):
            raise refuse("film-used", f"“{one.name}” is shown with “{title}”: take it out there first.")
        one.delete()
        one.path.unlink(missing_ok=True)

    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    @action(detail=True)
    def content(self, request: Request, pk: str) -> FileResponse:
        """The film or picture itself."""
        return file_answer(self.get_object())


def file_answer(one: ScreenFile) -> FileResponse:
    """The file of a row; its content never changes."""
    headers = {"Cache-Control": "private, max-age=31536000, immutable", "X-Content-Type-Options": "nosniff"}
    return FileResponse(open(one.path, "rb"), content_type=one.type, headers=headers)


def _used_by(one: ScreenFile) -> str | None:
    """The title of a song that shows it."""
    songs = Song.objects.filter(band=one.band).exclude(screen={})
    return next((s.title for s in songs if one.content in str(s.screen)), None)
