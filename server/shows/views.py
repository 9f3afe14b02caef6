"""Shows over the API: making them, saving them as bundles."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from urllib.parse import quote

from django.conf import settings
from django.http import FileResponse, HttpResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, viewsets
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response

from api import query
from api.files import plain_name, written
from api.printing import pdf_answer
from api.typed import component
from outputs.models import Rig
from people.access import BandRelated, OfBand
from people.models import LineUp
from setlists.models import Setlist
from shows.build import save_bundle, show_document
from shows.dress_runs import DressRunShown, ShownFault, shown
from shows.mends import mend
from shows.models import DressRun, Show
from shows.other_rig import Folded, InMono, losses_in_mono, proposal, take
from shows.sheets import labels_pdf, sheet_pdf, sheet_table
from shows.tasks import ask_dress_run
from shows.why import WhyShown, why_in
from upbeat.cues.speech import speak
from upbeat.cues.voice import Voice
from upbeat.errors import refuse
from upbeat.limits import BARS, ENTRIES, REASON, SOCKETS


class ShowSerializer(serializers.ModelSerializer):
    setlist = BandRelated(queryset=Setlist.objects.all())
    rig = BandRelated(queryset=Rig.objects.all())
    line_up = BandRelated(queryset=LineUp.objects.all(), allow_null=True, required=False)
    setlist_name = serializers.CharField(source="setlist.name", read_only=True)
    rig_name = serializers.CharField(source="rig.name", read_only=True)

    class Meta:
        model = Show
        fields = ["id", "title", "setlist", "rig", "date", "line_up", "voice", "desk_note", "setlist_name", "rig_name"]

    def validate_voice(self, name: str) -> str:
        """A voice that speaks here, or none for the band's. Raises :class:`Refused`."""
        if name:
            speak("one", Voice(name=name), settings.SAMPLE_RATE)
        return name


class LeaveSerializer(serializers.Serializer):
    """``fault``: the key of one; ``reason``: why it is left as it is, "" where it is not any more."""

    fault = serializers.CharField(max_length=64)
    reason = serializers.CharField(max_length=REASON, allow_blank=True)


class MendSerializer(serializers.Serializer):
    fault = serializers.CharField(max_length=64)


class OtherRigSerializer(serializers.Serializer):
    """``rig``: one of the band's, or so many plain ``sockets``; ``take``: do it."""

    rig = BandRelated(queryset=Rig.objects.prefetch_related("sockets", "patches"), allow_null=True, required=False)
    sockets = serializers.IntegerField(default=2, min_value=int(SOCKETS.low), max_value=int(SOCKETS.high))
    take = serializers.BooleanField(default=False)


class WhyAskedSerializer(serializers.Serializer):
    """``of``: ``stem:ID``, click, cues or ``feed:ID``; ``entry`` and ``bar`` from 1."""

    of = serializers.CharField(max_length=80, required=False, allow_blank=True, default="")
    socket = serializers.IntegerField(min_value=int(SOCKETS.low), max_value=int(SOCKETS.high))
    entry = serializers.IntegerField(default=1, min_value=1, max_value=int(ENTRIES.high))
    bar = serializers.IntegerField(default=1, min_value=1, max_value=int(BARS.high))


class ShowViewSet(OfBand, viewsets.ModelViewSet):
    queryset = Show.objects.select_related("band", "setlist", "rig", "line_up")
    serializer_class = ShowSerializer

    @extend_schema(responses={(200, "application/zip"): OpenApiTypes.BINARY})
    @action(detail=True)
    def bundle(self, request: Request, pk: str) -> FileResponse:
        """The show as a bundle that ``upbeat bounce`` plays anywhere."""
        show = self.get_object()
        with written(lambda path: save_bundle(show, path), "zip") as path:
            return FileResponse(
                open(path, "rb"), as_attachment=True, filename=f"{plain_name(show.title, 'show')}.upbeat.zip"
            )

    @extend_schema(responses=OpenApiTypes.OBJECT)
    @action(detail=True)
    def document(self, request: Request, pk: str) -> Response:
        """The show document alone, for the stage page."""
        return Response(show_document(self.get_object())[0])

    @extend_schema(responses={200: component(DressRunShown)})
    @action(detail=True, url_path="dress-run")
    def dress_run(self, request: Request, pk: str) -> Response:
        """The newest dress run, and how far the one under way is."""
        return Response(shown(self.get_object()))

    @extend_schema(request=None, responses={200: component(DressRunShown)})
    @dress_run.mapping.post
    def begin_dress_run(self, request: Request, pk: str) -> Response:
        """Run it; songs that have not changed since the last time are not played again."""
        show = self.get_object()
        ask_dress_run(show)
        return Response(shown(show))

    @extend_schema(responses={200: component(DressRunShown)})
    @dress_run.mapping.delete
    def call_off_dress_run(self, request: Request, pk: str) -> Response:
        """End the run that is under way; the one before it stays."""
        show = self.get_object()
        show.dress_runs.exclude(state=DressRun.State.DONE).delete()
        return Response(shown(show))

    @extend_schema(request=LeaveSerializer, responses={200: component(DressRunShown)})
    @action(detail=True, methods=["post"], url_path="dress-run/leave")
    def leave_fault(self, request: Request, pk: str) -> Response:
        """Leave a fault as it is, with a reason; with none it is to be mended again."""
        show, wanted = self.get_object(), _read(LeaveSerializer, request)
        fault, reason = wanted["fault"], wanted["reason"].strip()
        if not reason:
            show.faults_left.filter(fault=fault).delete()
        else:
            _fault(show, fault)
            show.faults_left.update_or_create(fault=fault, defaults={"reason": reason, "user": request.user})
        return Response(shown(show))

    @extend_schema(request=MendSerializer, responses={200: component(DressRunShown)})
    @action(detail=True, methods=["post"], url_path="dress-run/mend")
    def mend_fault(self, request: Request, pk: str) -> Response:
        """Do what a fault proposes, and run it again."""
        show = self.get_object()
        fault = _fault(show, _read(MendSerializer, request)["fault"])
        if fault["mend"] is None:
            raise refuse("mend-none", "There is no mend by a press for this one: change it where it is.")
        mend(show, request.user, fault["mend"])
        fresh = self.get_queryset().get(pk=show.pk)
        ask_dress_run(fresh)
        return Response(shown(fresh))

    @extend_schema(
        responses={(200, "application/pdf"): OpenApiTypes.BINARY, (200, "text/csv"): OpenApiTypes.STR},
        parameters=[OpenApiParameter("as", OpenApiTypes.STR, enum=["pdf", "csv", "labels"], required=False)],
    )
    @action(detail=True, url_path="patch-sheet")
    def patch_sheet(self, request: Request, pk: str) -> HttpResponse:
        """The page for the desk engineer, its table, or labels for the cables."""
        show, wanted = self.get_object(), query.text(request, "as")
        if wanted == "csv":
            shown = f"attachment; filename*=UTF-8''{quote(f'{show.title} - patch.csv')}"
            return HttpResponse(sheet_table(show), "text/csv; charset=utf-8", headers={"Content-Disposition": shown})
        if wanted == "labels":
            return pdf_answer(labels_pdf(show), f"{show.title} - labels")
        return pdf_answer(sheet_pdf(show, request), f"{show.title} - patch sheet")

    @extend_schema(request=OtherRigSerializer, responses={200: component(Folded)})
    @action(detail=True, methods=["post"], url_path="fold-down")
    def fold_down(self, request: Request, pk: str) -> Response:
        """What the show becomes on another rig; with ``take`` that rig is wired so, and the show is played on it."""
        show, wanted = self.get_object(), _read(OtherRigSerializer, request, self.get_serializer_context())
        rig = wanted.get("rig")
        folded = proposal(show, rig, wanted["sockets"])
        if wanted["take"]:
            if rig is None:
                raise refuse("rig-missing", "Choose one of your rigs: wires are drawn on a rig.")
            take(show, rig, request.user)
        return Response(folded)

    @extend_schema(request=None, responses={200: component(InMono)})
    @action(detail=True, methods=["post"], url_path="in-mono")
    def in_mono(self, request: Request, pk: str) -> Response:
        """The stems that are softer in the house on the show's rig than in stereo, with figures; what is measured is kept."""
        return Response(losses_in_mono(self.get_object()))

    @extend_schema(parameters=[WhyAskedSerializer], responses={200: component(WhyShown)})
    @action(detail=True)
    def why(self, request: Request, pk: str) -> Response:
        """Why a source is heard at a socket in a bar, or not; without a source, all that is heard there."""
        show = self.get_object()
        asked = WhyAskedSerializer(data=request.query_params)
        asked.is_valid(raise_exception=True)
        return Response(why_in(show, **asked.validated_data))


def _read(
    kind: type[serializers.Serializer[Any]], request: Request, context: Mapping[str, Any] | None = None
) -> dict[str, Any]:
    wanted = kind(data=request.data, context=dict(context or {}))
    wanted.is_valid(raise_exception=True)
    return dict(wanted.validated_data)


def _fault(show: Show, key: str) -> ShownFault:
    """A fault of the newest run. Raises :class:`Refused` where it is gone."""
    found = next((f for f in shown(show)["faults"] if f["key"] == key), None)
    if found is None:
        raise refuse("fault-gone", "The last dress run does not have this fault any more.")
    return found
