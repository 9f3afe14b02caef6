"""What a phone without an account asks before it joins: where the stage's server listens."""

from __future__ import annotations

from typing import TypedDict

from django.conf import settings
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from api.typed import component


class Where(TypedDict):
    """The port of the stage's server."""

    stage_port: int


class JoinView(APIView):
    authentication_classes: list = []
    permission_classes: list = []

    @extend_schema(operation_id="join", responses={200: component(Where)})
    def get(self, request: Request) -> Response:
        """Where phones join; it tells nothing of any show."""
        return Response(Where(stage_port=settings.STAGE_PORT))
