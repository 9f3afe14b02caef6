"""Every edit of a song: one function for each, one way in, and undo.

An edit takes the song locked in a transaction, changes its rows in memory by the core's rules, and
is kept with the song before and after it. What the core refuses leaves no trace.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from django.db import transaction

from api.conflict import Conflict
from api.history import change_to_travel
from songs.build import core_song
from songs.edits import forms, layers, messages, screen, sections, sheet, stems, tempo, writing  # noqa: F401 (they register their edits)
from songs.edits.registry import EDITS
from songs.models import Edit, Song
from songs.rows import differing, fields_of, held, restore, save
from songs.summary import SUMMED, summary_of
from upbeat.arguments import parsed
from upbeat.errors import Refused, refuse
from upbeat.play.compile import check_bars, check_form

KEEP_EDITS, _CLEAR_EVERY = 500, 20
# Parts of a song that the core has no rules about.
_WRITTEN_ONLY = frozenset(
    {
        "title",
        "key",
        "note",
        "chords",
        "pins",
        "offers",
        "marks_done",
        "seen",
        "messages",
        "screen",
        "semitones",
        "tempo_percent",
    }
)
# Who changes one of these has looked at the grid.
_GRID = ("tempo", "meters", "bar1_s", "pickup")


def apply_edit(
    song_id: Any, band: Any, user: Any, do: str, args: Mapping[str, Any], revision: int | None = None
) -> Song:
    """Do one edit by name. Raises :class:`Refused`, :class:`Conflict`, ``Song.DoesNotExist``."""
    wanted = EDITS.get(do)
    if wanted is None:
        raise refuse("edit-unknown", f"There is no edit called “{do}”.")
    try:
        typed = parsed(args, wanted.arguments, "It", strict=False)
    except Refused as refused:
        raise refuse("edit-incomplete", f"The edit “{do}” misses or misspells something. {refused}") from None
    return _edited(song_id, band, user, do, lambda song: wanted.apply(song, typed), revision)


def add_stem(song_id: Any, band: Any, user: Any, **stem: Any) -> Song:
    """The edit that import makes; it is undone like any other."""
    return _edited(song_id, band, user, "add_stem", lambda song: stems.add_stem(song, **stem), None)


def _edited(
    song_id: Any, band: Any, user: Any, label: str, change: Callable[[Song], None], revision: int | None
) -> Song:
    with transaction.atomic():
        song = _locked(song_id, band)
        _same_revision(song, revision)
        fields = fields_of(song)
        try:
            change(song)
        except (KeyError, TypeError, ValueError, OverflowError) as error:
            raise refuse("edit-incomplete", f"The edit “{label}” misses or misspells something: {error}.") from None
        if any(getattr(song, name) != fields[name] for name in _GRID) and "grid" not in song.seen:
            song.seen = [*song.seen, "grid"]
        before, after = _finish(song, fields)
        if after:
            song.just_edited = True
            song.edits.filter(undone=True).delete()
            _keep(song, label, before, after, user)
    return song


def _keep(song: Song, label: str, before: dict[str, Any], after: dict[str, Any], user: Any) -> None:
    """Keep an edit for undo; every so often the oldest are deleted."""
    by = user if user and user.is_authenticated else None
    edit = Edit.objects.create(song=song, label=label, before=before, after=after, user=by)
    if edit.pk % _CLEAR_EVERY == 0:
        old = song.edits.order_by("-pk").values_list("pk", flat=True)[KEEP_EDITS:]
        Edit.objects.filter(pk__in=list(old)).delete()


def undo(song_id: Any, band: Any, revision: int | None = None) -> Song:
    """Take the last edit back. Raises :class:`Refused` if there is none."""
    return _travel(song_id, band, revision, back=True)


def redo(song_id: Any, band: Any, revision: int | None = None) -> Song:
    """Do again what was taken back last."""
    return _travel(song_id, band, revision, back=False)


def _travel(song_id: Any, band: Any, revision: int | None, back: bool) -> Song:
    with transaction.atomic():
        song = _locked(song_id, band)
        _same_revision(song, revision)
        edit = change_to_travel(song.edits.all(), back)
        fields = fields_of(song)
        restore(song, edit.before if back else edit.after)
        edit.undone = back
        edit.save(update_fields=["undone"])
        _finish(song, fields)
    return song


def _locked(song_id: Any, band: Any) -> Song:
    return Song.objects.select_for_update(of=("self",)).select_related("band").get(pk=song_id, band=band)


def _same_revision(song: Song, revision: int | None) -> None:
    if revision is not None and revision != song.revision:
        last = song.edits.order_by("-pk").select_related("user").first()
        who = last.user.first_name if last and last.user else "Somebody"
        raise Conflict(
            f"{who} changed “{song.title}” meanwhile: look at it as it is now, then make your edit again.",
            {"revision": song.revision, "who": who},
        )


def _finish(song: Song, fields: dict[str, Any]) -> tuple[dict[str, Any], dict[str, Any]]:
    """Check the song by the core and write what differs; gives the parts that do, before and after."""
    rows = held(song)
    before, after = differing({**fields, **rows.seen}, {**fields_of(song), **rows.now()})
    song.differs = frozenset(after)
    if not song.differs <= _WRITTEN_ONLY:
        song.checked = None
        song.checked = core_song(song, stems="stems" in after)
        check_bars(song.checked)
        for form in song.checked.forms:
            if any(step.ending.kind != "cut" for step in form.steps):
                check_form(song.checked, form)
    if song.differs & SUMMED:
        song.summary = summary_of(song, anew="stems" in song.differs)
    song.revision += 1
    save(song, before, after)
    return before, after
