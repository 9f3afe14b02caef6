"""Uploads over the API: announce, send in pieces at an offset, watch, cancel, try again."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.db import transaction
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import mixins, serializers, status, viewsets
from rest_framework.decorators import action
from rest_framework.parsers import BaseParser, JSONParser
from rest_framework.request import Request
from rest_framework.response import Response

from api import query
from api.files import disk_sentence
from people.access import BandRelated, OfBand, asking_band
from songs.models import Song
from upbeat.errors import refuse
from upbeat.intake.names import clean_file_name
from upbeat.song.stems import GROUPS, PURPOSES
from uploads.models import Upload
from uploads.tasks import import_file


class RawParser(BaseParser):
    """A piece of a file, as it is."""

    media_type = "application/octet-stream"

    def parse(self, stream: Any, media_type: str | None = None, parser_context: Any = None) -> Any:
        return stream.read(settings.UPLOAD_CHUNK + 1)


class UploadSerializer(serializers.ModelSerializer):
    song = BandRelated(queryset=Song.objects.all())
    name = serializers.CharField(max_length=2000, trim_whitespace=False)
    size = serializers.IntegerField(min_value=0, max_value=settings.UPLOAD_MAX)
    stem_name = serializers.CharField(max_length=120, required=False, allow_blank=True)
    group = serializers.ChoiceField(GROUPS, required=False, allow_blank=True)
    purpose = serializers.ChoiceField(PURPOSES, required=False, allow_blank=True)

    class Meta:
        model = Upload
        fields = [
            "id",
            "song",
            "name",
            "size",
            "received",
            "status",
            "progress",
            "code",
            "message",
            "stem",
            "stem_name",
            "group",
            "purpose",
        ]
        read_only_fields = ["received", "status", "progress", "code", "message", "stem"]

    def validate_name(self, name: str) -> str:
        return clean_file_name(name)


class UploadViewSet(
    OfBand, mixins.CreateModelMixin, mixins.ListModelMixin, mixins.RetrieveModelMixin, viewsets.GenericViewSet
):
    queryset = Upload.objects.all()
    serializer_class = UploadSerializer

    def get_queryset(self) -> Any:
        rows = super().get_queryset()
        song = query.identifier(self.request, "song", "song") if self.action == "list" else None
        return rows.filter(song=song) if song else rows

    @extend_schema(parameters=[OpenApiParameter("song", OpenApiTypes.UUID)])
    def list(self, request: Request, *args: Any, **kwargs: Any) -> Response:
        return super().list(request, *args, **kwargs)

    def perform_create(self, serializer: serializers.BaseSerializer) -> None:
        if serializer.validated_data["size"] == 0:
            raise refuse("file-empty", f"“{serializer.validated_data['name']}” is empty: export it again.")
        serializer.save(band=asking_band(self.request), user=self.request.user)

    @extend_schema(
        request={"application/octet-stream": bytes},
        responses=UploadSerializer,
        parameters=[OpenApiParameter("offset", OpenApiTypes.INT)],
    )
    @action(detail=True, methods=["put"], parser_classes=[RawParser, JSONParser])
    def piece(self, request: Request, pk: str) -> Response:
        """The bytes from ``offset`` on; 409 with ``received`` where they do not follow what is here."""
        piece = request.data
        if not isinstance(piece, bytes) or len(piece) > settings.UPLOAD_CHUNK:
            raise refuse("piece-too-big", f"A piece holds at most {settings.UPLOAD_CHUNK} bytes.")
        self.get_object()
        with transaction.atomic():
            upload = self.get_queryset().select_for_update().get(pk=pk)
            offset = _number(request.query_params.get("offset"))
            if upload.status != Upload.Status.SENDING or offset != upload.received:
                return Response(UploadSerializer(upload).data, status=status.HTTP_409_CONFLICT)
            if upload.received + len(piece) > upload.size:
                raise refuse("piece-too-long", f"“{upload.name}” is longer than announced: send it again.")
            self._write(upload, offset, piece)
            upload.received += len(piece)
            if upload.received == upload.size:
                upload.status = Upload.Status.WAITING
            upload.save()
            if upload.status == Upload.Status.WAITING:
                import_file.defer(upload_id=str(upload.pk))
        return Response(UploadSerializer(upload).data)

    def _write(self, upload: Upload, offset: int, piece: bytes) -> None:
        try:
            upload.path.parent.mkdir(parents=True, exist_ok=True)
            with open(upload.path, "r+b" if upload.path.exists() else "wb") as file:
                file.seek(offset)
                file.truncate()
                file.write(piece)
        except OSError as error:
            raise refuse("disk", disk_sentence(error, upload.name)) from None

    @extend_schema(request=None, responses=UploadSerializer)
    @action(detail=True, methods=["post"])
    def cancel(self, request: Request, pk: str) -> Response:
        """Stop it wherever it is; a stem that is there already is not touched."""
        upload = self.get_object()
        Upload.objects.filter(pk=upload.pk).exclude(status=Upload.Status.DONE).update(status=Upload.Status.CANCELLED)
        upload.refresh_from_db()
        if upload.status == Upload.Status.CANCELLED:
            upload.path.unlink(missing_ok=True)
        return Response(UploadSerializer(upload).data)

    @extend_schema(request=None, responses=UploadSerializer)
    @action(detail=True, methods=["post"])
    def retry(self, request: Request, pk: str) -> Response:
        """Import again what is whole on disk; else begin to send from the start."""
        self.get_object()
        with transaction.atomic():
            upload = self.get_queryset().select_for_update().get(pk=pk)
            if upload.status not in (Upload.Status.REFUSED, Upload.Status.CANCELLED):
                return Response(UploadSerializer(upload).data)
            whole = upload.path.exists() and upload.path.stat().st_size == upload.size
            upload.status = Upload.Status.WAITING if whole else Upload.Status.SENDING
            upload.received = upload.size if whole else 0
            upload.code = upload.message = ""
            upload.progress = 0
            upload.save()
            if whole:
                import_file.defer(upload_id=str(upload.pk))
        return Response(UploadSerializer(upload).data)


def _number(text: str | None) -> int:
    return int(text) if text and text.isascii() and text.isdigit() else -1
