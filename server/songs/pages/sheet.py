"""The tacet sheet, a line-up on it, and the band's usual stems."""

from __future__ import annotations

from django.db import transaction
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import mixins, serializers, viewsets
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response

from people.access import OfBand, asking_band
from people.line_ups import asked_line_up
from songs import usual
from songs.models import UsualStem
from songs.pages.song import SongPages
from songs.sheet import shown_sheet, shown_tonight

_LINE_UP = OpenApiParameter("line_up", OpenApiTypes.STR, required=False)


class PictureSerializer(serializers.Serializer):
    """Of one stem: for each section the peaks in its file, 0 to 100."""

    stem = serializers.CharField()
    cells = serializers.ListField(child=serializers.ListField(child=serializers.IntegerField()))


class SheetSerializer(serializers.Serializer):
    revision = serializers.IntegerField()
    pictures = PictureSerializer(many=True)


class LookSerializer(serializers.Serializer):
    code = serializers.ChoiceField(["silent-file", "nothing", "no-tonal"])
    section = serializers.CharField()
    stem = serializers.CharField(allow_blank=True)


class CellPlaceSerializer(serializers.Serializer):
    stem = serializers.CharField()
    section = serializers.CharField()


class TonightSerializer(serializers.Serializer):
    """``standing``: stem to sounds, rests, rehearsal, fallback, pad, muted or nobody; ``empty``: where files are silent."""

    standing = serializers.DictField(child=serializers.CharField())
    gaps = serializers.ListField(child=serializers.CharField())
    looks = LookSerializer(many=True)
    empty = CellPlaceSerializer(many=True)


class UsualStemSerializer(serializers.ModelSerializer):
    covers_name = serializers.CharField(allow_null=True)

    class Meta:
        model = UsualStem
        fields = ["id", "name", "group", "purpose", "covers", "covers_name", "gain_db", "pan", "width", "mono"]


class SheetViewSet(SongPages):
    @extend_schema(responses=SheetSerializer)
    @action(detail=True)
    def sheet(self, request: Request, pk: str) -> Response:
        """What the file of each stem holds in each section."""
        return Response(shown_sheet(self.get_object()))

    @extend_schema(responses=TonightSerializer, parameters=[_LINE_UP])
    @action(detail=True)
    def tonight(self, request: Request, pk: str) -> Response:
        """What sounds with a line-up, what would be missing, what is worth a look."""
        return Response(shown_tonight(self.get_object(), asked_line_up(request)))

    @extend_schema(request=None, responses=UsualStemSerializer(many=True))
    @action(detail=True, methods=["post"], url_path="keep-usual")
    def keep_usual(self, request: Request, pk: str) -> Response:
        """Make what the stems of this song are the band's usual, for songs to come."""
        with transaction.atomic():
            return Response(usual.keep(self.get_object()))


class UsualStemViewSet(OfBand, mixins.ListModelMixin, mixins.DestroyModelMixin, viewsets.GenericViewSet):
    """The band's usual stems: kept from a song, and let go one by one."""

    queryset = UsualStem.objects.select_related("covers")
    serializer_class = UsualStemSerializer

    def list(self, request: Request) -> Response:
        return Response(usual.shown(asking_band(request)))
