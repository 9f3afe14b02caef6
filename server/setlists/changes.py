"""Every change of a setlist is kept, so that it can be taken back and done again."""

from __future__ import annotations

import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import time
from typing import Any

from django.db.models import Exists, OuterRef, QuerySet

from api.history import change_to_travel
from setlists.entries import put_entries, stored
from setlists.models import Change, Entry, Setlist
from songs.models import Song

KEPT = 200


def with_ways(rows: QuerySet[Setlist]) -> QuerySet[Setlist]:
    """Setlists with whether something of each can be taken back (``back``) and done again (``forth``)."""
    own = Change.objects.filter(setlist=OuterRef("pk"))
    return rows.annotate(back=Exists(own.filter(undone=False)), forth=Exists(own.filter(undone=True)))


@contextmanager
def kept(setlist: Setlist, user: Any) -> Iterator[None]:
    """Keep what is done within, in a transaction, as one change of a setlist."""
    before = state_of(setlist.pk)
    yield
    after = state_of(setlist.pk)
    if after == before:
        return
    own = Change.objects.filter(setlist=setlist)
    own.filter(undone=True).delete()
    Change.objects.create(setlist=setlist, before=before, after=after, user=user)
    own.filter(pk__in=list(own.order_by("-pk").values_list("pk", flat=True)[KEPT:])).delete()


def travel(setlist: Setlist, back: bool) -> None:
    """Take the last change of a locked setlist back, or do again what was taken back last. Raises :class:`Refused`."""
    change = change_to_travel(Change.objects.filter(setlist=setlist), back)
    restore(setlist, change.before if back else change.after)
    change.undone = back
    change.save(update_fields=["undone"])


def state_of(setlist_id: Any) -> dict[str, Any]:
    """The whole of a setlist, as plain data."""
    setlist = Setlist.objects.get(pk=setlist_id)
    return {
        "name": setlist.name,
        "slot_minutes": setlist.slot_minutes,
        "starts_at": setlist.starts_at.isoformat() if setlist.starts_at else None,
        "entries": [stored(e) for e in Entry.objects.filter(setlist=setlist)],
    }


def restore(setlist: Setlist, state: dict[str, Any]) -> None:
    """Make a setlist what it was. Songs and forms that were deleted meanwhile stay away."""
    setlist.name, setlist.slot_minutes = state["name"], state["slot_minutes"]
    setlist.starts_at = time.fromisoformat(state["starts_at"]) if state["starts_at"] else None
    setlist.save()
    wanted = {e["song"] for e in state["entries"] if e["song"]}
    songs = {str(s.pk): s for s in Song.objects.filter(pk__in=wanted, band=setlist.band).prefetch_related("forms")}
    entries = []
    for raw in state["entries"]:
        song = songs.get(raw["song"]) if raw["song"] else None
        if raw["song"] and song is None:
            continue
        forms = {str(f.pk) for f in song.forms.all()} if song is not None else set()
        form = raw["form"] if raw["form"] in forms else ""
        entries.append({**raw, "id": uuid.UUID(raw["id"]), "song": song, "form": form})
    put_entries(setlist, entries, again=True)
