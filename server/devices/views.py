"""Devices over the API: what gets messages, and the messages that each has by a name."""

from __future__ import annotations

import uuid
from collections.abc import Callable
from typing import TypedDict

import msgspec
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from api.query import body_of
from api.typed import component
from devices.changes import KEPT
from people.access import asking_band
from people.models import Band
from upbeat.messages.devices import with_device, with_list, without_device
from upbeat.messages.kinds import Device

Devices = tuple[Device, ...]


class DevicesShown(TypedDict):
    """The devices of a band."""

    devices: list[Device]
    can_undo: bool
    can_redo: bool


class ListAsked(serializers.Serializer):
    """A list of named messages, as the text of a CSV file."""

    text = serializers.CharField(max_length=300_000, trim_whitespace=False)


SHOWN = {200: component(DevicesShown)}


def _shown(band: Band) -> Response:
    return Response({"devices": msgspec.to_builtins(KEPT.of(band)), **KEPT.can_travel(band)})


def _changed(request: Request, changed: Callable[[Devices], Devices]) -> Response:
    band = asking_band(request)
    KEPT.change(band, request.user, changed)
    return _shown(band)


class DevicesView(APIView):
    @extend_schema(operation_id="devices", responses=SHOWN)
    def get(self, request: Request) -> Response:
        """What gets messages, with the messages that it has by a name."""
        return _shown(asking_band(request))

    @extend_schema(operation_id="devices_put", request={"application/json": component(Device)}, responses=SHOWN)
    def post(self, request: Request) -> Response:
        """Add a device, or change what is given of the one of its id."""
        raw = {"id": uuid.uuid4().hex[:12], **body_of(request)}
        return _changed(request, lambda devices: with_device(devices, raw))


class DeviceView(APIView):
    @extend_schema(operation_id="devices_take_out", request=None, responses=SHOWN)
    def delete(self, request: Request, device: str) -> Response:
        """Take a device out; what songs send to it stays with them, and is not sent."""
        return _changed(request, lambda devices: without_device(devices, device))


class DeviceListView(APIView):
    @extend_schema(operation_id="devices_list", request=ListAsked, responses=SHOWN)
    def post(self, request: Request, device: str) -> Response:
        """Give a device the named messages of a list."""
        asked = ListAsked(data=request.data)
        asked.is_valid(raise_exception=True)
        return _changed(request, lambda devices: with_list(devices, device, asked.validated_data["text"]))


class DevicesUndoView(APIView):
    @extend_schema(operation_id="devices_undo", request=None, responses=SHOWN)
    def post(self, request: Request) -> Response:
        """Take the last change back."""
        KEPT.travel(asking_band(request), back=True)
        return _shown(asking_band(request))


class DevicesRedoView(APIView):
    @extend_schema(operation_id="devices_redo", request=None, responses=SHOWN)
    def post(self, request: Request) -> Response:
        """Do again what was taken back last."""
        KEPT.travel(asking_band(request), back=False)
        return _shown(asking_band(request))
