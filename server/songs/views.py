"""Songs over the API: read whole, change by edits, undo, chart."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.db import transaction
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema, extend_schema_field
from rest_framework import mixins, serializers, status, viewsets
from rest_framework.decorators import action
from rest_framework.generics import get_object_or_404
from rest_framework.request import Request
from rest_framework.response import Response

from exchange.tasks import ask_comparison, ask_measurement
from people.access import OfBand
from songs import build, edits, grid
from songs.heard import drawn, shown_findings, shown_together
from songs.models import Section, Song, Stem
from songs.offers import shown_offers
from upbeat.audio.inspect import facts
from upbeat.audio.measure import Measured
from upbeat.click.sounds import SOUNDS
from upbeat.errors import refuse
from upbeat.follow.tap import tapped
from upbeat.intake.names import clean_file_name, read_folder


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
    kind = serializers.ChoiceField(["attacca", "repeat", "vamp", "fine", "cut"])
    times = serializers.IntegerField(required=False)


class SectionSerializer(serializers.ModelSerializer):
    mark = serializers.CharField()
    first_bar = serializers.IntegerField()
    ending = EndingSerializer()

    class Meta:
        model = Section
        fields = ["id", "name", "mark", "first_bar", "bars", "colour", "cue", "ending"]


class FindingSerializer(serializers.Serializer):
    """What was found about a stem; ``value`` in ``unit``, ``sure`` from 0 to 1, ``bar`` where it is heard."""

    stem = serializers.CharField()
    code = serializers.CharField()
    severity = serializers.ChoiceField(["fault", "check", "note"])
    message = serializers.CharField()
    value = serializers.FloatField(allow_null=True)
    unit = serializers.CharField()
    sure = serializers.FloatField()
    mend = serializers.CharField(allow_null=True)
    state = serializers.ChoiceField(["open", "accepted", "mended"])
    bar = serializers.IntegerField()


class FindingsSerializer(serializers.Serializer):
    """``ready`` is false while the stems are still being compared with each other."""

    ready = serializers.BooleanField()
    list = FindingSerializer(many=True)


class TogetherSerializer(serializers.Serializer):
    """The song as its stems came, all of them together."""

    integrated_lufs = serializers.FloatField(allow_null=True)
    true_peak_dbtp = serializers.FloatField(allow_null=True)


class OfferedSectionSerializer(serializers.Serializer):
    bar = serializers.IntegerField()
    name = serializers.CharField()
    off_ms = serializers.FloatField()


class OfferSerializer(serializers.Serializer):
    """What a file says of the song, to be taken or dismissed."""

    id = serializers.CharField()
    kind = serializers.ChoiceField(["sections", "tempo_map", "facts"])
    source = serializers.CharField()
    title = serializers.CharField(allow_null=True)
    bpm = serializers.CharField(allow_null=True)
    sections = OfferedSectionSerializer(many=True)
    tempos = serializers.IntegerField()
    meters = serializers.IntegerField()
    worst_ms = serializers.FloatField()


class MeasuredSerializer(serializers.Serializer):
    """The file as it came; levels are null where there is no reading."""

    format = serializers.CharField()
    sample_rate = serializers.IntegerField()
    bit_depth = serializers.IntegerField(allow_null=True)
    true_peak_dbtp = serializers.FloatField(allow_null=True)
    sound_starts_s = serializers.FloatField(allow_null=True)
    sound_ends_s = serializers.FloatField(allow_null=True)
    end = serializers.ChoiceField(["clean", "fades", "cut", "silent"])


class StemSerializer(serializers.ModelSerializer):
    seconds = serializers.SerializerMethodField()
    channels = serializers.IntegerField(source="audio.channels")
    integrated_lufs = serializers.SerializerMethodField()
    covers_name = serializers.SerializerMethodField()
    sound = serializers.SerializerMethodField()
    measured = serializers.SerializerMethodField()

    class Meta:
        model = Stem
        fields = ["id", "name", "file_name", "group", "purpose", "covers", "covers_name", "gain_db", "pan", "invert", "muted", "delay_ms", "tacet",
                  "flip_side", "mono", "start_s", "end_s", "fade_in_s", "fade_out_s", "seconds", "channels", "integrated_lufs", "sound", "measured"]  # fmt: skip

    def get_seconds(self, stem: Stem) -> float:
        return round(stem.audio.frames / settings.SAMPLE_RATE, 3)

    def get_integrated_lufs(self, stem: Stem) -> float | None:
        return stem.audio.measured.get("integrated_lufs")

    def get_covers_name(self, stem: Stem) -> str | None:
        return stem.covers.name if stem.covers else None

    @extend_schema_field(MeasuredSerializer)
    def get_measured(self, stem: Stem) -> dict[str, Any]:
        return MeasuredSerializer(facts(Measured(**stem.audio.measured))).data

    @extend_schema_field(serializers.ListField(child=serializers.FloatField()))
    def get_sound(self, stem: Stem) -> list[float]:
        return drawn(stem.audio)


class StepSerializer(serializers.Serializer):
    section = serializers.CharField()
    ending = EndingSerializer()


class ClickSerializer(serializers.Serializer):
    accent = serializers.CharField(required=False)
    beat = serializers.CharField(required=False)
    division = serializers.CharField(required=False)
    count_in = serializers.CharField(required=False)
    gain_db = serializers.FloatField(required=False)
    divisions = serializers.IntegerField(required=False)


class FormSerializer(serializers.Serializer):
    id = serializers.CharField()
    name = serializers.CharField()
    steps = StepSerializer(many=True)


class SpanSerializer(serializers.Serializer):
    name = serializers.CharField()
    bars = serializers.IntegerField()
    colour = serializers.IntegerField()


class SongSerializer(serializers.ModelSerializer):
    tempo = TempoSerializer(many=True)
    meters = MeterSerializer(many=True)
    sections = serializers.SerializerMethodField()
    forms = serializers.SerializerMethodField()
    stems = StemSerializer(many=True)
    seconds = serializers.SerializerMethodField()
    bars = serializers.SerializerMethodField()
    can_undo = serializers.SerializerMethodField()
    can_redo = serializers.SerializerMethodField()
    click = ClickSerializer()
    click_sounds = serializers.SerializerMethodField()
    findings = serializers.SerializerMethodField()
    offers = serializers.SerializerMethodField()
    together = serializers.SerializerMethodField()

    class Meta:
        model = Song
        fields = ["id", "title", "key", "tempo", "meters", "bar1_s", "pickup", "count_in_bars", "count_in_aloud", "click", "click_sounds", "crossfade_ms", "ring_on_s", "calls",
                  "revision", "sections", "forms", "stems", "seconds", "bars", "can_undo", "can_redo", "findings", "offers", "together"]  # fmt: skip

    @extend_schema_field(SectionSerializer(many=True))
    def get_sections(self, song: Song) -> list[dict[str, Any]]:
        sections = list(song.sections.all())
        marks, first, shown = build.marks(len(sections)), 1, []
        for i, s in enumerate(sections):
            ending = build.ending_of(song, s, i == len(sections) - 1)
            shown.append({"id": str(s.pk), "name": s.name, "mark": marks[i], "first_bar": first, "bars": s.bars, "colour": s.colour, "cue": s.cue, "ending": ending})
            first += s.bars
        return shown

    @extend_schema_field(FormSerializer(many=True))
    def get_forms(self, song: Song) -> list[dict[str, Any]]:
        return build.song_document(song)["forms"]

    def get_seconds(self, song: Song) -> float:
        return build.facts(song)["seconds"]

    def get_bars(self, song: Song) -> int:
        return sum(s.bars for s in song.sections.all())

    def get_can_undo(self, song: Song) -> bool:
        return song.edits.filter(undone=False).exists()

    def get_can_redo(self, song: Song) -> bool:
        return song.edits.filter(undone=True).exists()

    @extend_schema_field(FindingsSerializer)
    def get_findings(self, song: Song) -> dict[str, Any]:
        shown = shown_findings(song)
        if not shown["ready"]:
            ask_comparison(song)
        return shown

    @extend_schema_field(TogetherSerializer(allow_null=True))
    def get_together(self, song: Song) -> dict[str, float | None] | None:
        return shown_together(song)

    @extend_schema_field(OfferSerializer(many=True))
    def get_offers(self, song: Song) -> list[dict[str, Any]]:
        return shown_offers(song)

    @extend_schema_field(serializers.ListField(child=serializers.CharField()))
    def get_click_sounds(self, song: Song) -> list[str]:
        return list(SOUNDS)


class SongRowSerializer(serializers.ModelSerializer):
    """A song in the list."""

    bpm = serializers.SerializerMethodField()
    meter = serializers.SerializerMethodField()
    stems = serializers.IntegerField(source="stems.count")
    bars = serializers.SerializerMethodField()
    seconds = serializers.SerializerMethodField()
    sections = serializers.SerializerMethodField()
    problem = serializers.SerializerMethodField()

    class Meta:
        model = Song
        fields = ["id", "title", "key", "bpm", "meter", "stems", "bars", "seconds", "sections", "problem"]

    def get_bpm(self, song: Song) -> str:
        return str(song.tempo[0]["bpm"])

    def get_meter(self, song: Song) -> str:
        return " · ".join(dict.fromkeys(m["meter"] for m in song.meters))

    def get_bars(self, song: Song) -> int:
        return sum(s.bars for s in song.sections.all())

    def get_seconds(self, song: Song) -> float:
        return build.facts(song)["seconds"]

    def get_problem(self, song: Song) -> str | None:
        return build.facts(song)["problem"]

    @extend_schema_field(SpanSerializer(many=True))
    def get_sections(self, song: Song) -> list[dict[str, Any]]:
        return [{"name": s.name, "bars": s.bars, "colour": s.colour} for s in song.sections.all()]


class NewSongSerializer(serializers.Serializer):
    title = serializers.CharField(max_length=120)
    bpm = serializers.CharField(max_length=20, required=False)
    meter = serializers.CharField(max_length=10, required=False)


class NamesSerializer(serializers.Serializer):
    """A folder's name ("" for none) and the names of its files."""

    folder = serializers.CharField(max_length=2000, allow_blank=True, trim_whitespace=False)
    files = serializers.ListField(child=serializers.CharField(max_length=2000, allow_blank=True, trim_whitespace=False), max_length=500)


class NamedStemSerializer(serializers.Serializer):
    file = serializers.CharField()
    name = serializers.CharField()
    group = serializers.CharField()
    sure = serializers.FloatField()


class NamesReadSerializer(serializers.Serializer):
    title = serializers.CharField()
    title_sure = serializers.FloatField()
    bpm = serializers.CharField(allow_null=True)
    bpm_sure = serializers.FloatField()
    stems = NamedStemSerializer(many=True)


class EditSerializer(serializers.Serializer):
    """``do`` names the edit; ``args`` are its own. ``revision``: what the page shows, so that no edit is lost."""

    do = serializers.CharField(max_length=40)
    args = serializers.DictField(required=False)
    revision = serializers.IntegerField(required=False)


class RevisionSerializer(serializers.Serializer):
    revision = serializers.IntegerField(required=False)


class BarSerializer(serializers.Serializer):
    bar = serializers.IntegerField()
    start_s = serializers.FloatField()
    end_s = serializers.FloatField()
    meter = serializers.CharField()
    grouping = serializers.ListField(child=serializers.IntegerField())
    bpm = serializers.FloatField()
    beats = serializers.IntegerField()
    sound = serializers.ListField(child=serializers.FloatField())


class GridBarSerializer(serializers.Serializer):
    """``off_ms``: heard after the click (positive); ``fit_ms``: heard after the grid that is proposed."""

    bar = serializers.IntegerField()
    seconds = serializers.FloatField()
    off_ms = serializers.FloatField(allow_null=True)
    fit_ms = serializers.FloatField(allow_null=True)
    sure = serializers.FloatField()


class GridProposalSerializer(serializers.Serializer):
    """What is wrong with the grid and what can be taken; ``factor``: heard over typed."""

    first_bar = serializers.IntegerField()
    last_bar = serializers.IntegerField()
    first_ms = serializers.FloatField()
    last_ms = serializers.FloatField()
    low_ms = serializers.FloatField()
    high_ms = serializers.FloatField()
    worst_after_ms = serializers.FloatField()
    factor = serializers.FloatField()
    ways = serializers.ListField(child=serializers.CharField())
    unsure = serializers.BooleanField()
    bar_unsure = serializers.BooleanField()
    metre = serializers.CharField(allow_null=True)
    doubtful = serializers.ListField(child=serializers.IntegerField())
    typed = serializers.FloatField()
    heard = serializers.FloatField()
    steady = serializers.BooleanField()
    unnamed = serializers.IntegerField()
    sentence = serializers.CharField()


class GridSerializer(serializers.Serializer):
    """``state``: none, working, done or refused; ``strips``: the bars that are farthest off."""

    measurement = serializers.IntegerField(allow_null=True)
    state = serializers.CharField()
    progress = serializers.FloatField()
    message = serializers.CharField()
    stems = serializers.ListField(child=serializers.CharField())
    bars = GridBarSerializer(many=True)
    strips = serializers.ListField(child=serializers.IntegerField())
    pins = serializers.ListField(child=serializers.IntegerField())
    heard_beats = serializers.IntegerField()
    confidence = serializers.FloatField()
    proposal = GridProposalSerializer(allow_null=True)


class StripSerializer(serializers.Serializer):
    bar = serializers.IntegerField()
    seconds = serializers.FloatField()
    low = serializers.ListField(child=serializers.FloatField())
    high = serializers.ListField(child=serializers.FloatField())


class TapsSerializer(serializers.Serializer):
    seconds = serializers.ListField(child=serializers.FloatField(), max_length=200)


class TappedSerializer(serializers.Serializer):
    bpm = serializers.FloatField()
    within = serializers.FloatField()


class OnsetSerializer(serializers.Serializer):
    by_ms = serializers.FloatField()


class CallSerializer(serializers.Serializer):
    bar = serializers.IntegerField()
    text = serializers.CharField()


class ChartSerializer(serializers.Serializer):
    bars = BarSerializer(many=True)
    calls = CallSerializer(many=True)
    seconds = serializers.FloatField()
    form_bars = serializers.IntegerField()


def _ids(request: Request) -> list[str] | None:
    text = request.query_params.get("stems", "")
    return [part for part in text.split(",") if part][:64] or None


def _whole(text: str | None) -> int:
    return int(text) if text and text.isascii() and text.isdigit() else 0


class SongViewSet(OfBand, mixins.ListModelMixin, mixins.RetrieveModelMixin, mixins.DestroyModelMixin, viewsets.GenericViewSet):
    queryset = Song.objects.select_related("band").prefetch_related(*build.ROWS)
    serializer_class = SongSerializer

    def get_serializer_class(self) -> type[serializers.BaseSerializer]:
        return SongRowSerializer if self.action == "list" else SongSerializer

    @extend_schema(request=NewSongSerializer, responses={201: SongSerializer})
    def create(self, request: Request) -> Response:
        asked = NewSongSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        with transaction.atomic():
            song = Song.objects.create(band=request.band, title=asked.validated_data["title"].strip())
            Section.objects.create(song=song, position=0, name="Song", bars=32)
            if asked.validated_data.get("bpm"):
                edits.apply_edit(song.pk, request.band, request.user, "set_tempo", {"bpm": asked.validated_data["bpm"]})
            if asked.validated_data.get("meter"):
                edits.apply_edit(song.pk, request.band, request.user, "set_meter", {"meter": asked.validated_data["meter"]})
            song.edits.all().delete()
        return Response(self._shown(song.pk), status=status.HTTP_201_CREATED)

    def _of_band(self, pk: str) -> None:
        """404 for a song of another band; its rows are read by the edit itself."""
        get_object_or_404(Song.objects.filter(band=self.request.band), pk=pk)

    def _shown(self, pk: Any) -> dict[str, Any]:
        return SongSerializer(self.get_queryset().get(pk=pk)).data

    @extend_schema(request=EditSerializer, responses=SongSerializer)
    @action(detail=True, methods=["post"])
    def edits(self, request: Request, pk: str) -> Response:
        """One edit; answers the song as it is after it."""
        self._of_band(pk)
        asked = EditSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        data = asked.validated_data
        return Response(SongSerializer(edits.apply_edit(pk, request.band, request.user, data["do"], data.get("args") or {}, data.get("revision"))).data)

    @extend_schema(request=NamesSerializer, responses=NamesReadSerializer)
    @action(detail=False, methods=["post"], url_path="read-names")
    def read_names(self, request: Request) -> Response:
        """What the names of a folder and its files say of a song; nothing is made."""
        asked = NamesSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        folder = clean_file_name(asked.validated_data["folder"]) if asked.validated_data["folder"].strip() else ""
        read = read_folder(folder, [clean_file_name(f) for f in asked.validated_data["files"]])
        return Response({
            "title": read.title.value, "title_sure": read.title.sure, "bpm": read.bpm.value if read.bpm else None, "bpm_sure": read.bpm.sure if read.bpm else 0.0,
            "stems": [{"file": s.file, "name": s.name, "group": s.group, "sure": s.sure} for s in read.stems],
        })  # fmt: skip

    @extend_schema(request=None, responses=SongSerializer)
    @action(detail=True, methods=["delete"], url_path=r"offers/(?P<offer>[0-9a-f-]{36})")
    def dismiss_offer(self, request: Request, pk: str, offer: str) -> Response:
        """Do without what a file offered."""
        self.get_object().offers.filter(pk=offer).delete()
        return Response(self._shown(pk))

    @extend_schema(responses=GridSerializer, parameters=[OpenApiParameter("stems", OpenApiTypes.STR, required=False), OpenApiParameter("again", OpenApiTypes.BOOL, required=False)])
    @action(detail=True)
    def grid(self, request: Request, pk: str) -> Response:
        """How far every bar line is from what is played, and what to do. Listening begins if it has not."""
        song = self.get_object()
        row = ask_measurement(song, _ids(request), request.query_params.get("again") == "true")
        return Response({"measurement": row.pk if row else None, **grid.shown_grid(song, row)})

    @extend_schema(
        responses=StripSerializer(many=True), parameters=[OpenApiParameter("stems", OpenApiTypes.STR, required=False), OpenApiParameter("bars", OpenApiTypes.STR)]
    )
    @action(detail=True)
    def strips(self, request: Request, pk: str) -> Response:
        """Real sound around bar lines of the click, ±120 ms."""
        song = self.get_object()
        stems = grid.chosen_stems(song, _ids(request))
        bars = [int(b) for b in request.query_params.get("bars", "").split(",") if b.isascii() and b.isdigit()][:16]
        return Response([grid.strip(song, stems, b) for b in bars])

    @extend_schema(
        responses=OnsetSerializer,
        parameters=[OpenApiParameter("measurement", OpenApiTypes.INT), OpenApiParameter("bar", OpenApiTypes.INT), OpenApiParameter("after", OpenApiTypes.BOOL)],
    )
    @action(detail=True)
    def onset(self, request: Request, pk: str) -> Response:
        """How far the next (or previous) onset lies from a bar line of the click, in ms."""
        song = self.get_object()
        row = song.measurements.filter(pk=_whole(request.query_params.get("measurement")), state="done").first()
        if row is None:
            raise refuse("measurement-gone", "What was heard is no longer there: listen again.")
        line = float(build.core_song(song).grid.bar_seconds(max(1, _whole(request.query_params.get("bar")))))
        at = grid.onset_near(row, line, request.query_params.get("after") == "true")
        return Response({"by_ms": round((at - line) * 1000, 2)})

    @extend_schema(request=TapsSerializer, responses=TappedSerializer)
    @action(detail=False, methods=["post"])
    def tap(self, request: Request) -> Response:
        """A tempo from the times of taps, and how exact it is."""
        asked = TapsSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        bpm, within = tapped(asked.validated_data["seconds"])
        return Response({"bpm": round(bpm, 3), "within": round(within, 3)})

    @extend_schema(request=RevisionSerializer, responses=SongSerializer)
    @action(detail=True, methods=["post"])
    def undo(self, request: Request, pk: str) -> Response:
        self._of_band(pk)
        return Response(SongSerializer(edits.undo(pk, request.band, request.data.get("revision"))).data)

    @extend_schema(request=RevisionSerializer, responses=SongSerializer)
    @action(detail=True, methods=["post"])
    def redo(self, request: Request, pk: str) -> Response:
        self._of_band(pk)
        return Response(SongSerializer(edits.redo(pk, request.band, request.data.get("revision"))).data)

    @extend_schema(responses=ChartSerializer, parameters=[OpenApiParameter("form", OpenApiTypes.STR, required=False)])
    @action(detail=True)
    def chart(self, request: Request, pk: str) -> Response:
        """Every bar with its time, metre and sound, and where calls are spoken."""
        return Response(build.chart(self.get_object(), request.query_params.get("form") or None))
