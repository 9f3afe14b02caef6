"""The rows of a song: read once for an instance, changed in memory, written where they differ."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict, dataclass
from typing import Any

from django.db.models import Prefetch, QuerySet, prefetch_related_objects

from people.models import Player
from songs.models import STEM_SETTINGS, Audio, Comparison, Form, Offer, Section, Song, Stem
from upbeat.form.song import Section as CoreSection

ROWS = ("sections", "forms", Prefetch("stems", Stem.objects.select_related("audio", "covers")), "offers")

SONG_FIELDS = (
    "title", "key", "tempo", "meters", "bar1_s", "pickup", "count_in_bars", "count_in_aloud", "click", "crossfade_ms", "ring_on_s", "calls", "endings", "pins",
    "chords", "note",
)  # fmt: skip
SECTION_FIELDS = ("name", "bars", "colour", "cue", "locked", "words", "note")
STEM_FIELDS = ("position", "name", "file_name", "group", "purpose", *STEM_SETTINGS, "tacet", "mends", "accepted")


@dataclass
class FormRow:
    id: str
    name: str
    steps: list[dict[str, Any]]


@dataclass
class Held:
    """What belongs to a song, in order. Edits change it; nothing is written before :func:`save`."""

    sections: tuple[CoreSection, ...]
    forms: list[FormRow]
    stems: list[Stem]
    offers: list[Offer]
    comparison: Comparison | None = None


def held(song: Song) -> Held:
    """The rows of a song, read on the first call for this instance."""
    if song.held is None:
        prefetch_related_objects([song], *ROWS)
        song.held = Held(
            tuple(CoreSection(str(s.pk), mark="", **{f: getattr(s, f) for f in SECTION_FIELDS}) for s in song.sections.all()),
            [FormRow(str(f.pk), f.name, f.steps) for f in song.forms.all()], list(song.stems.all()), list(song.offers.all()),
        )  # fmt: skip
    rows: Held = song.held
    return rows


def snapshot(song: Song) -> dict[str, Any]:
    """All of a song that undo brings back, as plain data."""
    rows = held(song)
    return {
        **{f: getattr(song, f) for f in SONG_FIELDS},
        "sections": [{"id": s.id, **{f: getattr(s, f) for f in SECTION_FIELDS}} for s in rows.sections],
        "offers": {str(o.pk): o.taken for o in rows.offers},
        "forms": [asdict(f) for f in rows.forms],
        "stems": [
            {"id": str(s.pk), "audio": str(s.audio_id), "covers": str(s.covers_id) if s.covers_id else None, **{f: _copy(getattr(s, f)) for f in STEM_FIELDS}}
            for s in rows.stems
        ],
    }  # fmt: skip


def differing(before: dict[str, Any], after: dict[str, Any]) -> tuple[dict[str, Any], dict[str, Any]]:
    """The parts of two snapshots that are not the same."""
    keys = [k for k in after if before.get(k) != after[k]]
    return {k: before[k] for k in keys}, {k: after[k] for k in keys}


def _copy(value: Any) -> Any:
    return dict(value) if isinstance(value, dict) else list(value) if isinstance(value, list) else value


def restore(song: Song, kept: dict[str, Any]) -> None:
    """Make a song, in memory, what :func:`snapshot` saw, or the part of it that is given.

    Players and sounds that are gone stay gone.
    """
    rows = held(song)
    for field in SONG_FIELDS:
        if field in kept:
            setattr(song, field, kept[field])
    if "sections" in kept:
        rows.sections = tuple(CoreSection(s["id"], mark="", **{f: s[f] for f in SECTION_FIELDS if f in s}) for s in kept["sections"])
    if "forms" in kept:
        rows.forms = [FormRow(**f) for f in kept["forms"]]
    if "offers" in kept:
        for offer in rows.offers:
            offer.taken = kept["offers"].get(str(offer.pk), False)
    if "stems" in kept:
        rows.stems = _stems_again(song, kept["stems"], rows.stems)


def _stems_again(song: Song, kept: list[dict[str, Any]], now: list[Stem]) -> list[Stem]:
    known = {str(s.pk): s for s in now}
    missing = [s for s in kept if s["id"] not in known]
    audio = {str(a.pk): a for a in Audio.objects.filter(band=song.band_id, pk__in=[s["audio"] for s in missing])} if missing else {}
    wanted = {s["covers"] for s in kept if s["covers"]}
    players = {str(p.pk): p for p in Player.objects.filter(band=song.band_id, pk__in=wanted)} if wanted else {}
    stems = []
    for s in kept:
        if s["id"] in known:
            stem = known[s["id"]]
        elif s["audio"] in audio:
            stem = Stem(id=s["id"], song=song, audio=audio[s["audio"]])
        else:
            continue
        for field in STEM_FIELDS:
            if field in s:
                setattr(stem, field, s[field])
        stem.covers = players.get(s["covers"] or "")
        stems.append(stem)
    return stems


def save(song: Song, before: dict[str, Any], after: dict[str, Any]) -> None:
    """Write the rows that differ between two snapshots, and the song itself."""
    song.save()
    sections = [Section(id=s["id"], song=song, position=i, **{f: s[f] for f in SECTION_FIELDS}) for i, s in enumerate(after["sections"])]
    _write(song.sections.all(), before["sections"], after["sections"], sections, ("position", *SECTION_FIELDS))
    forms = [Form(id=f["id"], song=song, position=i, name=f["name"], steps=f["steps"]) for i, f in enumerate(after["forms"])]
    _write(song.forms.all(), before["forms"], after["forms"], forms, ("position", "name", "steps"))
    _write(song.stems.all(), before["stems"], after["stems"], held(song).stems, ("covers", *STEM_FIELDS))
    for offer in held(song).offers:
        if before["offers"].get(str(offer.pk)) != offer.taken:
            Offer.objects.filter(pk=offer.pk).update(taken=offer.taken)


def _write(there: QuerySet, before: list[dict[str, Any]], after: list[dict[str, Any]], rows: Iterable[Any], fields: tuple[str, ...]) -> None:
    """Delete, change and add rows so that ``before`` becomes ``after``. A row's place in the list is part of it."""
    old = {row["id"]: (i, row) for i, row in enumerate(before)}
    new = {row["id"]: (i, row) for i, row in enumerate(after)}
    gone = [pk for pk in old if pk not in new]
    if gone:
        there.filter(pk__in=gone).delete()
    changed = [row for row in rows if old.get(str(row.pk)) != new[str(row.pk)]]
    if changed:
        there.model.objects.bulk_create(changed, update_conflicts=True, unique_fields=["id"], update_fields=list(fields))
