"""A setlist and its entries as the API shows and takes them."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from rest_framework import serializers

from people.access import BandRelated, asking_band
from people.revised import RevisedSerializer
from setlists.changes import kept, travel, with_ways
from setlists.entries import put_entries, stored
from setlists.facts import entry_facts
from setlists.kept import bring_back
from setlists.models import Entry, Setlist
from songs.models import Song
from songs.pages.tempos import PreparingSerializer
from upbeat.messages.timecode import parse_label
from upbeat.show.document import PADS
from upbeat.show.running import running_times
from upbeat.song.screen import SHOWS


class ChoiceSerializer(serializers.Serializer):
    id = serializers.CharField()
    name = serializers.CharField()


class EntrySerializer(serializers.ModelSerializer):
    """An entry with what the running order shows of it. ``starts_s``: from the first go on.

    ``semitones`` and ``tempo_percent``: null for those of its song; ``played_semitones`` and ``played_percent``: what comes of it.
    ``tempo``: in place of ``tempo_percent``, as typed: ``92 %`` or beats a minute; empty for that of its song.
    """

    id = serializers.UUIDField(required=False)
    song = BandRelated(queryset=Song.objects.all(), allow_null=True, required=False)
    title = serializers.CharField(read_only=True)
    bpm = serializers.CharField(read_only=True)
    unit = serializers.CharField(read_only=True)
    meter = serializers.CharField(read_only=True)
    key = serializers.CharField(read_only=True)
    bars = serializers.IntegerField(read_only=True)
    seconds = serializers.FloatField(read_only=True)
    starts_s = serializers.FloatField(read_only=True)
    forms = ChoiceSerializer(many=True, read_only=True)
    problem = serializers.CharField(read_only=True, allow_null=True)
    wrong = serializers.IntegerField(read_only=True)
    look = serializers.IntegerField(read_only=True)
    players = serializers.DictField(child=serializers.BooleanField(), required=False)
    pad = serializers.ChoiceField(list(PADS), required=False)
    screen = serializers.ChoiceField(list(SHOWS), required=False)
    recorded_bpm = serializers.CharField(read_only=True)
    recorded_key = serializers.CharField(read_only=True)
    # Ranges are the core's to refuse, with its sentence.
    semitones = serializers.IntegerField(required=False, allow_null=True)
    tempo_percent = serializers.FloatField(required=False, allow_null=True)
    played_semitones = serializers.IntegerField(read_only=True)
    played_percent = serializers.FloatField(read_only=True)
    tempo = serializers.CharField(write_only=True, required=False, allow_blank=True, max_length=12)
    preparing = PreparingSerializer(read_only=True, allow_null=True)

    class Meta:
        model = Entry
        fields = [
            "id",
            "song",
            "form",
            "link",
            "link_seconds",
            "pad",
            "call_title",
            "timecode",
            "screen",
            "semitones",
            "tempo_percent",
            "tempo",
            "note",
            "colour",
            "players",
            "set_name",
            "interval_minutes",
            "title",
            "bpm",
            "unit",
            "meter",
            "key",
            "recorded_bpm",
            "recorded_key",
            "played_semitones",
            "played_percent",
            "preparing",
            "bars",
            "seconds",
            "starts_s",
            "forms",
            "problem",
            "wrong",
            "look",
        ]

    def validate_timecode(self, label: str) -> str:
        """As every rate of timecode has it, which a device of the band may be."""
        return label and str(parse_label(label, "24"))

    def validate_players(self, players: dict[str, bool]) -> dict[str, bool]:
        """Those of the own band; others are left out."""
        own = {str(pk) for pk in asking_band(self.context["request"]).players.values_list("pk", flat=True)}
        return {player: on for player, on in players.items() if player in own}


class SetlistSerializer(RevisedSerializer):
    """A setlist with its entries in order. With ``revision`` a change to another state is refused (409)."""

    entries = EntrySerializer(many=True, required=False)
    seconds = serializers.FloatField(read_only=True)
    can_undo = serializers.BooleanField(read_only=True)
    can_redo = serializers.BooleanField(read_only=True)

    class Meta:
        model = Setlist
        fields = ["id", "name", "slot_minutes", "starts_at", "seconds", "entries", "revision", "can_undo", "can_redo"]

    def to_representation(self, setlist: Setlist) -> dict[str, Any]:
        entries = list(setlist.entries.all())
        facts = [entry_facts(e) for e in entries]
        played = [i for i, e in enumerate(entries) if not e.is_heading]
        starts, seconds = running_times([facts[i].lasting for i in played])
        at = dict(zip(played, starts, strict=True))
        shown = [
            {**stored(e), **t.shown, "starts_s": round(next((at[k] for k in played if k >= i), seconds), 1)}
            for i, (e, t) in enumerate(zip(entries, facts, strict=True))
        ]
        return {
            "id": str(setlist.pk),
            "name": setlist.name,
            "slot_minutes": setlist.slot_minutes,
            "starts_at": str(setlist.starts_at)[:5] if setlist.starts_at else None,
            "seconds": round(seconds, 1),
            "revision": setlist.revision,
            "can_undo": setlist.back,  # type: ignore[attr-defined]  # with_ways
            "can_redo": setlist.forth,  # type: ignore[attr-defined]
            "entries": shown,
        }

    @transaction.atomic
    def create(self, data: dict[str, Any]) -> Setlist:
        entries = data.pop("entries", [])
        setlist = Setlist.objects.create(**data)
        put_entries(setlist, entries)
        return self.fresh(setlist.pk)

    @transaction.atomic
    def update(self, setlist: Setlist, data: dict[str, Any]) -> Setlist:
        locked = self.lock(setlist, data)
        entries = data.pop("entries", None)
        with kept(locked, locked.changed_by):
            for name, value in data.items():
                setattr(locked, name, value)
            locked.save()
            if entries is not None:
                put_entries(locked, entries)
        return self.fresh(locked.pk)

    @transaction.atomic
    def travel(self, setlist: Setlist, revision: int | None, back: bool) -> Setlist:
        """Take the last change back, or do it again. Raises :class:`Refused`, :class:`Conflict`."""
        locked = self.lock(setlist, {"revision": revision})
        travel(locked, back)
        return self.fresh(locked.pk)

    @transaction.atomic
    def bring_back(self, setlist: Setlist, revision: int | None, way: str) -> Setlist:
        """Make it what it was. Raises :class:`Refused`, :class:`Conflict`."""
        locked = self.lock(setlist, {"revision": revision})
        bring_back(locked, way, locked.changed_by)
        return self.fresh(locked.pk)

    def fresh(self, pk: Any) -> Setlist:
        return with_ways(Setlist.objects.prefetch_related("entries__song")).get(pk=pk)
