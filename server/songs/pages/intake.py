"""What names and files say of a song, before and after they are taken in."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response

from api.query import uuid_or_nil
from songs.pages.song import SongPages, SongSerializer, answered
from upbeat.intake.names import clean_file_name, read_folder
from upbeat.song.stems import PURPOSES


class NamesSerializer(serializers.Serializer):
    """A folder's name ("" for none) and the names of its files."""

    folder = serializers.CharField(max_length=2000, allow_blank=True, trim_whitespace=False)
    files = serializers.ListField(
        child=serializers.CharField(max_length=2000, allow_blank=True, trim_whitespace=False), max_length=500
    )


class NamedStemSerializer(serializers.Serializer):
    file = serializers.CharField()
    name = serializers.CharField()
    group = serializers.CharField()
    purpose = serializers.ChoiceField(PURPOSES)
    sure = serializers.FloatField()


class NamesReadSerializer(serializers.Serializer):
    title = serializers.CharField()
    title_sure = serializers.FloatField()
    bpm = serializers.CharField(allow_null=True)
    bpm_sure = serializers.FloatField()
    stems = NamedStemSerializer(many=True)


class IntakeViewSet(SongPages):
    @extend_schema(request=NamesSerializer, responses=NamesReadSerializer)
    @action(detail=False, methods=["post"], url_path="read-names")
    def read_names(self, request: Request) -> Response:
        """What the names of a folder and its files say of a song; nothing is made."""
        asked = NamesSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        folder = clean_file_name(asked.validated_data["folder"]) if asked.validated_data["folder"].strip() else ""
        read = read_folder(folder, [clean_file_name(f) for f in asked.validated_data["files"]])
        stems = [
            {"file": s.file, "name": s.name, "group": s.group, "sure": s.sure, "purpose": s.purpose} for s in read.stems
        ]
        return Response(
            {
                "title": read.title.value,
                "title_sure": read.title.sure,
                "bpm": read.bpm.value if read.bpm else None,
                "bpm_sure": read.bpm.sure if read.bpm else 0.0,
                "stems": stems,
            }
        )

    @extend_schema(request=None, responses=SongSerializer)
    @action(detail=True, methods=["delete"], url_path=r"offers/(?P<offer>[0-9a-f-]{36})")
    def dismiss_offer(self, request: Request, pk: str, offer: str) -> Response:
        """Do without what a file offered."""
        self.get_object().offers.filter(pk=uuid_or_nil(offer)).delete()
        return Response(answered(self.get_object()))
