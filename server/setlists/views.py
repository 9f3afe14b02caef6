"""Setlists over the API; the entries are put in order as a whole, so that no order is half-done."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from django.http import FileResponse, HttpResponse
from django.utils.http import content_disposition_header
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, viewsets
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response

from api import query
from api.files import written
from api.printing import pdf_answer
from api.query import uuid_or_nil
from api.typed import component
from people.access import OfBand, asking_band
from people.line_ups import line_up_of
from people.models import LineUp
from setlists.changes import with_ways
from setlists.kept import KeptList, SetlistCompared, compared, keep_state, kept_list
from setlists.left import SetlistLeft, left_of_setlist
from setlists.match import Rows, match, set_gains, shown_match, songs_of
from setlists.models import Playlist, Setlist
from setlists.playlist import PlaylistShown, ask_playlist, call_off, file_of, shown_playlist
from setlists.printed import For, printed, table
from setlists.serializers import SetlistSerializer
from songs import guides
from songs.loud import known
from songs.models import Measurement
from songs.prepared import ask_preparation
from songs.tasks import ask_loudness
from upbeat.errors import refuse
from upbeat.limits import TITLE
from upbeat.mix.matching import checked_target


class MatchSongSerializer(serializers.Serializer):
    """``short_db``: how far the song stays under the target for the sake of its true peak."""

    song = serializers.CharField()
    title = serializers.CharField()
    state = serializers.CharField()
    message = serializers.CharField(allow_blank=True)
    gain_db = serializers.FloatField()
    lufs = serializers.FloatField(allow_null=True)
    peak_dbtp = serializers.FloatField(allow_null=True)
    proposed_db = serializers.FloatField(allow_null=True)
    after_lufs = serializers.FloatField(allow_null=True)
    after_peak_dbtp = serializers.FloatField(allow_null=True)
    short_db = serializers.FloatField()


class MatchSerializer(serializers.Serializer):
    """``reachable``: the loudest level that every song reaches with its true peak in bounds."""

    target = serializers.FloatField(allow_null=True)
    typed = serializers.BooleanField()
    reachable = serializers.FloatField(allow_null=True)
    ready = serializers.BooleanField()
    songs = MatchSongSerializer(many=True)


class SongGainSerializer(serializers.Serializer):
    song = serializers.CharField()
    gain_db = serializers.FloatField(allow_null=True)


class MatchAskedSerializer(serializers.Serializer):
    line_up = serializers.CharField(required=False, allow_null=True)
    target = serializers.CharField(required=False, allow_null=True, allow_blank=True)
    gains = SongGainSerializer(many=True, required=False)


class MatchedSerializer(MatchSerializer):
    before = SongGainSerializer(many=True)


_MATCH = [OpenApiParameter(name, OpenApiTypes.STR, required=False) for name in ("line_up", "target")]


class SetlistRevisionSerializer(serializers.Serializer):
    revision = serializers.IntegerField(required=False, min_value=0)


class KeepSerializer(serializers.Serializer):
    name = serializers.CharField(max_length=TITLE)


class BringBackSerializer(SetlistRevisionSerializer):
    """``way``: of the state (``kept`` lists them)."""

    way = serializers.CharField(max_length=60)


_WAY = OpenApiParameter("with", OpenApiTypes.STR, required=True)


def _read(kind: type[serializers.Serializer[Any]], request: Request) -> dict[str, Any]:
    asked = kind(data=request.data)
    asked.is_valid(raise_exception=True)
    return dict(asked.validated_data)


class SetlistViewSet(OfBand, viewsets.ModelViewSet):
    queryset = with_ways(
        Setlist.objects.prefetch_related(
            "entries__song__band", "entries__song__sections", "entries__song__forms", "entries__song__stems"
        )
    )
    serializer_class = SetlistSerializer

    @extend_schema(request=SetlistRevisionSerializer, responses=SetlistSerializer)
    @action(detail=True, methods=["post"])
    def undo(self, request: Request, pk: str) -> Response:
        """Take the last change back."""
        return self._travel(request, back=True)

    @extend_schema(request=SetlistRevisionSerializer, responses=SetlistSerializer)
    @action(detail=True, methods=["post"])
    def redo(self, request: Request, pk: str) -> Response:
        """Do again what was taken back last."""
        return self._travel(request, back=False)

    def _travel(self, request: Request, back: bool) -> Response:
        asked = SetlistRevisionSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        serializer = SetlistSerializer(context=self.get_serializer_context())
        setlist = serializer.travel(self.get_object(), asked.validated_data.get("revision"), back)
        return Response(serializer.to_representation(setlist))

    @extend_schema(request=None, responses=SetlistSerializer)
    @action(detail=True, methods=["post"])
    def prepare(self, request: Request, pk: str) -> Response:
        """Have every song prepared that is played in another key or tempo, and is not."""
        for entry in self.get_object().entries.all():
            if entry.song is not None:
                ask_preparation(entry.song, entry.change)
        return Response(self.get_serializer(self.get_object()).data)

    @extend_schema(responses={200: component(KeptList)})
    @action(detail=True)
    def kept(self, request: Request, pk: str) -> Response:
        """What the setlist can be compared with: states kept by hand, and as it was before each day of changes."""
        return Response(kept_list(self.get_object()))

    @extend_schema(request=KeepSerializer, responses={200: component(KeptList)})
    @kept.mapping.post
    def keep(self, request: Request, pk: str) -> Response:
        """Keep it as it is now, under a name."""
        setlist = self.get_object()
        keep_state(setlist, _read(KeepSerializer, request)["name"].strip(), request.user)
        return Response(kept_list(setlist))

    @extend_schema(parameters=[_WAY], responses={200: component(KeptList)})
    @kept.mapping.delete
    def forget(self, request: Request, pk: str) -> Response:
        """Delete a kept state."""
        setlist = self.get_object()
        setlist.kept_states.filter(pk=uuid_or_nil(query.text(request, "with").removeprefix("kept:"))).delete()
        return Response(kept_list(setlist))

    @extend_schema(parameters=[_WAY], responses={200: component(SetlistCompared)})
    @action(detail=True)
    def compared(self, request: Request, pk: str) -> Response:
        """What differs now from a kept state, from before a day, or from another setlist."""
        return Response(compared(self.get_object(), query.text(request, "with")))

    @extend_schema(request=BringBackSerializer, responses=SetlistSerializer)
    @action(detail=True, methods=["post"], url_path="bring-back")
    def bring_back(self, request: Request, pk: str) -> Response:
        """Make it what it was; undo takes that back."""
        asked = _read(BringBackSerializer, request)
        serializer = SetlistSerializer(context=self.get_serializer_context())
        setlist = serializer.bring_back(self.get_object(), asked.get("revision"), asked["way"])
        return Response(serializer.to_representation(setlist))

    @extend_schema(responses={200: component(SetlistLeft)})
    @action(detail=True, url_path="to-do")
    def to_do(self, request: Request, pk: str) -> Response:
        """What is left to do of it, worst first, and the steps from each song to the next."""
        return Response(left_of_setlist(self.get_object()))

    @extend_schema(responses=MatchSerializer, parameters=_MATCH)
    @action(detail=True)
    def loudness(self, request: Request, pk: str) -> Response:
        """Every song of the set as loud as it is in the house, and as it would be matched, once that was asked for."""
        line_up, typed = self._asked(request, request.query_params)
        return Response(shown_match(self._rows(line_up, known), line_up, asking_band(request), typed))

    @extend_schema(request=None, responses=MatchSerializer, parameters=_MATCH)
    @loudness.mapping.post
    def measure_loudness(self, request: Request, pk: str) -> Response:
        """Ask the worker how loud every song of the set is in the house."""
        line_up, typed = self._asked(request, request.query_params)
        return Response(shown_match(self._rows(line_up, ask_loudness), line_up, asking_band(request), typed))

    @extend_schema(request=MatchAskedSerializer, responses=MatchedSerializer)
    @action(detail=True, methods=["post"])
    def match(self, request: Request, pk: str) -> Response:
        """Make the songs of the set equally loud; with ``gains``, set those instead, to take a match back."""
        asked = MatchAskedSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        line_up, typed = self._asked(request, asked.validated_data)
        gains = asked.validated_data.get("gains")
        rows = self._rows(line_up, ask_loudness)
        if gains is not None:
            own = {str(song.pk) for song, _ in rows}
            before = set_gains(
                [(g["song"], g["gain_db"]) for g in gains if g["song"] in own],
                line_up,
                asking_band(request),
                request.user,
            )
        else:
            before = match(rows, line_up, asking_band(request), request.user, typed)
        return Response(
            {"before": before, **shown_match(self._rows(line_up, ask_loudness), line_up, asking_band(request), typed)}
        )

    def _asked(self, request: Request, body: Mapping[str, Any]) -> tuple[LineUp | None, float | None]:
        """The line-up and the target that are named. Raises :class:`Refused`."""
        line_up = line_up_of(asking_band(request), body.get("line_up"))
        return line_up, checked_target(body["target"]) if body.get("target") else None

    def _rows(self, line_up: LineUp | None, find: Callable[..., Measurement | None]) -> Rows:
        return [(song, find(song, form, line_up)) for song, form in songs_of(self.get_object())]

    @extend_schema(
        responses={(200, "application/pdf"): OpenApiTypes.BINARY},
        parameters=[OpenApiParameter("for", OpenApiTypes.STR, enum=["floor", "crew"], required=False)],
    )
    @action(detail=True)
    def print(self, request: Request, pk: str) -> HttpResponse:
        """The running order as PDF: ``floor`` in large type on one page, ``crew`` with times, tempo, key and notes."""
        setlist = self.get_serializer(self.get_object()).data
        what: For = "crew" if query.text(request, "for") == "crew" else "floor"
        return pdf_answer(printed(setlist, what), f"{setlist['name']} - {what}")

    @extend_schema(responses={(200, "text/csv"): OpenApiTypes.STR})
    @action(detail=True)
    def table(self, request: Request, pk: str) -> HttpResponse:
        """The running order as CSV."""
        setlist = self.get_serializer(self.get_object()).data
        named = content_disposition_header(True, f"{setlist['name']}.csv")
        return HttpResponse(
            table(setlist), content_type="text/csv; charset=utf-8", headers={"Content-Disposition": named}
        )

    @extend_schema(responses={200: component(PlaylistShown)})
    @action(detail=True)
    def playlist(self, request: Request, pk: str) -> Response:
        """Whether its songs have been made as sound files, and how far that is."""
        return Response(shown_playlist(self.get_object()))

    @extend_schema(request=None, responses={200: component(PlaylistShown)})
    @playlist.mapping.post
    def make_playlist(self, request: Request, pk: str) -> Response:
        """Make its songs as sound files, as the house hears them, with a playlist."""
        setlist = self.get_object()
        ask_playlist(setlist)
        return Response(shown_playlist(setlist))

    @extend_schema(responses={200: component(PlaylistShown)})
    @playlist.mapping.delete
    def call_off_playlist(self, request: Request, pk: str) -> Response:
        """End it, or delete what was made."""
        setlist = self.get_object()
        call_off(setlist)
        return Response(shown_playlist(setlist))

    @extend_schema(responses={(200, "application/zip"): OpenApiTypes.BINARY})
    @action(detail=True, url_path="playlist/file")
    def playlist_file(self, request: Request, pk: str) -> FileResponse:
        """The songs and their playlist, once they are made."""
        setlist = self.get_object()
        row = setlist.playlists.filter(state=Playlist.State.DONE).last()
        if row is None or not file_of(row).exists():
            raise refuse("playlist-none", "The songs have not been made as sound yet.")
        return FileResponse(open(file_of(row), "rb"), as_attachment=True, filename=f"{setlist.name}.zip")

    @extend_schema(
        responses={(200, "application/zip"): OpenApiTypes.BINARY},
        parameters=[OpenApiParameter(name, OpenApiTypes.STR, required=False) for name in ("what", "kind")],
    )
    @action(detail=True)
    def guides(self, request: Request, pk: str) -> FileResponse:
        """Click, cues or both of every song of the set, numbered in order, in one zip."""
        setlist = self.get_object()
        what, kind = guides.checked(query.text(request, "what") or "click", query.text(request, "kind") or "wav")
        songs = [(e.song, e.form or "full", e.change) for e in setlist.entries.all() if e.song is not None]
        if not songs:
            raise refuse("show-empty", f"“{setlist.name}” has no songs yet: put some in the setlist.")
        with written(lambda path: guides.write_all(songs, what, kind, setlist.name, path), "zip") as path:
            return FileResponse(
                open(path, "rb"),
                as_attachment=True,
                filename=f"{setlist.name} - {'click and cues' if what == 'both' else what}.zip",
            )
