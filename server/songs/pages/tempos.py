"""Rehearsal tempos of a song: heard at once, and prepared ahead (rule V2)."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response

from songs.models import Song
from songs.pages.song import SongPages
from songs.prepared import ask_preparation, preparing
from upbeat.song.key_tempo import REHEARSAL, KeyTempo, slower


class PreparingSerializer(serializers.Serializer):
    """How far a song is prepared in a key and tempo (``songs.prepared.PreparingNow``)."""

    state = serializers.ChoiceField(["ready", "working", "none", "refused"])
    progress = serializers.FloatField()
    left_s = serializers.FloatField(allow_null=True)
    message = serializers.CharField(allow_blank=True)


class RehearsalTempoSerializer(PreparingSerializer):
    percent = serializers.FloatField()


def _tempos(song: Song) -> list[tuple[int, KeyTempo]]:
    """Per cent of the tempo that the band plays a song in, and the key and tempo that come of it."""
    return [(percent, slow) for percent in REHEARSAL if (slow := slower(song.played, percent)) is not None]


def _shown(song: Song) -> list[dict[str, Any]]:
    return [{"percent": float(percent), **preparing(song, change)} for percent, change in _tempos(song)]


class TemposViewSet(SongPages):
    @extend_schema(responses=PreparingSerializer)
    @action(detail=True)
    def played(self, request: Request, pk: str) -> Response:
        """How far the song is prepared in the key and tempo that the band plays it in."""
        song = self.get_object()
        return Response(preparing(song, song.played))

    @extend_schema(request=None, responses=PreparingSerializer)
    @played.mapping.post
    def prepare_played(self, request: Request, pk: str) -> Response:
        """Have it prepared so, where that was broken off."""
        song = self.get_object()
        ask_preparation(song, song.played)
        return Response(preparing(song, song.played))

    @extend_schema(responses=RehearsalTempoSerializer(many=True))
    @action(detail=True)
    def tempos(self, request: Request, pk: str) -> Response:
        """How far the song is prepared at each tempo for rehearsal."""
        return Response(_shown(self.get_object()))

    @extend_schema(request=None, responses=RehearsalTempoSerializer(many=True))
    @tempos.mapping.post
    def prepare_tempos(self, request: Request, pk: str) -> Response:
        """Have the song prepared at every one of them, in the worker; what is made already is not made again."""
        song = self.get_object()
        for _, change in _tempos(song):
            ask_preparation(song, change)
        return Response(_shown(song))
