"""The mends that a dress run proposes, done by the edits that pages make, so that they are taken back like these."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from django.db import transaction

from outputs.models import Feed
from setlists.changes import kept
from setlists.match import set_gains
from setlists.models import Entry, Setlist
from shows.models import Show
from songs import edits
from songs.loud import gain_of
from songs.models import Song, Stem
from upbeat.errors import refuse

_GONE = refuse("mend-gone", "What this would change is not there any more: run it again.")


@transaction.atomic
def mend(show: Show, user: Any, wanted: Mapping[str, Any]) -> None:
    """Do one of the mends of ``upbeat.show.dress_run.faults``. Raises :class:`Refused`."""
    _MENDS[wanted["kind"]](show, user, wanted["of"], float(wanted["value"]))


def _song(show: Show, song_id: str) -> Song:
    song = Song.objects.filter(pk=song_id, band=show.band).first()
    if song is None:
        raise _GONE
    return song


def _louder(show: Show, user: Any, song_id: str, db: float) -> None:
    song = _song(show, song_id)
    set_gains([(str(song.pk), round(gain_of(song, show.line_up) + db, 2))], show.line_up, show.band, user)


def _softer(show: Show, user: Any, song_id: str, db: float) -> None:
    _louder(show, user, song_id, -db)


def _fact(name: str) -> Callable[[Show, Any, str, float], None]:
    def change(show: Show, user: Any, song_id: str, value: float) -> None:
        edits.apply_edit(_song(show, song_id).pk, show.band, user, "set_facts", {name: value})

    return change


def _rehearsal_only(show: Show, user: Any, stem_id: str, _: float) -> None:
    stem = Stem.objects.filter(pk=stem_id, song__band=show.band).first()
    if stem is None:
        raise _GONE
    edits.apply_edit(stem.song_id, show.band, user, "set_stem", {"stem": stem_id, "purpose": "rehearsal"})


def _feed_down(show: Show, user: Any, feed_id: str, db: float) -> None:
    feed = Feed.objects.select_for_update().filter(pk=feed_id, band=show.band).first()
    if feed is None:
        raise _GONE
    feed.gain_db = round(feed.gain_db - db, 2)
    feed.save(update_fields=["gain_db"])


def _changed_entry(show: Show, user: Any, entry_id: str, **changes: Any) -> None:
    setlist = Setlist.objects.select_for_update(of=("self",)).get(pk=show.setlist_id)
    with kept(setlist, user):
        if not Entry.objects.filter(pk=entry_id, setlist=setlist).update(**changes):
            raise _GONE
    setlist.revision += 1
    setlist.changed_by = user
    setlist.save(update_fields=["revision", "changed_by"])


def _link_wait(show: Show, user: Any, entry_id: str, _: float) -> None:
    _changed_entry(show, user, entry_id, link=Entry.Link.WAIT)


def _shorter_form(show: Show, user: Any, of: str, saves_s: float) -> None:
    """``of``: an entry and a form of its song, as the core writes them for what may be taken on the spot."""
    entry_id, _, form = of.partition(":")
    _changed_entry(show, user, entry_id, form=form)


_MENDS: dict[str, Callable[[Show, Any, str, float], None]] = {
    "turn_down": _softer,
    "turn_up": _louder,
    "feed_down": _feed_down,
    "crossfade": _fact("crossfade_ms"),
    "ring_on": _fact("ring_on_s"),
    "rehearsal_only": _rehearsal_only,
    "link_wait": _link_wait,
    "shorter_form": _shorter_form,
}
