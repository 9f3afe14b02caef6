"""Songs over the API: read whole, change by edits, undo, chart."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any
from urllib.parse import quote

from django.conf import settings
from django.core.exceptions import ValidationError
from django.db import transaction
from django.http import FileResponse, Http404, HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import mixins, serializers, status, viewsets
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response

from exchange.tasks import ask_comparison, ask_loudness, ask_measurement, ask_sections
from people.access import OfBand
from songs import build, divided, edits, grid, guides, seams, usual
from songs.answers import (
    ChartSerializer,
    ChordProSerializer,
    ClickPageSerializer,
    ComparedSerializer,
    CuesSerializer,
    EditSerializer,
    GridSerializer,
    HearingSerializer,
    LevelSerializer,
    NamesReadSerializer,
    NamesSerializer,
    NewSongSerializer,
    OnsetSerializer,
    RevisionSerializer,
    SeamSerializer,
    SheetSerializer,
    SongRowSerializer,
    SongSerializer,
    StripSerializer,
    TappedSerializer,
    TapsSerializer,
    TonightSerializer,
    UsualStemSerializer,
)
from songs.cues import shown_cues
from songs.loud import shown_level
from songs.models import Section, Song, UsualStem
from songs.printed import printed
from songs.rows import ROWS
from songs.sheet import line_up_of, shown_sheet, shown_tonight
from songs.shown import shown_changes, shown_row, shown_song
from songs.written import as_chordpro
from upbeat.errors import refuse
from upbeat.intake.names import clean_file_name, read_folder
from upbeat.listening.follow.tap import tapped
from upbeat.mix.matching import checked_target
from upbeat.song.side_by_side import side_by_side


def _ids(request: Request) -> list[str] | None:
    text = request.query_params.get("stems", "")
    return [part for part in text.split(",") if part][:64] or None


def _shown(song: Song) -> dict[str, Any]:
    """A song as it is answered; what is not compared yet is asked of the worker."""
    shown = shown_song(song)
    if not shown["findings"]["ready"]:
        ask_comparison(song)
    return shown


def _after(request: Request, change: Callable[[], Song]) -> dict[str, Any]:
    """A song as it is after a change, or what changed of it where that is asked; 404 for one of another band, or none."""
    try:
        song = change()
        if request.data.get("changes") is not True:
            return _shown(song)
        shown = shown_changes(song)
        if not shown.get("findings", {}).get("ready", True):
            ask_comparison(song)
        return shown
    except (Song.DoesNotExist, ValidationError):
        raise Http404 from None


def _whole(text: str | None) -> int:
    return int(text) if text and text.isascii() and text.isdigit() else 0


_LINE_UP, _FORM, _TARGET, _WHAT, _KIND = (
    OpenApiParameter(name, OpenApiTypes.STR, required=False) for name in ("line_up", "form", "target", "what", "kind")
)
# What of a click belongs to the bars and sections of one song.
OF_ONE_SONG = ("parts", "silent", "from_bar", "to_bar")


@contextmanager
def written(write: Callable[[Path], None], kind: str) -> Iterator[Path]:
    """A file made for an answer; it outlives its name once it is open."""
    folder = settings.VAR / "tmp"
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=folder) as temporary:
        path = Path(temporary) / f"made.{kind}"
        write(path)
        yield path


class SongViewSet(
    OfBand, mixins.ListModelMixin, mixins.RetrieveModelMixin, mixins.DestroyModelMixin, viewsets.GenericViewSet
):
    queryset = Song.objects.select_related("band").prefetch_related(*ROWS)
    serializer_class = SongSerializer

    def get_serializer_class(self) -> type[serializers.BaseSerializer]:
        return SongRowSerializer if self.action == "list" else SongSerializer

    def list(self, request: Request) -> Response:
        return Response([shown_row(song) for song in self.get_queryset()])

    def retrieve(self, request: Request, pk: str) -> Response:
        return Response(_shown(self.get_object()))

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
                edits.apply_edit(
                    song.pk, request.band, request.user, "set_meter", {"meter": asked.validated_data["meter"]}
                )
            song.edits.all().delete()
        return Response(_shown(self.get_queryset().get(pk=song.pk)), status=status.HTTP_201_CREATED)

    @extend_schema(request=EditSerializer, responses=SongSerializer)
    @action(detail=True, methods=["post"])
    def edits(self, request: Request, pk: str) -> Response:
        """One edit; answers the song as it is after it."""
        asked = EditSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        data = asked.validated_data
        return Response(
            _after(
                request,
                lambda: edits.apply_edit(
                    pk, request.band, request.user, data["do"], data.get("args") or {}, data.get("revision")
                ),
            )
        )

    @extend_schema(request=NamesSerializer, responses=NamesReadSerializer)
    @action(detail=False, methods=["post"], url_path="read-names")
    def read_names(self, request: Request) -> Response:
        """What the names of a folder and its files say of a song; nothing is made."""
        asked = NamesSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        folder = clean_file_name(asked.validated_data["folder"]) if asked.validated_data["folder"].strip() else ""
        read = read_folder(folder, [clean_file_name(f) for f in asked.validated_data["files"]])
        return Response(
            {
                "title": read.title.value,
                "title_sure": read.title.sure,
                "bpm": read.bpm.value if read.bpm else None,
                "bpm_sure": read.bpm.sure if read.bpm else 0.0,
                "stems": [{"file": s.file, "name": s.name, "group": s.group, "sure": s.sure} for s in read.stems],
            }
        )

    @extend_schema(request=None, responses=SongSerializer)
    @action(detail=True, methods=["delete"], url_path=r"offers/(?P<offer>[0-9a-f-]{36})")
    def dismiss_offer(self, request: Request, pk: str, offer: str) -> Response:
        """Do without what a file offered."""
        self.get_object().offers.filter(pk=offer).delete()
        return Response(_shown(self.get_object()))

    @extend_schema(
        responses=GridSerializer,
        parameters=[
            OpenApiParameter("stems", OpenApiTypes.STR, required=False),
            OpenApiParameter("again", OpenApiTypes.BOOL, required=False),
        ],
    )
    @action(detail=True)
    def grid(self, request: Request, pk: str) -> Response:
        """How far every bar line is from what is played, and what to do. Listening begins if it has not."""
        song = self.get_object()
        row = ask_measurement(song, _ids(request), request.query_params.get("again") == "true")
        return Response({"measurement": row.pk if row else None, **grid.shown_grid(song, row)})

    @extend_schema(
        responses=StripSerializer(many=True),
        parameters=[
            OpenApiParameter("stems", OpenApiTypes.STR, required=False),
            OpenApiParameter("bars", OpenApiTypes.STR),
        ],
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
        parameters=[
            OpenApiParameter("measurement", OpenApiTypes.INT),
            OpenApiParameter("bar", OpenApiTypes.INT),
            OpenApiParameter("after", OpenApiTypes.BOOL),
        ],
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
        return Response(_after(request, lambda: edits.undo(pk, request.band, request.data.get("revision"))))

    @extend_schema(request=RevisionSerializer, responses=SongSerializer)
    @action(detail=True, methods=["post"])
    def redo(self, request: Request, pk: str) -> Response:
        return Response(_after(request, lambda: edits.redo(pk, request.band, request.data.get("revision"))))

    @extend_schema(
        responses=ChartSerializer,
        parameters=[
            OpenApiParameter("form", OpenApiTypes.STR, required=False),
            OpenApiParameter("points", OpenApiTypes.INT, required=False),
        ],
    )
    @action(detail=True)
    def chart(self, request: Request, pk: str) -> Response:
        """Every bar with its time, metre and sound, and where calls are spoken; ``points``: peaks in a bar."""
        points = min(build.MOST_POINTS, _whole(request.query_params.get("points"))) or build.SOUND_POINTS
        return Response(build.chart(self.get_object(), request.query_params.get("form") or None, points))

    @extend_schema(responses=HearingSerializer)
    @action(detail=True, url_path="heard-sections")
    def heard_sections(self, request: Request, pk: str) -> Response:
        """Where sections are heard to begin, each with its reason. Listening begins if it has not."""
        return Response(divided.shown_hearing(ask_sections(self.get_object())))

    @extend_schema(
        responses=SeamSerializer(many=True), parameters=[OpenApiParameter("form", OpenApiTypes.STR, required=False)]
    )
    @action(detail=True)
    def seams(self, request: Request, pk: str) -> Response:
        """Every join of a form, the likeliest to be heard first."""
        return Response(seams.shown_seams(self.get_object(), request.query_params.get("form") or None))

    @extend_schema(
        responses=SeamSerializer,
        parameters=[OpenApiParameter("old", OpenApiTypes.STR), OpenApiParameter("new", OpenApiTypes.STR)],
    )
    @action(detail=True)
    def seam(self, request: Request, pk: str) -> Response:
        """The join of any two sections."""
        return Response(
            seams.asked_seam(
                self.get_object(), request.query_params.get("old", ""), request.query_params.get("new", "")
            )
        )

    @extend_schema(responses=ComparedSerializer)
    @action(detail=True)
    def compared(self, request: Request, pk: str) -> Response:
        """The forms of a song side by side, the same steps in one row."""
        forms = build.core_song(self.get_object()).forms
        return Response(
            {"forms": [f.id for f in forms], "rows": side_by_side([[s.section for s in f.steps] for f in forms])}
        )

    @extend_schema(responses=ChordProSerializer)
    @action(detail=True)
    def chordpro(self, request: Request, pk: str) -> Response:
        """The chart as ChordPro text."""
        return Response({"text": as_chordpro(self.get_object())})

    @extend_schema(
        responses={(200, "application/pdf"): OpenApiTypes.BINARY},
        parameters=[
            OpenApiParameter("form", OpenApiTypes.STR, required=False),
            OpenApiParameter("words", OpenApiTypes.BOOL, required=False),
        ],
    )
    @action(detail=True, url_path="print")
    def print(self, request: Request, pk: str) -> HttpResponse:
        """The chart on paper, A4, for the music stands."""
        song = self.get_object()
        pdf = printed(song, request.query_params.get("form") or None, request.query_params.get("words") != "false")
        name = quote(f"{song.title}.pdf")
        return HttpResponse(
            pdf, content_type="application/pdf", headers={"Content-Disposition": f"inline; filename*=UTF-8''{name}"}
        )

    @extend_schema(responses=SheetSerializer)
    @action(detail=True)
    def sheet(self, request: Request, pk: str) -> Response:
        """What the file of each stem holds in each section."""
        return Response(shown_sheet(self.get_object()))

    @extend_schema(responses=TonightSerializer, parameters=[_LINE_UP])
    @action(detail=True)
    def tonight(self, request: Request, pk: str) -> Response:
        """What sounds with a line-up, what would be missing, what is worth a look."""
        return Response(shown_tonight(self.get_object(), line_up_of(request.band, request.query_params.get("line_up"))))

    @extend_schema(responses=LevelSerializer, parameters=[_LINE_UP, _FORM, _TARGET])
    @action(detail=True)
    def level(self, request: Request, pk: str) -> Response:
        """How loud the song is in the house with a line-up; measured in the worker where it has not been."""
        song = self.get_object()
        line_up = line_up_of(request.band, request.query_params.get("line_up"))
        typed = request.query_params.get("target")
        target = checked_target(typed) if typed else request.band.target_lufs
        row = ask_loudness(song, request.query_params.get("form") or "full", line_up)
        return Response(shown_level(song, row, line_up, target))

    @extend_schema(responses=ClickPageSerializer)
    @action(detail=True)
    def click(self, request: Request, pk: str) -> Response:
        """The click of the song: the band's and its own, with a pattern for each time signature."""
        return Response(guides.shown_click(self.get_object()))

    @extend_schema(responses=CuesSerializer, parameters=[_FORM])
    @action(detail=True)
    def cues(self, request: Request, pk: str) -> Response:
        """Every word that is spoken in a form of the song, where, and what has to give way."""
        return Response(shown_cues(self.get_object(), request.query_params.get("form")))

    @extend_schema(request=None, responses=ClickPageSerializer)
    @action(detail=True, methods=["post"], url_path="keep-click")
    def keep_click(self, request: Request, pk: str) -> Response:
        """Make the sounds, levels and patterns of this song's click the band's, for every song that has none of its own."""
        song = self.get_object()
        band = song.band
        band.click = {**band.click, **{k: v for k, v in song.click.items() if k not in OF_ONE_SONG}}
        band.save(update_fields=["click"])
        return Response(guides.shown_click(song))

    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY}, parameters=[_WHAT, _KIND, _FORM])
    @action(detail=True)
    def guide(self, request: Request, pk: str) -> FileResponse:
        """Click, cues or both of the song, as sound with its count-in or as a MIDI file."""
        song = self.get_object()
        what, kind = guides.checked(request.query_params.get("what", "click"), request.query_params.get("kind", "wav"))
        with written(
            lambda path: guides.write_guide(
                song, request.query_params.get("form"), what, kind, path, guides.tags_of(song, what)
            ),
            kind,
        ) as path:
            return FileResponse(
                open(path, "rb"),
                as_attachment=True,
                filename=guides.name_of(song, what, kind),
                content_type=guides.KINDS[kind],
            )

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
        return Response(usual.shown(request.band))
