"""A song: read whole, changed by edits, undone."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, get_args

from django.core.exceptions import ValidationError
from django.db import transaction
from django.http import Http404
from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import mixins, serializers, status, viewsets
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response

from api.query import body_of
from api.typed import component
from people.access import OfBand, asking_band
from songs import edits
from songs.build import core_song
from songs.edits.described import EDIT_REQUEST
from songs.models import Section, Song
from songs.pages.stem import StemSerializer
from songs.rows import ROWS, SECTION_FIELDS
from songs.shown import SHOWN_FIELDS, shown_changes, shown_rows, shown_song
from songs.summary import keep_summary
from songs.tasks import ask_comparison
from upbeat import limits
from upbeat.errors import refuse
from upbeat.show.to_do import Code, Severity
from upbeat.song.forms import ENDINGS
from upbeat.song.screen import Screen

BARS_AROUND = 8  # of a song that goes on until it is stopped


class TempoSerializer(serializers.Serializer):
    bar = serializers.IntegerField()
    bpm = serializers.CharField()
    unit = serializers.CharField(required=False)
    ramp = serializers.BooleanField(required=False)


class MeterSerializer(serializers.Serializer):
    bar = serializers.IntegerField()
    meter = serializers.CharField()
    grouping = serializers.ListField(child=serializers.IntegerField(), required=False)


class EndingSerializer(serializers.Serializer):
    kind = serializers.ChoiceField(list(ENDINGS))
    times = serializers.IntegerField(required=False)


class SectionSerializer(serializers.ModelSerializer):
    mark = serializers.CharField()
    first_bar = serializers.IntegerField()
    ending = EndingSerializer()

    class Meta:
        model = Section
        fields = ["id", "mark", "first_bar", *SECTION_FIELDS, "ending"]


class FindingSerializer(serializers.Serializer):
    """What was found about a stem; ``value`` in ``unit``, ``sure`` from 0 to 1, ``at_s`` where it is heard."""

    stem = serializers.CharField()
    code = serializers.CharField()
    severity = serializers.ChoiceField(["fault", "check", "note"])
    message = serializers.CharField()
    value = serializers.FloatField(allow_null=True)
    unit = serializers.CharField()
    sure = serializers.FloatField()
    mend = serializers.CharField(allow_null=True)
    state = serializers.ChoiceField(["open", "accepted", "mended"])
    at_s = serializers.FloatField()


class FindingsSerializer(serializers.Serializer):
    """``ready`` is false while the stems are still being compared with each other."""

    ready = serializers.BooleanField()
    list = FindingSerializer(many=True)


class TogetherSerializer(serializers.Serializer):
    """The song as its stems came, all of them together."""

    integrated_lufs = serializers.FloatField(allow_null=True)
    true_peak_dbtp = serializers.FloatField(allow_null=True)


class ToDoSerializer(serializers.Serializer):
    """What is left to do of a song (``upbeat.show.to_do.ToDo``)."""

    code = serializers.ChoiceField(list(get_args(Code)))
    severity = serializers.ChoiceField(list(get_args(Severity)))
    count = serializers.IntegerField()
    of = serializers.CharField(allow_blank=True)
    name = serializers.CharField(allow_blank=True)


class OfferedSectionSerializer(serializers.Serializer):
    bar = serializers.IntegerField()
    name = serializers.CharField()
    off_ms = serializers.FloatField()


class OfferSerializer(serializers.Serializer):
    """What a file says of the song, to be taken or dismissed."""

    id = serializers.CharField()
    kind = serializers.ChoiceField(["sections", "tempo_map", "facts"])
    source = serializers.CharField()  # type: ignore[assignment]  # a name that DRF has for something else
    title = serializers.CharField(allow_null=True)
    bpm = serializers.CharField(allow_null=True)
    sections = OfferedSectionSerializer(many=True)
    tempos = serializers.IntegerField()
    meters = serializers.IntegerField()
    worst_ms = serializers.FloatField()


class StepSerializer(serializers.Serializer):
    section = serializers.CharField()
    ending = EndingSerializer()
    cue = serializers.CharField(required=False)
    tacet = serializers.ListField(child=serializers.CharField(), required=False)
    first = serializers.IntegerField(required=False)
    bars = serializers.IntegerField(required=False)


class ClickSerializer(serializers.Serializer):
    accent = serializers.CharField(required=False)
    beat = serializers.CharField(required=False)
    division = serializers.CharField(required=False)
    count_in = serializers.CharField(required=False)
    gain_db = serializers.FloatField(required=False)
    divisions = serializers.IntegerField(required=False)
    pitches = serializers.DictField(child=serializers.FloatField(), required=False)
    levels = serializers.DictField(child=serializers.FloatField(), required=False)
    patterns = serializers.DictField(child=serializers.CharField(), required=False)
    parts = serializers.DictField(child=serializers.IntegerField(), required=False)
    silent = serializers.ListField(child=serializers.CharField(), required=False)
    from_bar = serializers.IntegerField(required=False)
    to_bar = serializers.IntegerField(required=False, allow_null=True)


class FormSerializer(serializers.Serializer):
    """A form with its length, repeats included and a vamp counted once."""

    id = serializers.CharField()
    name = serializers.CharField()
    steps = StepSerializer(many=True)
    bars = serializers.IntegerField()
    seconds = serializers.FloatField()


class SpanSerializer(serializers.Serializer):
    name = serializers.CharField()
    bars = serializers.IntegerField()
    colour = serializers.IntegerField()


class CueSerializer(serializers.Serializer):
    bar = serializers.IntegerField()
    beat = serializers.IntegerField()
    text = serializers.CharField()


class EdgesSerializer(serializers.Serializer):
    """How the recording begins and ends (upbeat.song.song.Edges)."""

    start_s = serializers.FloatField(required=False, allow_null=True)
    fade_in_s = serializers.FloatField(required=False)
    end_bar = serializers.IntegerField(required=False, allow_null=True)
    fade_out_s = serializers.FloatField(required=False)
    hold_s = serializers.FloatField(required=False)


@extend_schema_field(component(Screen))
class ScreenField(serializers.JSONField):
    """What screens for the audience show (``upbeat.song.screen``)."""


class SongSerializer(serializers.ModelSerializer):
    """A song with all that belongs to it. ``chords``: what is written in each bar."""

    tempo = TempoSerializer(many=True)
    meters = MeterSerializer(many=True)
    sections = SectionSerializer(many=True)
    forms = FormSerializer(many=True)
    stems = StemSerializer(many=True)
    chords = serializers.ListField(child=serializers.CharField(allow_blank=True))
    seconds = serializers.FloatField()
    bars = serializers.IntegerField()
    can_undo = serializers.BooleanField()
    can_redo = serializers.BooleanField()
    click = ClickSerializer()
    click_sounds = serializers.ListField(child=serializers.CharField())
    findings = FindingsSerializer()
    offers = OfferSerializer(many=True)
    together = TogetherSerializer(allow_null=True)
    edges = EdgesSerializer()
    cues = CueSerializer(many=True)
    screen = ScreenField()
    to_do = ToDoSerializer(many=True)

    class Meta:
        model = Song
        fields = [
            "id",
            *SHOWN_FIELDS,
            "to_do",
            "chords",
            "click_sounds",
            "revision",
            "sections",
            "forms",
            "stems",
            "seconds",
            "bars",
            "can_undo",
            "can_redo",
            "findings",
            "offers",
            "together",
        ]


class SongRowSerializer(serializers.ModelSerializer):
    """A song in the list."""

    bpm = serializers.CharField()
    meter = serializers.CharField()
    stems = serializers.IntegerField()
    bars = serializers.IntegerField()
    seconds = serializers.FloatField()
    sections = SpanSerializer(many=True)
    problem = serializers.CharField(allow_null=True)
    to_do = ToDoSerializer(many=True)

    class Meta:
        model = Song
        fields = ["id", "title", "key", "bpm", "meter", "stems", "bars", "seconds", "sections", "problem", "to_do"]


def _length(song: Song, data: dict[str, Any]) -> list[tuple[str, dict[str, Any]]]:
    """The edits that make a new song as long as it was asked to be."""
    if data["until_stopped"]:
        section = str(song.sections.get().pk)
        around = {"section": section, "kind": "vamp"}
        return [("set_length", {"bars": BARS_AROUND}), ("set_ending", around), ("set_facts", {"calls": False})]
    if data.get("seconds") is None:
        return []
    bars = core_song(Song.objects.get(pk=song.pk)).grid.bars_to_cover(data["seconds"])
    return [("set_length", {"bars": bars})]


class NewSongSerializer(serializers.Serializer):
    """``seconds``: how long it is to last, in whole bars; ``until_stopped``: its bars go round and round (rule C5)."""

    title = serializers.CharField(max_length=limits.TITLE)
    bpm = serializers.CharField(max_length=20, required=False)
    meter = serializers.CharField(max_length=limits.METER, required=False)
    seconds = serializers.FloatField(
        required=False, min_value=limits.SONG_S.low, max_value=limits.SONG_S.high, allow_null=True
    )
    until_stopped = serializers.BooleanField(default=False)


class RevisionSerializer(serializers.Serializer):
    revision = serializers.IntegerField(required=False)
    changes = serializers.BooleanField(required=False)


class SongPages(OfBand, viewsets.GenericViewSet):
    """What every page of a song has: the song by its id, of the own band."""

    queryset = Song.objects.select_related("band").prefetch_related(*ROWS)


def answered(song: Song, changes: bool = False) -> dict[str, Any]:
    """A song as it is after a change, or the parts that changed; stems that are new are compared in the worker."""
    shown = shown_changes(song) if changes else shown_song(song)
    if not shown.get("findings", {}).get("ready", True):
        ask_comparison(song)
    return shown


def _changed(request: Request, change: Callable[[], Song]) -> Response:
    """The answer to a change; 404 for a song of another band, or none."""
    try:
        return Response(answered(change(), body_of(request).get("changes") is True))
    except (Song.DoesNotExist, ValidationError):
        raise Http404 from None


class SongViewSet(mixins.ListModelMixin, mixins.RetrieveModelMixin, mixins.DestroyModelMixin, SongPages):
    serializer_class = SongSerializer

    def get_serializer_class(self) -> type[serializers.BaseSerializer]:
        return SongRowSerializer if self.action == "list" else SongSerializer

    def list(self, request: Request) -> Response:
        return Response(shown_rows(asking_band(request)))

    def retrieve(self, request: Request, pk: str) -> Response:
        return Response(shown_song(self.get_object()))

    @extend_schema(request=NewSongSerializer, responses={201: SongSerializer})
    def create(self, request: Request) -> Response:
        asked = NewSongSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        data = asked.validated_data
        with transaction.atomic():
            song = Song.objects.create(band=asking_band(request), title=data["title"].strip())
            Section.objects.create(song=song, position=0, name="Song", bars=32)
            for do, name in (("set_tempo", "bpm"), ("set_meter", "meter")):
                if data.get(name):
                    edits.apply_edit(song.pk, asking_band(request), request.user, do, {name: data[name]})
            for do, args in _length(song, data):
                edits.apply_edit(song.pk, asking_band(request), request.user, do, args)
            song.edits.all().delete()
            # What was typed at first is no look at the grid of stems that come later.
            Song.objects.filter(pk=song.pk).update(seen=[])
            keep_summary(song.pk)
        made = self.get_queryset().get(pk=song.pk)
        return Response(answered(made), status=status.HTTP_201_CREATED)

    @extend_schema(request={"application/json": component(EDIT_REQUEST)}, responses=SongSerializer)
    @action(detail=True, methods=["post"])
    def edits(self, request: Request, pk: str) -> Response:
        """One edit; answers the song as it is after it, or with ``changes`` the parts that changed."""
        body = body_of(request)
        do, args = body.get("do"), body.get("args") or {}
        if not isinstance(do, str) or not isinstance(args, dict):
            raise refuse("edit-incomplete", "An edit needs “do”, its name, and “args”, an object.")
        revision = _revision(request)
        return _changed(request, lambda: edits.apply_edit(pk, asking_band(request), request.user, do, args, revision))

    @extend_schema(request=RevisionSerializer, responses=SongSerializer)
    @action(detail=True, methods=["post"])
    def undo(self, request: Request, pk: str) -> Response:
        revision = _revision(request)
        return _changed(request, lambda: edits.undo(pk, asking_band(request), revision))

    @extend_schema(request=RevisionSerializer, responses=SongSerializer)
    @action(detail=True, methods=["post"])
    def redo(self, request: Request, pk: str) -> Response:
        revision = _revision(request)
        return _changed(request, lambda: edits.redo(pk, asking_band(request), revision))


def _revision(request: Request) -> int | None:
    """The revision that a page shows. Raises a validation error for what is no number."""
    asked = RevisionSerializer(data=request.data)
    asked.is_valid(raise_exception=True)
    return asked.validated_data.get("revision")
