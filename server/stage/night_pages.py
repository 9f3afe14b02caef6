"""The pages of nights: what was played, on the screen and on paper, and forms made of it."""

from __future__ import annotations

from typing import Any, TypedDict

from django.http import HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from api.printing import pdf_answer
from api.typed import component
from people.access import asking_band
from songs import edits
from stage.night_printed import printed
from stage.nights import path_of
from stage.told import NightTold, SongTimes, night_told, steps_played, times_taken
from upbeat.limits import NAME
from upbeat.song.forms import Step


class TimesTaken(TypedDict):
    songs: list[SongTimes]


class FormOfNightSerializer(serializers.Serializer):
    """``entry``: of the night, from 0; ``name``: what the form is to be called."""

    entry = serializers.IntegerField(min_value=0)
    name = serializers.CharField(max_length=NAME)


class FormMade(TypedDict):
    song: str
    form: str


class NightReportView(APIView):
    @extend_schema(operation_id="night_report", responses={200: component(NightTold)})
    def get(self, request: Request, name: str) -> Response:
        """What was played in a night."""
        band = asking_band(request)
        return Response(night_told(band, path_of(band, name)))


class NightPrintView(APIView):
    @extend_schema(operation_id="night_print", responses={(200, "application/pdf"): OpenApiTypes.BINARY})
    def get(self, request: Request, name: str) -> HttpResponse:
        """What was played in a night, on paper."""
        band = asking_band(request)
        told = night_told(band, path_of(band, name))
        return pdf_answer(printed(told), told["title"])


class NightFormView(APIView):
    @extend_schema(operation_id="night_form", request=FormOfNightSerializer, responses={200: component(FormMade)})
    def post(self, request: Request, name: str) -> Response:
        """Make a form of a song of what was played of it in a night; it is taken back on the song's page."""
        band = asking_band(request)
        asked = FormOfNightSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        song, steps = steps_played(band, path_of(band, name), asked.validated_data["entry"])
        wanted = asked.validated_data["name"]
        made = edits.apply_edit(
            song.pk, band, request.user, "set_form", {"name": wanted, "steps": [_arguments(s) for s in steps]}
        )
        form = next(f for f in made.held.forms if f.name == wanted.strip())
        return Response(FormMade(song=str(song.pk), form=form.id))


class TimesView(APIView):
    @extend_schema(operation_id="night_times", responses={200: component(TimesTaken)})
    def get(self, request: Request) -> Response:
        """How long each song really took, night by night."""
        return Response(TimesTaken(songs=times_taken(asking_band(request))))


def _arguments(step: Step) -> dict[str, Any]:
    return {
        "section": step.section,
        "ending": {"kind": step.ending.kind, "times": step.ending.times},
        "cue": step.cue,
        "tacet": sorted(step.tacet),
        "first": step.first,
        "bars": step.bars,
    }
