"""Rigs and feeds over the API. A change that breaks a rule of the routing is refused whole."""

from __future__ import annotations

from contextlib import AbstractContextManager
from dataclasses import asdict
from typing import Any, TypedDict

from django.db import transaction
from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers, viewsets
from rest_framework.decorators import action
from rest_framework.permissions import SAFE_METHODS, BasePermission
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from api.typed import component
from outputs.changes import can_travel, kept, travel
from outputs.feeds import FeedSerializer
from outputs.models import Feed, Patch, Rig, Send, Socket
from outputs.routing import PATCH_FIELDS, SOCKET_FIELDS, checks_of, problems_of, refuse_worse
from people.access import BandRelated, InABand, MayChange, OfBand, asking_band, asking_member
from people.models import Band
from people.revised import RevisedSerializer
from upbeat.errors import refuse
from upbeat.mix.routing import Send as CoreSend
from upbeat.mix.routing import Socket as CoreSocket
from upbeat.outputs.mixes import more_me
from upbeat.outputs.starters import STARTERS, StarterName, starter_feeds
from upbeat.outputs.templates import PHONES, SHAPES, rig_sockets
from upbeat.play.rights import has

OF_OWN_MIX = {"gain_db", "channels", "sends"}


class SocketSerializer(serializers.ModelSerializer):
    class Meta:
        model = Socket
        fields = list(SOCKET_FIELDS)
        validators: list = []


class PatchSerializer(serializers.ModelSerializer):
    feed = BandRelated(queryset=Feed.objects.all())

    class Meta:
        model = Patch
        fields = ["feed", *PATCH_FIELDS]
        validators: list = []


class ProblemSerializer(serializers.Serializer):
    code = serializers.CharField()
    message = serializers.CharField()


class CheckMendSerializer(serializers.Serializer):
    """What a press would do: ``patches`` are all wires of the rig then."""

    text = serializers.CharField()
    patches = PatchSerializer(many=True)


class CheckSerializer(serializers.Serializer):
    state = serializers.ChoiceField(["ok", "look", "wrong"])
    title = serializers.CharField()
    detail = serializers.CharField()
    mend = CheckMendSerializer(allow_null=True)


class ChosenInterface(TypedDict):
    """The interface that is used with a rig."""

    name: str
    outputs: int
    block: int
    buffer: int


class ShapeSerializer(serializers.Serializer):
    """A box of ``sockets`` sockets, with ``phones`` (``upbeat.outputs.templates``)."""

    sockets = serializers.ChoiceField(list(SHAPES))
    phones = serializers.ChoiceField(list(PHONES), default="none")


class RigSerializer(RevisedSerializer):
    """A rig with its sockets and patch. With ``revision`` a change to another state is refused (409).

    A new one with a ``shape`` has the sockets of it.
    """

    shape = ShapeSerializer(required=False, write_only=True)

    sockets = SocketSerializer(many=True, required=False)
    patches = PatchSerializer(many=True, required=False)
    problems = serializers.SerializerMethodField()
    checks = serializers.SerializerMethodField()
    interface = serializers.SerializerMethodField()

    class Meta:
        model = Rig
        fields = [
            "id",
            "name",
            "position",
            "sockets",
            "patches",
            "problems",
            "checks",
            "interface",
            "revision",
            "shape",
        ]

    @extend_schema_field(ProblemSerializer(many=True))
    def get_problems(self, rig: Rig) -> list[dict[str, str]]:
        return [p.as_dict() for p in problems_of(rig.band, rig)]

    @extend_schema_field(CheckSerializer(many=True))
    def get_checks(self, rig: Rig) -> list[dict[str, str]]:
        return [asdict(c) for c in checks_of(rig.band, rig)]

    @extend_schema_field({"allOf": [component(ChosenInterface)], "nullable": True})
    def get_interface(self, rig: Rig) -> dict[str, Any] | None:
        return rig.interface

    def validate_sockets(self, sockets: list[dict[str, Any]]) -> list[dict[str, Any]]:
        numbers = [s["number"] for s in sockets]
        if len(set(numbers)) != len(numbers):
            raise serializers.ValidationError("Two sockets have the same number: renumber one of them.")
        return sockets

    @transaction.atomic
    def create(self, data: dict[str, Any]) -> Rig:
        sockets, patches, shape = data.pop("sockets", []), data.pop("patches", []), data.pop("shape", None)
        if shape is not None:
            sockets = [_socket_fields(s) for s in rig_sockets(shape["sockets"], shape["phones"])]
        return self._fill(Rig.objects.create(**data), sockets, patches)

    @transaction.atomic
    def update(self, rig: Rig, data: dict[str, Any]) -> Rig:
        locked = self.lock(rig, data)
        data.pop("shape", None)
        sockets, patches = data.pop("sockets", None), data.pop("patches", None)
        for name, value in data.items():
            setattr(locked, name, value)
        locked.save()
        return self._fill(locked, sockets, patches)

    def fresh(self, pk: Any) -> Rig:
        return Rig.objects.select_related("band").prefetch_related("sockets", "patches").get(pk=pk)

    def _fill(self, rig: Rig, sockets: list[dict[str, Any]] | None, patches: list[dict[str, Any]] | None) -> Rig:
        if sockets is not None:
            rig.sockets.all().delete()
            Socket.objects.bulk_create([Socket(rig=rig, **s) for s in sockets])
        if patches is not None:
            places = [(p["feed"], p["side"], p["socket"]) for p in patches]
            if len(set(places)) != len(places):
                raise refuse("patch-twice", "The same side of a feed is wired to the same socket twice: leave one out.")
            was = {tuple(getattr(p, name) for name in ("feed", *PATCH_FIELDS)): p.folded for p in rig.patches.all()}
            rig.patches.all().delete()
            made = [Patch(rig=rig, **p) for p in patches]
            for patch in made:
                # A wire that was proposed is one made by hand as soon as it is another.
                patch.folded = was.get(tuple(getattr(patch, name) for name in ("feed", *PATCH_FIELDS)), False)
            Patch.objects.bulk_create(made)
        rig = self.fresh(rig.pk)
        refuse_worse(rig.band, [rig])
        return rig


def _socket_fields(socket: CoreSocket) -> dict[str, Any]:
    return {name: getattr(socket, name) for name in SOCKET_FIELDS}


class Kept(OfBand):
    """For view sets: every change can be taken back (``outputs.changes``)."""

    def perform_create(self, serializer: serializers.BaseSerializer[Any]) -> None:
        with self._kept():
            super().perform_create(serializer)

    def perform_update(self, serializer: serializers.BaseSerializer[Any]) -> None:
        with self._kept():
            serializer.save()

    def perform_destroy(self, row: Any) -> None:
        with self._kept():
            row.delete()

    def _kept(self) -> AbstractContextManager[None]:
        request: Request = self.request  # type: ignore[attr-defined]
        return kept(asking_band(request), request.user)


class RigViewSet(Kept, viewsets.ModelViewSet):
    queryset = Rig.objects.prefetch_related("sockets", "patches").select_related("band")
    serializer_class = RigSerializer


class OwnMix(BasePermission):
    """A player without the right to everything changes levels and width of their own mix, and nothing else (rule B3)."""

    message = "You may change your own mix, and nothing else here: ask the director."

    def has_permission(self, request: Request, view: APIView) -> bool:
        if request.method in SAFE_METHODS or has(asking_member(request).right, "everything"):
            return True
        return getattr(view, "action", "") in ("partial_update", "more_me")

    def has_object_permission(self, request: Request, view: APIView, feed: Feed) -> bool:
        member = asking_member(request)
        if request.method in SAFE_METHODS or has(member.right, "everything"):
            return True
        own = feed.kind == "monitor" and feed.player_id is not None and feed.player_id == member.player_id
        return own and set(request.data) <= OF_OWN_MIX


class StarterSerializer(serializers.Serializer):
    """``starter``: the set of feeds to begin with."""

    starter = serializers.ChoiceField(list(STARTERS), default="rhythm_tonal")


class FeedViewSet(Kept, viewsets.ModelViewSet):
    queryset = Feed.objects.prefetch_related("sends").select_related("band")
    serializer_class = FeedSerializer
    least_right = "own_mix"
    permission_classes = [InABand, MayChange, OwnMix]

    def perform_destroy(self, row: Feed) -> None:
        with self._kept():
            Send.objects.filter(feed__band=row.band, source=f"feed:{row.pk}").delete()
            row.delete()

    @extend_schema(request=None, responses=FeedSerializer)
    @action(detail=True, methods=["post"], url_path="more-me")
    def more_me(self, request: Request, pk: str) -> Response:
        """More of what stands in for its player in a mix, and less of all other music."""
        feed = self.get_object()
        if feed.player is None:
            raise refuse("mix-nobodys", "Say first whose mix it is.")
        own = {f"stem:{s.pk}": s.group for s in feed.player.covered_by.all()}
        sends = [CoreSend(s.source, s.gain_db, s.before) for s in feed.sends.all()]
        made = more_me(sends, own, feed.player.name)
        with self._kept():
            feed.sends.all().delete()
            Send.objects.bulk_create([Send(feed=feed, **asdict(s)) for s in made])
        return Response(FeedSerializer(self.get_object()).data)

    @extend_schema(request=StarterSerializer, responses=FeedSerializer(many=True))
    @action(detail=False, methods=["post"])
    def usual(self, request: Request) -> Response:
        """The feeds of a starter set, in place of those there are while nothing is wired; undo brings them back."""
        asked = StarterSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        band = asking_band(request)
        if not Patch.objects.filter(feed__band=band).exists():
            with self._kept():
                Feed.objects.filter(band=band).delete()
                make_feeds(band, asked.validated_data["starter"])
        return Response(FeedSerializer(self.get_queryset(), many=True).data)


def make_feeds(band: Band, starter: StarterName = "rhythm_tonal") -> dict[str, Feed]:
    """The feeds of a starter set, by their name."""
    players = [(str(p.pk), p.name) for p in band.players.all()]
    made = {}
    for i, wanted in enumerate(starter_feeds(starter, players)):
        feed = made[wanted.name] = Feed.objects.create(
            band=band,
            name=wanted.name,
            kind=wanted.kind,
            channels=wanted.channels,
            player_id=wanted.player,
            position=i,
        )
        # The core names feeds by their name in a starter set; here they have ids.
        ids = {f"feed:{name}": f"feed:{one.pk}" for name, one in made.items()}
        sends = [Send(feed=feed, source=ids.get(s.source, s.source), gain_db=s.gain_db) for s in wanted.sends]
        Send.objects.bulk_create(sends)
    return made


class CanTravel(TypedDict):
    can_undo: bool
    can_redo: bool


class OutputsView(APIView):
    @extend_schema(operation_id="outputs_ways", responses={200: component(CanTravel)})
    def get(self, request: Request) -> Response:
        """Whether something of the band's feeds and rigs can be taken back, and done again."""
        return Response(can_travel(asking_band(request)))


class UndoView(APIView):
    @extend_schema(operation_id="outputs_undo", request=None, responses={200: component(CanTravel)})
    def post(self, request: Request) -> Response:
        """Take the last change of feeds and rigs back."""
        travel(asking_band(request), back=True)
        return Response(can_travel(asking_band(request)))


class RedoView(APIView):
    @extend_schema(operation_id="outputs_redo", request=None, responses={200: component(CanTravel)})
    def post(self, request: Request) -> Response:
        """Do again what was taken back last."""
        travel(asking_band(request), back=False)
        return Response(can_travel(asking_band(request)))
