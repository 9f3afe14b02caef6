"""A song as the pages get it: plain data made from its rows, quickly, since every edit answers with it."""

from __future__ import annotations

from typing import Any

from django.conf import settings

from people.models import Band
from songs import build
from songs.heard import drawn, shown_findings, shown_together
from songs.models import CELLS, STEM_SETTINGS, Song, Stem
from songs.offers import shown_offers
from songs.rows import SECTION_FIELDS, SONG_FIELDS, held
from songs.summary import SUMMED
from songs.written import bar_texts
from upbeat.audio.measure import Measured
from upbeat.click.sounds import SOUNDS
from upbeat.errors import Refused
from upbeat.listening.inspect import facts
from upbeat.show.document import read_song
from upbeat.song.lengths import form_lengths
from upbeat.song.sections import rehearsal_mark
from upbeat.song.song import Song as CoreSong
from upbeat.song.stems import Stem as CoreStem
from upbeat.song.stems import can_be_treated
from upbeat.song.tone import curve
from upbeat.song.treatment_notes import treatment_notes

SHOWN_FIELDS = tuple(f for f in SONG_FIELDS if f not in ("endings", "pins", "chords", "gains", "marks_done", "seen"))
_MEASURED = ("format", "sample_rate", "bit_depth", "true_peak_dbtp", "sound_starts_s", "sound_ends_s", "end")


def shown_song(song: Song) -> dict[str, Any]:
    """Everything of a song (songs.pages.song.SongSerializer)."""
    build.look_at(song)
    forms = shown_forms(song)
    return {
        "id": str(song.pk),
        **{f: getattr(song, f) for f in SHOWN_FIELDS},
        "chords": bar_texts(song),
        "click_sounds": list(SOUNDS),
        "revision": song.revision,
        "sections": shown_sections(song),
        "forms": forms,
        "stems": shown_stems(song),
        "seconds": forms[0]["seconds"],
        "bars": sum(s.bars for s in held(song).sections),
        **can_travel(song),
        "findings": shown_findings(song),
        "offers": shown_offers(song),
        "together": shown_together(song),
        "to_do": song.summary.get("to_do", []),
    }


def can_travel(song: Song) -> dict[str, bool]:
    """Whether there is something to take back, and to do again; after an edit that is known."""
    undone = {False} if song.just_edited else set(song.edits.values_list("undone", flat=True).distinct().order_by())
    return {"can_undo": False in undone, "can_redo": True in undone}


_DIVIDES = frozenset({"sections", "endings", "forms", "tempo", "meters", "bar1_s", "pickup"})
_PLACES = frozenset({"tempo", "meters", "bar1_s"})


def shown_changes(song: Song) -> dict[str, Any]:
    """Of a song that was just edited, what may look other than before: a part of :func:`shown_song`."""
    differs = song.differs
    shown: dict[str, Any] = {"id": str(song.pk), "revision": song.revision, **can_travel(song)}
    shown.update({f: getattr(song, f) for f in SHOWN_FIELDS if f in differs})
    if differs & SUMMED:
        shown["to_do"] = song.summary["to_do"]
    if "chords" in differs or "sections" in differs:
        shown["chords"] = bar_texts(song)
    if differs & _DIVIDES:
        forms = shown_forms(song)
        shown.update(
            sections=shown_sections(song),
            forms=forms,
            seconds=forms[0]["seconds"],
            bars=sum(s.bars for s in held(song).sections),
        )
    if differs & (_PLACES | {"sections", "offers"}):
        shown["offers"] = shown_offers(song)
    if "stems" in differs or (differs & _PLACES and any(s.treatment or s.treatments for s in held(song).stems)):
        shown.update(
            stems=shown_stems(song),
            together=shown_together(song),
            findings=shown_findings(song),
        )
    return shown


def shown_sections(song: Song) -> list[dict[str, Any]]:
    sections, first, shown = held(song).sections, 1, []
    for i, s in enumerate(sections):
        ending = build.ending_of(song, s, i == len(sections) - 1)
        shown.append(
            {
                "id": s.id,
                "mark": rehearsal_mark(i),
                "first_bar": first,
                **{f: getattr(s, f) for f in SECTION_FIELDS},
                "ending": ending,
            }
        )
        first += s.bars
    return shown


def shown_forms(song: Song) -> list[dict[str, Any]]:
    forms = build.song_document(song, stems=False)["forms"]
    try:
        core = build.core_song(song, stems=False)
        lengths = form_lengths(core, core.forms)
    except Refused:
        return [{**f, "bars": 0, "seconds": 0.0} for f in forms]
    return [{**f, "bars": n.bars, "seconds": round(float(n.seconds), 1)} for f, n in zip(forms, lengths, strict=True)]


def shown_stems(song: Song) -> list[dict[str, Any]]:
    stems = held(song).stems
    known: dict[str, CoreStem] = {}
    if any(s.treatment or s.treatments for s in stems):
        try:
            core = read_song(build.song_document(song))
            known = {s.id: s for s in core.stems}
        except Refused:
            pass
    return [
        shown_stem(s)
        | (_shown_treatment(core, own, s) if (own := known.get(str(s.pk))) and own.treated else _UNTREATED)
        for s in stems
    ]


_UNTREATED: dict[str, Any] = {"curves": {}, "notes": []}


def _shown_treatment(song: CoreSong, core: CoreStem, stem: Stem) -> dict[str, Any]:
    """The curves of its tones by section, "" for that of the stem; and what a person should know."""
    tones = {"": core.treatment, **core.treatments}
    return {
        "curves": {s: drawn for s, one in tones.items() if one is not None and (drawn := curve(one.tone))},
        "notes": treatment_notes(song, core, stem.audio.measured.get("true_peak_dbtp")),
    }


def shown_stem(stem: Stem) -> dict[str, Any]:
    measured = stem.audio.measured
    known = facts(Measured(**measured))
    return {
        "id": str(stem.pk),
        "name": stem.name,
        "file_name": stem.file_name,
        "group": stem.group,
        "purpose": stem.purpose,
        "covers": str(stem.covers_id) if stem.covers_id else None,
        "covers_name": stem.covers.name if stem.covers else None,
        "layer": {k: v for k, v in stem.layer.items() if k != "attacks"} if stem.layer else None,
        **{f: getattr(stem, f) for f in (*STEM_SETTINGS, *CELLS)},
        "seconds": round(stem.audio.frames / settings.SAMPLE_RATE, 3),
        "channels": stem.audio.channels,
        "integrated_lufs": measured.get("integrated_lufs"),
        "sound": drawn(stem.audio),
        "measured": {f: known[f] for f in _MEASURED},
        "treatable": can_be_treated(stem),
    }


def shown_rows(band: Band) -> list[dict[str, Any]]:
    """The songs of a band as their list shows them: one query, whatever its length."""
    rows = Song.objects.filter(band=band).values_list("pk", "title", "key", "summary")
    return [{"id": str(pk), "title": title, "key": key, **summary} for pk, title, key, summary in rows]
