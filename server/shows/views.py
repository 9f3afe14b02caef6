"""Shows over the API: making them, taking them to the stage, saving them; presses and recordings."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path
from typing import Any

from django.conf import settings
from django.http import FileResponse, Http404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, viewsets
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from outputs.models import Rig
from people.access import BandRelated, OfBand
from people.models import LineUp
from setlists.models import Setlist
from shows import engine
from shows.build import clear_old_folders, place_for_engine, save_bundle, show_document
from shows.described import DescribedSerializer
from shows.models import Show
from upbeat.cues.speech import speak
from upbeat.cues.voice import Voice
from upbeat.errors import refuse
from upbeat.play.presses import PRESSES


class ShowSerializer(serializers.ModelSerializer):
    setlist = BandRelated(queryset=Setlist.objects.all())
    rig = BandRelated(queryset=Rig.objects.all())
    line_up = BandRelated(queryset=LineUp.objects.all(), allow_null=True, required=False)
    setlist_name = serializers.CharField(source="setlist.name", read_only=True)
    rig_name = serializers.CharField(source="rig.name", read_only=True)

    class Meta:
        model = Show
        fields = ["id", "title", "setlist", "rig", "date", "line_up", "voice", "setlist_name", "rig_name"]

    def validate_voice(self, name: str) -> str:
        """A voice that speaks here, or none for the band's. Raises :class:`Refused`."""
        if name:
            speak("one", Voice(name=name), settings.SAMPLE_RATE)
        return name


class LoadedSerializer(serializers.Serializer):
    show = serializers.CharField()


class ShowViewSet(OfBand, viewsets.ModelViewSet):
    queryset = Show.objects.select_related("band", "setlist", "rig", "line_up")
    serializer_class = ShowSerializer

    @extend_schema(request=None, responses=LoadedSerializer)
    @action(detail=True, methods=["post"])
    def load(self, request: Request, pk: str) -> Response:
        """Load the show into the engine; refused while a song plays or if a rule of the routing is broken."""
        show = self.get_object()
        if engine.ask("state")["state"].get("status") in ("playing", "count_in"):
            raise refuse("load-playing", "A song is playing: stop it before another show is loaded.")
        folder = place_for_engine(show)
        engine.load(str(folder), str(show.pk))
        clear_old_folders(show, folder)
        return Response({"show": str(show.pk)})

    @extend_schema(responses={(200, "application/zip"): OpenApiTypes.BINARY})
    @action(detail=True)
    def bundle(self, request: Request, pk: str) -> FileResponse:
        """The show as a bundle that ``upbeat bounce`` plays anywhere."""
        show = self.get_object()
        folder = settings.VAR / "tmp"
        folder.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryDirectory(dir=folder) as temporary:
            path = Path(temporary) / "show.zip"
            save_bundle(show, path)
            # The open file outlives its name.
            return FileResponse(open(path, "rb"), as_attachment=True, filename=f"{_plain(show.title)}.upbeat.zip")

    @extend_schema(responses=OpenApiTypes.OBJECT)
    @action(detail=True)
    def document(self, request: Request, pk: str) -> Response:
        """The show document alone, for the stage page."""
        return Response(show_document(self.get_object())[0])


def _plain(title: str) -> str:
    return "".join(c if c.isalnum() or c in " -_" else "-" for c in title).strip() or "show"


class PressSerializer(serializers.Serializer):
    press = serializers.ChoiceField(PRESSES)
    args = serializers.DictField(required=False)


class EngineView(APIView):
    @extend_schema(responses=OpenApiTypes.OBJECT)
    def get(self, request: Request) -> Response:
        """The engine's state; another band's show is not told."""
        state = engine.ask("state")["state"]
        show = engine.loaded_show(state, request.band)
        if show is None:
            hidden = {k: state[k] for k in ("device", "channels", "dropouts", "latency_ms", "loading")}
            return Response({**hidden, "status": "empty" if state.get("show") is None else "other", "show": None})
        return Response({**state, "show_title": show.title})

    @extend_schema(request=PressSerializer, responses=OpenApiTypes.OBJECT)
    def post(self, request: Request) -> Response:
        """A press, answered with what comes of it and where."""
        asked = PressSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        _own_show(request)
        return Response(
            engine.ask("press", press=asked.validated_data["press"], args=asked.validated_data.get("args") or {})
        )


class DescribedView(APIView):
    @extend_schema(responses=DescribedSerializer)
    def get(self, request: Request) -> Response:
        """The loaded show as the engine holds it: entries, steps, feeds, sockets."""
        state = _own_show(request)
        return Response({"show": state["show"], **engine.ask("describe")["described"]})


def _own_show(request: Request) -> dict[str, Any]:
    state: dict[str, Any] = engine.ask("state")["state"]
    if engine.loaded_show(state, request.band) is None:
        raise refuse("no-show", "No show of your band is loaded: take one to the stage first.")
    return state


class RecordSerializer(serializers.Serializer):
    on = serializers.BooleanField()


class RecordingSerializer(serializers.Serializer):
    recording = serializers.BooleanField()
    file = serializers.CharField(allow_null=True)


def _until_there(path: Path, seconds: float = 5) -> None:
    """A recording has its name once it is whole, a moment after its end."""
    until = time.monotonic() + seconds
    while not path.exists() and time.monotonic() < until:
        time.sleep(0.02)


class RecordingView(APIView):
    @extend_schema(request=RecordSerializer, responses=RecordingSerializer)
    def post(self, request: Request) -> Response:
        """Begin or finish recording every socket of the simulated device."""
        asked = RecordSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        _own_show(request)
        answer = engine.ask("record", on=asked.validated_data["on"])
        if not answer["recording"] and answer.get("file"):
            _until_there(Path(answer["file"]))
        return Response(
            {"recording": answer["recording"], "file": Path(answer["file"]).name if answer.get("file") else None}
        )

    @extend_schema(responses={(200, "audio/wav"): OpenApiTypes.BINARY})
    def get(self, request: Request) -> FileResponse:
        """The newest finished recording."""
        _own_show(request)
        found = sorted((settings.VAR / "engine" / "recordings").glob("sockets-*.wav"), key=lambda p: p.stat().st_mtime)
        if not found:
            raise Http404
        return FileResponse(
            open(found[-1], "rb"), as_attachment=True, filename=found[-1].name, content_type="audio/wav"
        )
