"""Audio interfaces: which the machine has, which one is fed, which one belongs to a rig."""

from __future__ import annotations

from typing import Any, TypedDict

import msgspec
from django.conf import settings
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from api.ranges import within
from api.typed import component
from outputs.models import Rig
from people.access import asking_band
from people.models import Band
from playout.devices import BLOCK, Choice
from playout.devices.listing import Interface, listed
from stage import engine
from upbeat.errors import Refused, refuse
from upbeat.limits import BUFFER_BLOCKS, INTERFACE_BLOCKS, SOCKETS

BUFFERS = (2, 3, 4, 6, 8, 12, 16, 24, 32, 48, 64)  # that are offered


class FedNow(TypedDict):
    """What is fed now; ``latency_ms`` as the device reports it."""

    name: str
    outputs: int
    block: int
    buffer: int
    there: bool
    problem: str
    latency_ms: float


class Length(TypedDict):
    """A choice of block (in frames) or buffer (in blocks), and what it means."""

    value: int
    ms: float


class Interfaces(TypedDict):
    """``now``: None while the engine is silent."""

    found: list[Interface]
    blocks: list[Length]
    buffers: list[Length]
    now: FedNow | None


class Fed(TypedDict):
    """``now``: None while the engine is silent."""

    now: FedNow | None


class InterfaceChoiceSerializer(serializers.Serializer):
    rig = serializers.UUIDField(help_text="The rig that keeps the choice.")
    name = serializers.CharField(max_length=210, help_text="As it is listed.")
    outputs = serializers.IntegerField(validators=within(SOCKETS))
    block = serializers.ChoiceField(INTERFACE_BLOCKS)
    buffer = serializers.IntegerField(validators=within(BUFFER_BLOCKS))


class InterfacesView(APIView):
    @extend_schema(responses={200: component(Interfaces)})
    def get(self, request: Request) -> Response:
        """The interfaces that this machine has now, and the one that is fed."""
        return Response(_told(listed(settings.SAMPLE_RATE)))

    @extend_schema(request=InterfaceChoiceSerializer, responses={200: component(Interfaces)})
    def post(self, request: Request) -> Response:
        """Go on with another interface, also while the own show plays, and keep it for a rig."""
        asked = InterfaceChoiceSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        values = dict(asked.validated_data)
        rig = get_object_or_404(Rig, pk=values.pop("rig"), band=asking_band(request))
        found = listed(settings.SAMPLE_RATE)
        _refuse_unfit(values, found)
        choose(values, asking_band(request))
        rig.interface = values
        rig.save(update_fields=["interface"])
        return Response(_told(found))


class FedView(APIView):
    @extend_schema(responses={200: component(Fed)})
    def get(self, request: Request) -> Response:
        """The interface that is fed now. Nothing is looked for."""
        return Response(Fed(now=_now()))


def choose(values: dict[str, Any], band: Band) -> None:
    """Have the engine feed an interface. Raises :class:`Refused` while another band's song plays."""
    state: dict[str, Any] = engine.ask("state")["state"]
    if state.get("band") not in ("", None, str(band.pk)) and state.get("status") in ("playing", "count_in"):
        raise refuse("interface-taken", "Another band's song is playing: its interface cannot be changed now.")
    engine.ask("device", choice=values)


def choose_for(rig: Rig, band: Band) -> None:
    """Feed the interface that belongs to a rig, where one was chosen for it."""
    if rig.interface is not None:
        choose(rig.interface, band)


def _told(found: list[Interface]) -> Interfaces:
    return Interfaces(
        found=found,
        blocks=[_length(frames, frames) for frames in INTERFACE_BLOCKS],
        buffers=[_length(blocks, blocks * BLOCK) for blocks in BUFFERS],
        now=_now(),
    )


def _length(value: int, frames: int) -> Length:
    return Length(value=value, ms=round(1000 * frames / settings.SAMPLE_RATE, 1))


def _now() -> FedNow | None:
    try:
        state = engine.ask("state")["state"]
    except Refused:
        return None
    return FedNow(
        name=state["device"],
        outputs=state["channels"],
        block=state["block"],
        buffer=state["buffer"],
        there=state["device_there"],
        problem=state["device_problem"],
        latency_ms=state["latency_ms"],
    )


def _refuse_unfit(values: dict[str, Any], found: list[Interface]) -> None:
    """Raise :class:`Refused` for an interface that is not there, too small, or does not run at our rate."""
    try:
        msgspec.convert(values, Choice)
    except msgspec.ValidationError:
        raise refuse("interface-unknown", "There is no interface of that name: choose one from the list.") from None
    one = next((i for i in found if i["name"] == values["name"]), None)
    if one is None:
        title = values["name"].removeprefix("interface:")
        raise refuse("interface-missing", f"“{title}” is not there: plug it in, or choose another interface.")
    if one["refused"]:
        raise refuse("interface-rate", one["refused"])
    if one["outputs"] < values["outputs"]:
        outputs = values["outputs"]
        raise refuse("interface-small", f"“{one['title']}” has {one['outputs']} outputs, not {outputs}: use fewer.")
