"""Every refusal of the API looks alike: ``{"problems": [{"code", "message"}]}``."""

from typing import Any

from django.core.exceptions import PermissionDenied
from django.http import Http404
from rest_framework import exceptions, status
from rest_framework.response import Response
from rest_framework.views import set_rollback

from api.conflict import Conflict
from api.security import SIGN_IN
from upbeat.errors import Problem, Refused


def answer(error: Exception, context: dict[str, Any]) -> Response | None:
    """DRF's exception handler: turn what was raised into problems; None for a real fault."""
    if isinstance(error, Refused):
        set_rollback()
        return Response({"problems": [p.as_dict() for p in error.problems]}, status=status.HTTP_400_BAD_REQUEST)
    if isinstance(error, Conflict):
        set_rollback()
        return Response(
            {"problems": [Problem("changed-meanwhile", str(error)).as_dict()], "current": error.current},
            status=status.HTTP_409_CONFLICT,
        )
    if isinstance(error, Http404):
        error = exceptions.NotFound("That is not there, or not yours.")
    if isinstance(error, PermissionDenied | exceptions.NotAuthenticated):
        error = exceptions.PermissionDenied(SIGN_IN)
    if isinstance(error, exceptions.APIException):
        set_rollback()
        return Response({"problems": list(_flat(error.detail))}, status=error.status_code)
    return None


def _flat(detail: Any, field: str = "") -> Any:
    if isinstance(detail, dict):
        for name, inner in detail.items():
            yield from _flat(inner, "" if name in ("detail", "non_field_errors") else str(name))
    elif isinstance(detail, list):
        for inner in detail:
            yield from _flat(inner, field)
    else:
        code = getattr(detail, "code", "invalid")
        yield {"code": str(code), "message": f"{field}: {detail}" if field else str(detail)}
