"""Sounds by hand over the API."""

from __future__ import annotations

from django.conf import settings
from django.db.models import Q, QuerySet
from django.http import FileResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema, extend_schema_view
from rest_framework import serializers, status, viewsets
from rest_framework.decorators import action
from rest_framework.parsers import JSONParser
from rest_framework.request import Request
from rest_framework.response import Response

from api.files import disk_sentence
from api.query import uuid_or_nil
from api.sound_files import SoundFileParser
from people.access import OfBand, asking_band
from songs.models import Song
from sounds.models import HandSound
from sounds.take import remove_file, take
from upbeat.errors import refuse
from upbeat.intake.names import clean_file_name


class HandSoundSerializer(serializers.ModelSerializer):
    seconds = serializers.SerializerMethodField()

    class Meta:
        model = HandSound
        fields = ["id", "song", "name", "group", "gain_db", "again", "only", "position", "seconds"]
        read_only_fields = ["id", "song", "seconds"]

    def get_seconds(self, one: HandSound) -> float:
        return round(one.frames / settings.SAMPLE_RATE, 3)


_SONG = OpenApiParameter("song", OpenApiTypes.UUID, description="Of this song; without it, of the band's shelf.")


@extend_schema_view(list=extend_schema(parameters=[_SONG]))
class HandSoundViewSet(OfBand, viewsets.ModelViewSet):
    """The shelf of the band; with ``song`` what belongs to a song besides."""

    queryset = HandSound.objects.all()
    serializer_class = HandSoundSerializer
    parser_classes = [SoundFileParser, JSONParser]
    http_method_names = ["get", "post", "patch", "delete", "head", "options"]

    def get_queryset(self) -> QuerySet[HandSound]:
        rows: QuerySet[HandSound] = super().get_queryset()
        if self.action != "list":
            return rows
        song = self._song()
        return rows.filter(Q(song=None) | Q(song=song)) if song else rows.filter(song=None)

    def _song(self) -> Song | None:
        asked = self.request.query_params.get("song")
        if not asked:
            return None
        song = Song.objects.filter(band=asking_band(self.request), pk=uuid_or_nil(asked)).first()
        if song is None:
            raise refuse("song-unknown", "That song is not there: choose another.")
        return song

    @extend_schema(
        request={"application/octet-stream": bytes},
        responses={201: HandSoundSerializer},
        parameters=[_SONG, OpenApiParameter("file", required=True)],
    )
    def create(self, request: Request) -> Response:
        """Add a sound: trimmed to its start, and proposed at the loudness of a stem."""
        content = request.data if isinstance(request.data, bytes) else b""
        file_name = clean_file_name(request.query_params.get("file") or "sound")
        try:
            one = take(asking_band(request), self._song(), file_name, content)
        except OSError as error:
            raise refuse("hand-sound-disk", disk_sentence(error, file_name)) from error
        return Response(HandSoundSerializer(one).data, status=status.HTTP_201_CREATED)

    def perform_destroy(self, one: HandSound) -> None:
        one.delete()
        remove_file(one)

    @extend_schema(responses={(200, "audio/wav"): OpenApiTypes.BINARY})
    @action(detail=True)
    def sound(self, request: Request, pk: str) -> FileResponse:
        """The sound as it was made ready."""
        one = self.get_object()
        return FileResponse(open(one.path, "rb"), content_type="audio/wav", headers={"Cache-Control": "no-store"})
