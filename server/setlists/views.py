"""Setlists over the API; the entries are put in order as a whole, so that no order is half-done."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from rest_framework import serializers, viewsets

from people.access import BandRelated, OfBand
from setlists.models import Entry, Setlist
from songs.build import core_song
from songs.models import Song
from upbeat.errors import refuse
from upbeat.form.song import form_length


class EntrySerializer(serializers.ModelSerializer):
    id = serializers.UUIDField(required=False)
    song = BandRelated(queryset=Song.objects.all(), allow_null=True, required=False)
    title = serializers.SerializerMethodField()
    bpm = serializers.SerializerMethodField()
    meter = serializers.SerializerMethodField()
    key = serializers.SerializerMethodField()
    bars = serializers.SerializerMethodField()
    seconds = serializers.SerializerMethodField()
    form_name = serializers.SerializerMethodField()

    class Meta:
        model = Entry
        fields = ["id", "song", "form", "link", "link_seconds", "interval_minutes", "title", "bpm", "meter", "key", "bars", "seconds", "form_name"]

    def get_title(self, entry: Entry) -> str:
        return entry.song.title if entry.song else ""

    def get_bpm(self, entry: Entry) -> str:
        return str(entry.song.tempo[0]["bpm"]) if entry.song else ""

    def get_meter(self, entry: Entry) -> str:
        return " · ".join(dict.fromkeys(m["meter"] for m in entry.song.meters)) if entry.song else ""

    def get_key(self, entry: Entry) -> str:
        return entry.song.key if entry.song else ""

    def _length(self, entry: Entry) -> tuple[int, float]:
        if entry.song is None:
            return 0, 60.0 * (entry.interval_minutes or 0)
        song = core_song(entry.song)
        length = form_length(song, song.form(entry.form or None))
        return length.bars, float(length.seconds)

    def get_bars(self, entry: Entry) -> int:
        return self._length(entry)[0]

    def get_seconds(self, entry: Entry) -> float:
        return round(self._length(entry)[1], 3)

    def get_form_name(self, entry: Entry) -> str:
        return core_song(entry.song).form(entry.form or None).name if entry.song else ""


class SetlistSerializer(serializers.ModelSerializer):
    entries = EntrySerializer(many=True, required=False)

    class Meta:
        model = Setlist
        fields = ["id", "name", "slot_minutes", "starts_at", "entries"]

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


def _uuid(text: str) -> str | None:
    import uuid

    try:
        return str(uuid.UUID(text))
    except ValueError:
        return None


class SetlistViewSet(OfBand, viewsets.ModelViewSet):
    queryset = Setlist.objects.prefetch_related("entries__song__sections", "entries__song__forms", "entries__song__stems")
    serializer_class = SetlistSerializer
