"""Every object belongs to a band and is invisible to others."""

from __future__ import annotations

from contextlib import nullcontext
from typing import TYPE_CHECKING, Any

from django.db.models import QuerySet
from django.http import HttpRequest
from django.http.response import HttpResponseBase
from rest_framework import serializers
from rest_framework.permissions import SAFE_METHODS, BasePermission
from rest_framework.request import Request

from api.security import SIGN_IN
from api.snapshot import one_moment
from people.models import Band, Membership, membership_of
from upbeat.play.rights import Right, has

if TYPE_CHECKING:
    from rest_framework.views import APIView


class InABand(BasePermission):
    """Signed in, and in a band; the band is put on the request."""

    message = SIGN_IN

    def has_permission(self, request: Request, view: APIView) -> bool:
        member = membership_of(request.user)
        request.band = member.band if member else None  # type: ignore[attr-defined]
        request.member = member  # type: ignore[attr-defined]
        return member is not None


class MayChange(BasePermission):
    """Whoever has not the right to everything only reads, but for views that say ``least_right`` (rule B3)."""

    message = "You may look at this and not change it: ask the director for the right to."

    def has_permission(self, request: Request, view: APIView) -> bool:
        least: Right = getattr(view, "least_right", "everything")
        return request.method in SAFE_METHODS or has(asking_member(request).right, least)


def asking_band(request: Request) -> Band:
    """The band that a request is made for."""
    return request.band  # type: ignore[attr-defined]


def asking_member(request: Request) -> Membership:
    """The membership that a request is made with."""
    return request.member  # type: ignore[attr-defined]


class OfBand:
    """For view sets: only the band's own rows, and new ones become the band's."""

    band_field = "band"

    def dispatch(self, request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponseBase:
        """What is read is of one moment: a revision and the rows of it never of two."""
        with one_moment() if request.method in SAFE_METHODS else nullcontext():
            return super().dispatch(request, *args, **kwargs)  # type: ignore[misc]

    def get_queryset(self) -> QuerySet[Any]:
        rows = super().get_queryset()  # type: ignore[misc]
        band = getattr(self.request, "band", None)  # type: ignore[attr-defined]
        return rows.filter(**{self.band_field: band}) if band else rows.none()

    def perform_create(self, serializer: serializers.BaseSerializer[Any]) -> None:
        serializer.save(band=asking_band(self.request))  # type: ignore[attr-defined]


class BandRelated(serializers.PrimaryKeyRelatedField):
    """A reference that only finds rows of the asker's own band."""

    def __init__(self, *, band_field: str = "band", **kwargs: Any):
        self.band_field = band_field
        super().__init__(**kwargs)

    def get_queryset(self) -> QuerySet[Any]:
        rows = super().get_queryset()
        assert rows is not None
        band: Band | None = getattr(self.context.get("request"), "band", None)
        return rows.filter(**{self.band_field: band}) if band else rows.none()
