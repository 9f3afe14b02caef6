"""The shelf of loops and its stacks over the API."""

from __future__ import annotations

import tempfile
from typing import Any

import soundfile
from django.conf import settings
from django.http import FileResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import mixins, serializers, status, viewsets
from rest_framework.decorators import action
from rest_framework.parsers import JSONParser
from rest_framework.request import Request
from rest_framework.response import Response

from api.files import disk_sentence
from api.query import uuid_or_nil
from api.sound_files import SoundFileParser
from people.access import OfBand, asking_band
from songs.loops import keep_stack, seconds_of, take_loop
from songs.models import Loop, Song, Stack
from songs.pages.stem import LayerSerializer
from upbeat.errors import refuse
from upbeat.intake.names import clean_file_name
from upbeat.limits import NAME, STEM_NAME
from upbeat.shelf.measure import relabelled
from upbeat.shelf.shipped import shipped, shipped_by, sound_of
from upbeat.song.hand_sounds import HAND_SOUND_GROUPS
from upbeat.song.layers import KINDS, layer_document, read_layer

LAYER_GROUPS = HAND_SOUND_GROUPS  # of what is put to a song besides its recordings


class ShelfLoopSerializer(serializers.Serializer):
    """``code``: of a loop that ships, or the id of an own one; ``family``: what it is filed under, "own" for an own one.
    ``tonic``: 0 for C to 11 for B, null for what has no key."""

    code = serializers.CharField()
    name = serializers.CharField()
    family = serializers.CharField()
    group = serializers.ChoiceField(LAYER_GROUPS)
    tonic = serializers.IntegerField(allow_null=True)
    layer = LayerSerializer()


class OwnLoopSerializer(serializers.Serializer):
    """A change of an own loop."""

    name = serializers.CharField(required=False, max_length=STEM_NAME)
    group = serializers.ChoiceField(LAYER_GROUPS, required=False)
    kind = serializers.ChoiceField(list(KINDS), required=False)
    bars = serializers.IntegerField(required=False)
    meter = serializers.CharField(required=False, max_length=20)


class StackedSerializer(serializers.Serializer):
    name = serializers.CharField()


class StackSerializer(serializers.ModelSerializer):
    layers = StackedSerializer(many=True)

    class Meta:
        model = Stack
        fields = ["id", "name", "layers"]


class KeepStackSerializer(serializers.Serializer):
    song = serializers.UUIDField()
    name = serializers.CharField(max_length=NAME)


def _plain(layer: dict[str, Any]) -> dict[str, Any]:
    return {k: v for k, v in layer.items() if k != "attacks"}


def shown_own(loop: Loop) -> dict[str, Any]:
    """An own loop as the shelf shows it."""
    own = {"code": str(loop.pk), "name": loop.name, "family": "own", "group": loop.group, "tonic": None}
    return {**own, "layer": _plain(loop.layer)}


class LoopViewSet(OfBand, viewsets.GenericViewSet):
    queryset = Loop.objects.select_related("audio")
    parser_classes = [SoundFileParser, JSONParser]
    serializer_class = ShelfLoopSerializer
    lookup_value_regex = "[0-9a-z-]+"

    @extend_schema(responses=ShelfLoopSerializer(many=True))
    def list(self, request: Request) -> Response:
        """Own loops, then those that ship."""
        ships = [
            {
                "code": s.code,
                "name": s.name,
                "family": s.family,
                "group": s.group,
                "tonic": s.tonic,
                "layer": _plain(layer_document(s.layer)),
            }
            for s in shipped()
        ]
        return Response([*(shown_own(loop) for loop in self.get_queryset()), *ships])

    @extend_schema(
        request={"application/octet-stream": bytes},
        responses={201: ShelfLoopSerializer},
        parameters=[OpenApiParameter("file", required=True)],
    )
    def create(self, request: Request) -> Response:
        """Bring a loop: its bars, metre, tempo and attacks are measured."""
        content = request.data if isinstance(request.data, bytes) else b""
        file_name = clean_file_name(request.query_params.get("file") or "loop")
        try:
            loop = take_loop(asking_band(request), file_name, content)
        except OSError as error:
            raise refuse("loop-disk", disk_sentence(error, file_name)) from error
        return Response(shown_own(loop), status=status.HTTP_201_CREATED)

    @extend_schema(request=OwnLoopSerializer, responses=ShelfLoopSerializer)
    def partial_update(self, request: Request, pk: str) -> Response:
        """Change an own loop. Songs that have it stay as they are."""
        loop = self.get_object()
        asked = OwnLoopSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        data = asked.validated_data
        layer = read_layer(loop.layer)
        assert layer is not None
        if "bars" in data or "meter" in data:
            layer = relabelled(
                layer,
                seconds_of(loop.audio),
                bars=data.get("bars", layer.bars),
                meter=data.get("meter", str(layer.meter)),
            )
        loop.layer = layer_document(layer) | {k: data[k] for k in ("kind",) if k in data}
        loop.name, loop.group = data.get("name", loop.name), data.get("group", loop.group)
        loop.save()
        return Response(shown_own(loop))

    @extend_schema(responses={204: None})
    def destroy(self, request: Request, pk: str) -> Response:
        """Take an own loop from the shelf. Songs that have it keep it."""
        self.get_object().delete()
        return Response(status=status.HTTP_204_NO_CONTENT)

    @extend_schema(responses={(200, "audio/wav"): OpenApiTypes.BINARY})
    @action(detail=True)
    def sound(self, request: Request, pk: str) -> FileResponse:
        """The loop as it is, once through."""
        own = self.get_queryset().filter(pk=uuid_or_nil(pk)).first()
        if own is not None:
            file: Any = open(own.audio.prepared, "rb")
        else:
            file = tempfile.TemporaryFile()
            sound = sound_of(shipped_by(pk).code, settings.SAMPLE_RATE)
            soundfile.write(file, sound, settings.SAMPLE_RATE, format="WAV", subtype="FLOAT")
            file.seek(0)
        return FileResponse(file, content_type="audio/wav", headers={"Cache-Control": "no-store"})


class StackViewSet(OfBand, mixins.ListModelMixin, mixins.DestroyModelMixin, viewsets.GenericViewSet):
    """Layers that are taken to songs together."""

    queryset = Stack.objects.all()
    serializer_class = StackSerializer

    @extend_schema(request=KeepStackSerializer, responses={201: StackSerializer})
    def create(self, request: Request) -> Response:
        """Keep the layers of a song as a stack, in place of one that has the name."""
        asked = KeepStackSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        song = Song.objects.filter(band=asking_band(request), pk=asked.validated_data["song"]).first()
        if song is None:
            raise refuse("song-unknown", "That song is not there: choose another.")
        stack = keep_stack(song, asked.validated_data["name"].strip() or song.title)
        return Response(StackSerializer(stack).data, status=status.HTTP_201_CREATED)
