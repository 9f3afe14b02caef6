"""Hands over the API: what each control does, the lights of pads, starter sets, the file they travel in."""

from __future__ import annotations

import uuid
from typing import Any, NotRequired, TypedDict

import msgspec
from django.http import HttpResponse
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from api.typed import component
from hands.changes import KEPT
from people.access import asking_band
from people.models import Band
from songs.models import Section, Song
from upbeat.arguments import parsed
from upbeat.controls.bindings import Binding, SectionDoes
from upbeat.controls.hands import Hands, as_data, bound, lit, read_binding, read_hands, renumbered, unbound, with_all
from upbeat.controls.lights import LightRule
from upbeat.controls.starters import STARTERS, starter
from upbeat.errors import refuse


class Trouble(TypedDict):
    """What is wrong with a binding, and what to do."""

    binding: str
    message: str


class HandsShown(TypedDict):
    """Everything the hands of a band do. ``held``: the bindings (by id) that act once they have been held for a while;
    ``sections``: names of the sections that controls go to, by id.
    """

    bindings: list[Binding]
    held: list[str]
    sections: dict[str, str]
    lights: list[LightRule]
    troubles: list[Trouble]
    can_undo: bool
    can_redo: bool


class BindingAsked(TypedDict):
    """A binding; without an id a new one. ``take_over``: what its control did goes."""

    binding: Binding
    take_over: NotRequired[bool]


class StarterAsked(serializers.Serializer):
    starter = serializers.ChoiceField(list(STARTERS))
    port = serializers.CharField(max_length=80)


SHOWN = {200: component(HandsShown)}


def _shown(band: Band) -> Response:
    hands = KEPT.of(band)
    found = {
        "bindings": hands.bindings,
        "held": [b.id for b in hands.bindings if b.is_held],
        "lights": hands.lights,
        "troubles": _troubles(band, hands),
        "sections": _sections(band, hands),
    }
    return Response({**msgspec.to_builtins(found), **KEPT.can_travel(band)})


def _troubles(band: Band, hands: Hands) -> list[Trouble]:
    """Bindings whose song or section is gone."""
    of_songs = [b for b in hands.bindings if b.song is not None or isinstance(b.does, SectionDoes)]
    if not of_songs:
        return []
    songs = {str(pk) for pk in Song.objects.filter(band=band).values_list("pk", flat=True)}
    sections = {str(pk) for pk in Section.objects.filter(song__band=band).values_list("pk", flat=True)}
    troubles = []
    for b in of_songs:
        if b.song is not None and b.song not in songs:
            troubles.append(Trouble(binding=b.id, message="Its song is gone, and it does nothing: take it out."))
        elif isinstance(b.does, SectionDoes) and b.does.section not in sections:
            text = "Its song has that section no more, and it does nothing: choose another section, or take it out."
            troubles.append(Trouble(binding=b.id, message=text))
    return troubles


def _sections(band: Band, hands: Hands) -> dict[str, str]:
    wanted = {b.does.section for b in hands.bindings if isinstance(b.does, SectionDoes)}
    if not wanted:
        return {}
    own = Section.objects.filter(song__band=band).select_related("song")
    return {str(s.pk): f"{s.name} ({s.song.title})" for s in own if str(s.pk) in wanted}


def _object(request: Request) -> dict[str, Any]:
    if not isinstance(request.data, dict):
        raise refuse("format-unknown", "This is no object: a file of hands is exported from the page Hands.")
    return request.data


def _new_id() -> str:
    return uuid.uuid4().hex[:12]


class HandsView(APIView):
    @extend_schema(operation_id="hands", responses=SHOWN)
    def get(self, request: Request) -> Response:
        """What every control of the band does."""
        return _shown(asking_band(request))


class BindingsView(APIView):
    @extend_schema(operation_id="hands_bind", request={"application/json": component(BindingAsked)}, responses=SHOWN)
    def post(self, request: Request) -> Response:
        """Let a control do something. Refused with ``control-taken`` where it does something already."""
        asked = _object(request)
        if not isinstance(asked.get("binding"), dict):
            raise refuse("binding-missing", "Say which control shall do what.")
        binding = read_binding({"id": _new_id(), **asked["binding"]})
        take_over = asked.get("take_over") is True
        KEPT.change(asking_band(request), request.user, lambda hands: bound(hands, binding, take_over=take_over))
        return _shown(asking_band(request))


class BindingView(APIView):
    @extend_schema(operation_id="hands_unbind", request=None, responses=SHOWN)
    def delete(self, request: Request, binding: str) -> Response:
        """Let a control do nothing."""
        KEPT.change(asking_band(request), request.user, lambda hands: unbound(hands, binding))
        return _shown(asking_band(request))


class LightsView(APIView):
    @extend_schema(operation_id="hands_lights", request={"application/json": component(LightRule)}, responses=SHOWN)
    def put(self, request: Request) -> Response:
        """Say how the lights of a port are set."""
        rule = parsed(_object(request), LightRule, "The rule of the lights")
        KEPT.change(asking_band(request), request.user, lambda hands: lit(hands, rule))
        return _shown(asking_band(request))


class StarterView(APIView):
    @extend_schema(operation_id="hands_starter", request=StarterAsked, responses=SHOWN)
    def post(self, request: Request) -> Response:
        """Give a port a starter set, in place of what its controls do."""
        asked = StarterAsked(data=request.data)
        asked.is_valid(raise_exception=True)
        made = starter(asked.validated_data["starter"], asked.validated_data["port"], _new_id)
        KEPT.change(asking_band(request), request.user, lambda hands: with_all(hands, made))
        return _shown(asking_band(request))


class HandsFileView(APIView):
    @extend_schema(operation_id="hands_export", responses={200: component(Hands)})
    def get(self, request: Request) -> HttpResponse:
        """The hands as a file."""
        text = msgspec.json.format(msgspec.json.encode(as_data(KEPT.of(asking_band(request)))))
        headers = {"Content-Disposition": 'attachment; filename="hands.json"'}
        return HttpResponse(text, content_type="application/json", headers=headers)

    @extend_schema(operation_id="hands_import", request={"application/json": component(Hands)}, responses=SHOWN)
    def post(self, request: Request) -> Response:
        """Take the hands of a file in place of those that there are."""
        new = renumbered(read_hands(_object(request)), _new_id)
        KEPT.change(asking_band(request), request.user, lambda _: new)
        return _shown(asking_band(request))


class HandsUndoView(APIView):
    @extend_schema(operation_id="hands_undo", request=None, responses=SHOWN)
    def post(self, request: Request) -> Response:
        """Take the last change back."""
        KEPT.travel(asking_band(request), back=True)
        return _shown(asking_band(request))


class HandsRedoView(APIView):
    @extend_schema(operation_id="hands_redo", request=None, responses=SHOWN)
    def post(self, request: Request) -> Response:
        """Do again what was taken back last."""
        KEPT.travel(asking_band(request), back=False)
        return _shown(asking_band(request))
