"""Setlists over the API; the entries are put in order as a whole, so that no order is half-done."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from rest_framework import serializers, viewsets

from people.access import BandRelated, OfBand
from setlists.facts import entry_facts
from setlists.models import Entry, Setlist
from songs.models import Song
from upbeat.errors import refuse
from upbeat.show.running import running_times


class ChoiceSerializer(serializers.Serializer):
    id = serializers.CharField()
    name = serializers.CharField()


class EntrySerializer(serializers.ModelSerializer):
    """An entry with what the running order shows of it. ``starts_s``: from the first go on."""

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

    class Meta:
        model = Entry
        fields = ["id", "song", "form", "link", "link_seconds", "interval_minutes",
                  "title", "bpm", "unit", "meter", "key", "bars", "seconds", "starts_s", "forms", "problem"]  # fmt: skip


class SetlistSerializer(serializers.ModelSerializer):
    entries = EntrySerializer(many=True, required=False)
    seconds = serializers.FloatField(read_only=True)

    class Meta:
        model = Setlist
        fields = ["id", "name", "slot_minutes", "starts_at", "seconds", "entries"]

    def to_representation(self, setlist: Setlist) -> dict[str, Any]:
        entries = list(setlist.entries.all())
        told = [entry_facts(e) for e in entries]
        starts, seconds = running_times([t.lasting for t in told])
        shown = [{**_stored(e), **t.shown, "starts_s": round(s, 1)} for e, t, s in zip(entries, told, starts, strict=True)]
        return {
            "id": str(setlist.pk), "name": setlist.name, "slot_minutes": setlist.slot_minutes, "starts_at": str(setlist.starts_at)[:5] if setlist.starts_at else None,
            "seconds": round(seconds, 1), "entries": shown,
        }  # fmt: skip

    @transaction.atomic
    def create(self, data: dict[str, Any]) -> Setlist:
        entries = data.pop("entries", [])
        return self._fill(Setlist.objects.create(**data), entries)

    @transaction.atomic
    def update(self, setlist: Setlist, data: dict[str, Any]) -> Setlist:
        entries = data.pop("entries", None)
        for name, value in data.items():
            setattr(setlist, name, value)
        setlist.save()
        return self._fill(setlist, entries)

    def _fill(self, setlist: Setlist, entries: list[dict[str, Any]] | None) -> Setlist:
        if entries is not None:
            if len(entries) > 500:
                raise refuse("setlist-long", "A setlist has at most 500 entries.")
            existing = {e.pk: e for e in setlist.entries.all()}
            kept = []
            for position, raw in enumerate(entries):
                entry = existing.get(raw.pop("id", None)) or Entry(setlist=setlist)
                for name, value in raw.items():
                    setattr(entry, name, value)
                if entry.song is None and not entry.interval_minutes:
                    raise refuse("entry-empty", f"Entry {position + 1} has neither a song nor an interval: choose one.")
                if entry.song is not None and entry.form and not entry.song.forms.filter(pk=_uuid(entry.form)).exists():
                    raise refuse("form-unknown", f"“{entry.song.title}” has no such form: choose one of its own.")
                entry.position = position
                entry.save()
                kept.append(entry.pk)
            setlist.entries.exclude(pk__in=kept).delete()
        return Setlist.objects.prefetch_related("entries__song").get(pk=setlist.pk)


def _stored(entry: Entry) -> dict[str, Any]:
    return {
        "id": str(entry.pk), "song": str(entry.song_id) if entry.song_id else None, "form": entry.form, "link": entry.link,
        "link_seconds": entry.link_seconds, "interval_minutes": entry.interval_minutes,
    }  # fmt: skip


def _uuid(text: str) -> str | None:
    import uuid

    try:
        return str(uuid.UUID(text))
    except ValueError:
        return None


class SetlistViewSet(OfBand, viewsets.ModelViewSet):
    queryset = Setlist.objects.prefetch_related("entries__song__sections", "entries__song__forms", "entries__song__stems")
    serializer_class = SetlistSerializer
