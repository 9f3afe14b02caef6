"""Rigs and feeds over the API. A change that breaks a rule of the routing is refused whole."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any, TypedDict

from django.db import transaction
from drf_spectacular.utils import extend_schema, extend_schema_field
from rest_framework import serializers, viewsets
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response

from api.typed import component
from outputs.models import Feed, Patch, Rig, Send, Socket
from outputs.routing import checks_of, problems_of, refuse_worse
from people.access import BandRelated, OfBand, asking_band
from people.revised import RevisedSerializer
from upbeat.errors import refuse


class SocketSerializer(serializers.ModelSerializer):
    class Meta:
        model = Socket
        fields = ["number", "label", "use", "balanced"]
        validators: list = []


class PatchSerializer(serializers.ModelSerializer):
    feed = BandRelated(queryset=Feed.objects.all())

    class Meta:
        model = Patch
        fields = ["feed", "side", "socket", "trim_db", "delay_ms", "invert"]
        validators: list = []


class ProblemSerializer(serializers.Serializer):
    code = serializers.CharField()
    message = serializers.CharField()


class CheckSerializer(serializers.Serializer):
    state = serializers.ChoiceField(["ok", "look", "wrong"])
    title = serializers.CharField()
    detail = serializers.CharField()


class ChosenInterface(TypedDict):
    """The interface that is used with a rig."""

    name: str
    outputs: int
    block: int
    buffer: int


class RigSerializer(RevisedSerializer):
    """A rig with its sockets and patch. With ``revision`` a change to another state is refused (409)."""

    sockets = SocketSerializer(many=True, required=False)
    patches = PatchSerializer(many=True, required=False)
    problems = serializers.SerializerMethodField()
    checks = serializers.SerializerMethodField()
    interface = serializers.SerializerMethodField()

    class Meta:
        model = Rig
        fields = ["id", "name", "position", "sockets", "patches", "problems", "checks", "interface", "revision"]

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
        sockets, patches = data.pop("sockets", []), data.pop("patches", [])
        return self._fill(Rig.objects.create(**data), sockets, patches)

    @transaction.atomic
    def update(self, rig: Rig, data: dict[str, Any]) -> Rig:
        locked = self.lock(rig, data)
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
            rig.patches.all().delete()
            Patch.objects.bulk_create([Patch(rig=rig, **p) for p in patches])
        rig = self.fresh(rig.pk)
        refuse_worse(rig.band, [rig])
        return rig


class RigViewSet(OfBand, viewsets.ModelViewSet):
    queryset = Rig.objects.prefetch_related("sockets", "patches").select_related("band")
    serializer_class = RigSerializer


class SendSerializer(serializers.ModelSerializer):
    class Meta:
        model = Send
        fields = ["source", "gain_db"]

    def validate_source(self, source: str) -> str:
        kind, _, name = source.partition(":")
        if source not in ("click", "cues") and not (kind in ("group", "stem", "feed") and name):
            raise serializers.ValidationError("A source is click, cues, or a group, stem or feed by name.")
        return source


class FeedSerializer(serializers.ModelSerializer):
    sends = SendSerializer(many=True, required=False)

    class Meta:
        model = Feed
        fields = ["id", "name", "kind", "channels", "gain_db", "alone", "position", "sends"]

    @transaction.atomic
    def create(self, data: dict[str, Any]) -> Feed:
        sends = data.pop("sends", [])
        return self._fill(Feed.objects.create(**data), sends)

    @transaction.atomic
    def update(self, feed: Feed, data: dict[str, Any]) -> Feed:
        sends = data.pop("sends", None)
        for name, value in data.items():
            setattr(feed, name, value)
        feed.save()
        if feed.channels == 1:
            # A mono feed has one side: what was wired from left or right comes from the whole.
            for patch in feed.patches.exclude(side="mono"):
                twin = feed.patches.filter(rig=patch.rig, socket=patch.socket, side="mono").exists()
                if twin:
                    patch.delete()
                else:
                    patch.side = "mono"
                    patch.save()
        return self._fill(feed, sends)

    def _fill(self, feed: Feed, sends: list[dict[str, Any]] | None) -> Feed:
        if sends is not None:
            sources = [s["source"] for s in sends]
            if len(set(sources)) != len(sources):
                raise refuse("send-twice", f"“{feed.name}” takes the same source twice: leave one out.")
            feed.sends.all().delete()
            Send.objects.bulk_create([Send(feed=feed, **s) for s in sends])
        refuse_worse(feed.band, list(feed.band.rigs.prefetch_related("sockets", "patches")))
        return Feed.objects.prefetch_related("sends").get(pk=feed.pk)


class FeedViewSet(OfBand, viewsets.ModelViewSet):
    queryset = Feed.objects.prefetch_related("sends").select_related("band")
    serializer_class = FeedSerializer

    def perform_destroy(self, feed: Feed) -> None:
        with transaction.atomic():
            Send.objects.filter(feed__band=feed.band, source=f"feed:{feed.pk}").delete()
            feed.delete()

    @extend_schema(request=None, responses=FeedSerializer(many=True))
    @action(detail=False, methods=["post"])
    def usual(self, request: Request) -> Response:
        """The usual feeds for a band that has none: house rhythm and tonal, click, cues."""
        if not Feed.objects.filter(band=asking_band(request)).exists():
            with transaction.atomic():
                usual_feeds(asking_band(request))
        return Response(FeedSerializer(self.get_queryset(), many=True).data)


def usual_feeds(band: Any) -> dict[str, Feed]:
    """House rhythm, house tonal, click and cues, as most desks want them."""
    wanted = [
        ("House rhythm", "house", 2, ["group:rhythm", "group:full_mix"]),
        ("House tonal", "house", 2, ["group:tonal", "group:voices", "group:effects"]),
        ("Click", "monitor", 1, ["click"]),
        ("Cues", "monitor", 1, ["cues"]),
    ]
    feeds = {}
    for i, (name, kind, channels, sources) in enumerate(wanted):
        feed = feeds[name] = Feed.objects.create(band=band, name=name, kind=kind, channels=channels, position=i)
        Send.objects.bulk_create([Send(feed=feed, source=s) for s in sources])
    return feeds
