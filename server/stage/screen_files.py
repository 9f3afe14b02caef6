"""Films and pictures for the screens that have joined the loaded show (rules B3 and B4)."""

from __future__ import annotations

from django.http import FileResponse
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.exceptions import PermissionDenied
from rest_framework.request import Request
from rest_framework.views import APIView

from api.query import uuid_or_nil
from screens.models import ScreenFile
from screens.views import file_answer
from stage.joining import Joining


class JoinedFileView(APIView):
    authentication_classes: list = []
    permission_classes: list = []

    @extend_schema(
        operation_id="joined_file",
        responses={(200, "application/octet-stream"): OpenApiTypes.BINARY},
        parameters=[OpenApiParameter("pass", required=True)],
    )
    def get(self, request: Request, content: str) -> FileResponse:
        """A film or picture of the band whose show is loaded, for who has joined it."""
        # Kept by the stage's process: read anew, since this may be another one.
        joining = Joining()
        phone = joining.phone_of(request.query_params.get("pass", "")[:1000])
        one = (
            ScreenFile.objects.filter(band__pk=uuid_or_nil(joining.band), content=content).first()
            if phone is not None
            else None
        )
        if one is None:
            raise PermissionDenied("Join the show first: there is no such film or picture in the one that is on now.")
        return file_answer(one)
