"""The stage over the API: loading a show, the engine's state, presses, recordings."""

from __future__ import annotations

import time
from collections.abc import Collection
from pathlib import Path

from django.conf import settings
from django.http import FileResponse, Http404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, viewsets
from rest_framework.decorators import action
from rest_framework.exceptions import PermissionDenied
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from api.query import body_of
from api.typed import component
from people.access import MayChange, OfBand, asking_band, asking_member
from people.models import Band
from shows.build import place_for_engine
from shows.models import Show
from stage import engine
from stage.interfaces import choose_for
from stage.night_shows import leave_old_folders
from stage.shows import is_own, lost_by_loading, own_mixes, own_state
from stage.types import PRESS_REQUEST, STATE, Answer, Described
from upbeat.errors import Refused, refuse
from upbeat.play.rights import has, may_press


class LoadSerializer(serializers.Serializer):
    sure = serializers.BooleanField(
        default=False, help_text="Load it although another show, or a place in this one, is lost by it."
    )


class LoadedSerializer(serializers.Serializer):
    show = serializers.CharField()


class LoadViewSet(OfBand, viewsets.GenericViewSet):
    queryset = Show.objects.select_related("band", "setlist", "rig", "line_up")

    @extend_schema(request=LoadSerializer, responses=LoadedSerializer)
    @action(detail=True, methods=["post"])
    def load(self, request: Request, pk: str) -> Response:
        """Load the show into the engine, with the interface of its rig.

        Refused while a song plays, where a rule of the routing is broken, and, unless ``sure``, where another
        show or a place in this one would be lost (codes stage-taken, stage-other-show, stage-place).
        """
        show = self.get_object()
        asked = LoadSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        state = engine.ask("state")["state"]
        if state.get("status") in ("playing", "count_in"):
            raise refuse("load-playing", "A song is playing: stop it before another show is loaded.")
        lost = lost_by_loading(state, str(show.pk), show.band)
        if lost is not None and not asked.validated_data["sure"]:
            raise Refused(lost)
        folder = place_for_engine(show)
        choose_for(show.rig, show.band)
        engine.load(str(folder), str(show.pk), str(show.band_id))
        leave_old_folders(show, folder)
        return Response({"show": str(show.pk)})


class EngineView(APIView):
    least_right = "own_mix"

    @extend_schema(responses={200: STATE})
    def get(self, request: Request) -> Response:
        """The engine's state; another band's show is not disclosed."""
        state = engine.ask("state")["state"]
        if not is_own(state, asking_band(request)):
            hidden = {k: state[k] for k in ("device", "channels", "dropouts", "latency_ms", "loading")}
            return Response({**hidden, "status": "empty" if state.get("show") is None else "other", "show": None})
        return Response({**state, "show_title": engine.described(state["show"], state["loads"])["title"]})

    @extend_schema(request={"application/json": component(PRESS_REQUEST)}, responses={200: component(Answer)})
    def post(self, request: Request) -> Response:
        """A press, answered with what comes of it and where."""
        made = time.monotonic()
        body = body_of(request)
        name, args = body.get("press"), body.get("args") or {}
        if not isinstance(name, str) or not isinstance(args, dict):
            raise refuse("press-unknown", "A press needs “press”, its name, and “args”, an object.")
        state = own_state(asking_band(request))
        member = asking_member(request)
        own: Collection[str] = ()
        if not has(member.right, "everything"):
            own = own_mixes(engine.described(state["show"], state["loads"]), str(member.player_id or ""))
        no = may_press(member.right, name, args, own)
        if no is not None:
            raise Refused(no)
        return Response(engine.ask("press", press=name, args=args, by=_person(request), made=made))

    @extend_schema(request=None, responses={204: None})
    def delete(self, request: Request) -> Response:
        """Give the stage back: no show is loaded any more. Refused while a song plays."""
        if not has(asking_member(request).right, "everything"):
            raise PermissionDenied(MayChange.message)
        own_state(asking_band(request))
        engine.ask("give back")
        return Response(status=204)


def _person(request: Request) -> str:
    return str(getattr(request.user, "first_name", "") or request.user.get_username())[:200]


class DescribedView(APIView):
    @extend_schema(responses={200: component(Described)})
    def get(self, request: Request) -> Response:
        """The loaded show as the engine holds it: entries, steps, feeds, sockets."""
        state = own_state(asking_band(request))
        return Response(engine.described(state["show"], state["loads"]))


class RecordSerializer(serializers.Serializer):
    on = serializers.BooleanField()


class RecordingSerializer(serializers.Serializer):
    recording = serializers.BooleanField()
    file = serializers.CharField(allow_null=True)


class RecordingView(APIView):
    @extend_schema(request=RecordSerializer, responses=RecordingSerializer)
    def post(self, request: Request) -> Response:
        """Begin or finish recording every socket of the simulated device."""
        asked = RecordSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        own_state(asking_band(request))
        answer = engine.ask("record", on=asked.validated_data["on"], folder=str(asking_band(request).pk))
        file = Path(answer["file"]) if answer.get("file") else None
        if not answer["recording"] and file is not None:
            _until_there(file)
        return Response({"recording": answer["recording"], "file": file.name if file else None})

    @extend_schema(responses={(200, "audio/wav"): OpenApiTypes.BINARY})
    def get(self, request: Request) -> FileResponse:
        """The newest finished recording of the band."""
        found = sorted(_recordings(asking_band(request)).glob("sockets-*.wav"), key=lambda p: p.stat().st_mtime)
        if not found:
            raise Http404
        newest = found[-1]
        return FileResponse(open(newest, "rb"), as_attachment=True, filename=newest.name, content_type="audio/wav")


def _recordings(band: Band) -> Path:
    """Recordings lie apart for each band."""
    return Path(settings.VAR) / "engine" / "recordings" / str(band.pk)


def _until_there(path: Path, seconds: float = 5) -> None:
    """A recording has its name once it is whole, a moment after its end."""
    until = time.monotonic() + seconds
    while not path.exists() and time.monotonic() < until:
        time.sleep(0.02)
