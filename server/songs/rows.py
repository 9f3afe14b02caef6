"""The rows of a song: read once for an instance, changed in memory, written where they differ."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import asdict, dataclass
from typing import Any

from django.db.models import Prefetch, QuerySet, prefetch_related_objects

from people.models import Player
from songs.models import CELLS, STEM_SETTINGS, Audio, Comparison, Form, Offer, Section, Song, Stem
from upbeat.song.song import Section as CoreSection

ROWS = ("sections", "forms", Prefetch("stems", Stem.objects.select_related("audio", "covers")), "offers")

SONG_FIELDS = (
    "title",
    "key",
    "tempo",
    "meters",
    "bar1_s",
    "pickup",
    "count_in_bars",
    "count_in_aloud",
    "count_in_sticks",
    "click",
    "crossfade_ms",
    "ring_on_s",
    "calls",
    "lead",
    "endings",
    "pins",
    "chords",
    "note",
    "gain_db",
    "gains",
    "edges",
    "cues",
    "marks_done",
    "seen",
    "messages",
    "screen",
    "semitones",
    "tempo_percent",
)
SECTION_FIELDS = ("name", "bars", "colour", "cue", "locked", "words", "note", "called", "lead")
STEM_FIELDS = (
    "position",
    "name",
    "file_name",
    "group",
    "purpose",
    *STEM_SETTINGS,
    "layer",
    *CELLS,
    "mends",
    "accepted",
)


@dataclass
class FormRow:
    id: str
    name: str
    steps: list[dict[str, Any]]


class Held:
    """What belongs to a song, in order: each part read when it is first asked for, changed in memory.

    ``seen`` keeps each part as it was read, as plain data. Nothing is written before :func:`save`.
    """

    PARTS = ("sections", "forms", "stems", "offers")

    def __init__(self, song: Song):
        self._song = song
        self._parts: dict[str, Any] = {}
        self.seen: dict[str, Any] = {}
        self.comparison: Comparison | None = None

    def _part(self, name: str) -> Any:
        if name not in self._parts:
            self._parts[name] = _READ[name](self._song)
            self.seen[name] = _PLAIN[name](self._parts[name])
        return self._parts[name]

    @property
    def sections(self) -> tuple[CoreSection, ...]:
        return self._part("sections")

    @sections.setter
    def sections(self, sections: tuple[CoreSection, ...]) -> None:
        self._part("sections")
        self._parts["sections"] = sections

    @property
    def forms(self) -> list[FormRow]:
        return self._part("forms")

    @forms.setter
    def forms(self, forms: list[FormRow]) -> None:
        self._part("forms")
        self._parts["forms"] = forms

    @property
    def stems(self) -> list[Stem]:
        return self._part("stems")

    @stems.setter
    def stems(self, stems: list[Stem]) -> None:
        self._part("stems")
        self._parts["stems"] = stems

    def stem_lengths(self) -> list[tuple[int, float | None, float]]:
        """Frames, end and delay of each recorded stem, without reading all else of it."""
        if "stems" in self._parts:
            return [(s.audio.frames, s.end_s, s.delay_ms) for s in self.recorded]
        return list(self._song.stems.filter(layer__isnull=True).values_list("audio__frames", "end_s", "delay_ms"))

    @property
    def recorded(self) -> list[Stem]:
        """The stems that were recorded for the song: no layers, which follow whatever it is."""
        return [s for s in self.stems if s.layer is None]

    @property
    def offers(self) -> list[Offer]:
        return self._part("offers")

    def now(self) -> dict[str, Any]:
        """The parts that were read, as they are, as plain data."""
        return {name: _PLAIN[name](part) for name, part in self._parts.items()}


def _stem_rows(song: Song) -> list[Stem]:
    # Does nothing where a list of songs has read them already.
    prefetch_related_objects([song], ROWS[2])
    return list(song.stems.all())


_READ: dict[str, Callable[[Song], Any]] = {
    "sections": lambda song: tuple(
        CoreSection(id=str(s.pk), mark="", **{f: getattr(s, f) for f in SECTION_FIELDS}) for s in song.sections.all()
    ),
    "forms": lambda song: [FormRow(str(f.pk), f.name, f.steps) for f in song.forms.all()],
    "stems": _stem_rows,
    "offers": lambda song: list(song.offers.all()),
}
_PLAIN: dict[str, Callable[[Any], Any]] = {
    "sections": lambda sections: [{"id": s.id, **{f: getattr(s, f) for f in SECTION_FIELDS}} for s in sections],
    "forms": lambda forms: [asdict(f) for f in forms],
    "stems": lambda stems: [
        {
            "id": str(s.pk),
            "audio": str(s.audio_id),
            "covers": str(s.covers_id) if s.covers_id else None,
            **{f: _copy(getattr(s, f)) for f in STEM_FIELDS},
        }
        for s in stems
    ],
    "offers": lambda offers: {str(o.pk): o.taken for o in offers},
}


def held(song: Song) -> Held:
    """The rows of a song, the same for as long as this instance lives."""
    if song.held is None:
        song.held = Held(song)
    rows: Held = song.held
    return rows


def fields_of(song: Song) -> dict[str, Any]:
    """The song's own fields that undo brings back."""
    return {f: getattr(song, f) for f in SONG_FIELDS}


def snapshot(song: Song) -> dict[str, Any]:
    """All of a song that undo brings back, as plain data."""
    rows = held(song)
    for name in Held.PARTS:
        rows._part(name)
    return {**fields_of(song), **rows.now()}


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
        rows.sections = tuple(
            CoreSection(id=s["id"], mark="", **{f: s[f] for f in SECTION_FIELDS if f in s}) for s in kept["sections"]
        )
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
    audio = (
        {str(a.pk): a for a in Audio.objects.filter(band=song.band_id, pk__in=[s["audio"] for s in missing])}
        if missing
        else {}
    )
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
    """Write the song and the rows that differ; ``before`` and ``after`` hold the parts that do (:func:`differing`)."""
    song.save(update_fields=[f for f in SONG_FIELDS if f in after] + ["revision", "changed", "summary"])
    if "sections" in after:
        sections = [
            Section(id=s["id"], song=song, position=i, **{f: s[f] for f in SECTION_FIELDS})
            for i, s in enumerate(after["sections"])
        ]
        _write(song.sections.all(), before["sections"], after["sections"], sections, ("position", *SECTION_FIELDS))
    if "forms" in after:
        forms = [
            Form(id=f["id"], song=song, position=i, name=f["name"], steps=f["steps"])
            for i, f in enumerate(after["forms"])
        ]
        _write(song.forms.all(), before["forms"], after["forms"], forms, ("position", "name", "steps"))
    if "stems" in after:
        _write(song.stems.all(), before["stems"], after["stems"], held(song).stems, ("covers", *STEM_FIELDS))
    if "offers" in after:
        for offer in held(song).offers:
            Offer.objects.filter(pk=offer.pk).update(taken=offer.taken)


def _write(
    there: QuerySet,
    before: list[dict[str, Any]],
    after: list[dict[str, Any]],
    rows: Iterable[Any],
    fields: tuple[str, ...],
) -> None:
    """Delete, change and add rows so that ``before`` becomes ``after``. A row's place in the list is part of it."""
    old = {row["id"]: (i, row) for i, row in enumerate(before)}
    new = {row["id"]: (i, row) for i, row in enumerate(after)}
    gone = [pk for pk in old if pk not in new]
    if gone:
        there.filter(pk__in=gone).delete()
    rows = list(rows)
    changed = [row for row in rows if str(row.pk) in old and old[str(row.pk)] != new[str(row.pk)]]
    if changed:
        # Rows that were read from this song: the insert always meets the row that is there.
        there.model.objects.bulk_create(
            changed, update_conflicts=True, unique_fields=["id"], update_fields=list(fields)
        )
    # A new row has to be new: an id that another song has is never written over.
    there.model.objects.bulk_create([row for row in rows if str(row.pk) not in old])
