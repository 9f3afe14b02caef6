"""A message to a device, sent at once: to hear or see what it does."""

from __future__ import annotations

from typing import NotRequired, TypedDict

import msgspec
from asgiref.sync import async_to_sync
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from api.query import body_of
from api.typed import component
from devices.changes import KEPT
from people.access import asking_band
from stage import ports
from upbeat.arguments import parsed
from upbeat.errors import refuse
from upbeat.messages.devices import one_of
from upbeat.messages.kinds import Controller, Device, Named, Note, Osc, Program, check, sent_by


class SendAsked(TypedDict):
    """What is sent: a message, or one that the device has by a name."""

    send: NotRequired[Program | Controller | Note | Osc | Named]


class MessageSent(TypedDict):
    """That it was sent."""

    ok: bool


class SendView(APIView):
    @extend_schema(
        operation_id="devices_send",
        request={"application/json": component(SendAsked)},
        responses={200: component(MessageSent)},
    )
    def post(self, request: Request, device: str) -> Response:
        """Send a message to a device at once."""
        to = one_of(KEPT.of(asking_band(request)), device)
        asked = parsed(body_of(request), SendAsked, "The message")
        found = sent_by(to, asked["send"]) if "send" in asked else None
        if found is None:
            raise refuse("message-unknown", f"“{to.name}” has no such message: choose another.")
        check(to, found[0], "The message")
        async_to_sync(ports.ask)("send", device=address_of(to), send=msgspec.to_builtins(found[0]), name=found[1])
        return Response({"ok": True})


def address_of(device: Device) -> dict[str, object]:
    """What the process of the ports has to know of a device."""
    fields = ("id", "name", "kind", "port", "channel", "host", "udp_port", "lead_ms")
    return {name: getattr(device, name) for name in fields}
