"""A feed as the API shows and takes it: its sends, its tone, its ceiling."""

from __future__ import annotations

from typing import Any

import msgspec
from django.db import transaction
from rest_framework import serializers

from outputs.models import Feed, Send
from outputs.routing import refuse_worse
from people.access import BandRelated
from people.models import Player
from upbeat.errors import refuse
from upbeat.limits import CEILING_DB
from upbeat.song.tone import curve, read_tone


class SendSerializer(serializers.ModelSerializer):
    class Meta:
        model = Send
        fields = ["source", "gain_db", "before"]

    def validate_source(self, source: str) -> str:
        kind, _, name = source.partition(":")
        if source not in ("click", "cues") and not (kind in ("group", "stem", "feed") and name):
            raise serializers.ValidationError("A source is click, cues, or a group, stem or feed by name.")
        return source


class ToneSerializer(serializers.Serializer):
    """The tone of a feed (``upbeat.song.tone.Tone``)."""

    low_cut_hz = serializers.FloatField(allow_null=True, required=False)
    low_db = serializers.FloatField(required=False)
    mid_db = serializers.FloatField(required=False)
    mid_hz = serializers.FloatField(required=False)
    high_db = serializers.FloatField(required=False)
    high_cut_hz = serializers.FloatField(allow_null=True, required=False)


class FeedSerializer(serializers.ModelSerializer):
    """A feed; ``tone_curve``: how loud its tone makes each of the frequencies ``upbeat.song.tone.CURVE_HZ``, in dB;
    ``ceiling_db``: in dBTP, null for none."""

    sends = SendSerializer(many=True, required=False)
    tone = ToneSerializer(required=False, allow_null=True)
    tone_curve = serializers.SerializerMethodField()
    ceiling_db = serializers.FloatField(required=False, allow_null=True)
    player = BandRelated(queryset=Player.objects.all(), required=False, allow_null=True)

    class Meta:
        model = Feed
        fields = [
            "id",
            "name",
            "kind",
            "channels",
            "gain_db",
            "alone",
            "player",
            "position",
            "sends",
            "tone",
            "tone_curve",
            "ceiling_db",
        ]

    def get_tone_curve(self, feed: Feed) -> list[float]:
        return curve(read_tone(feed.tone, feed.name))

    def validate_ceiling_db(self, db: float | None) -> float | None:
        """Raises :class:`Refused`."""
        if db is not None and db not in CEILING_DB:
            raise refuse(
                "ceiling-range",
                f"A ceiling goes from {CEILING_DB} dBTP, not to {db:g}: type one of these, or nothing for none.",
            )
        return db

    def validate_tone(self, tone: dict[str, Any] | None) -> dict[str, Any] | None:
        """Raises :class:`Refused`."""
        read = read_tone(tone, str(self.initial_data.get("name") or getattr(self.instance, "name", "")))
        return None if read is None else dict(msgspec.to_builtins(read))

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
