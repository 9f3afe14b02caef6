"""States of a setlist that were kept: by hand under a name, and as it was before each day it was changed on."""

from __future__ import annotations

from datetime import date, datetime, time, timedelta
from typing import Any, TypedDict

from django.db import transaction
from django.db.models import Min
from django.db.models.functions import TruncDate
from django.utils import timezone

from api.query import uuid_or_nil
from setlists.changes import kept, restore, state_of
from setlists.models import Change, KeptState, Setlist
from songs.models import Edit, Song
from upbeat.errors import refuse
from upbeat.limits import KEPT_STATES
from upbeat.show.setlists_compared import SetlistDifference, setlist_differences

DAYS = 30


class KeptShown(TypedDict):
    """``way``: how it is named when it is compared with or brought back; ``name``: "" for a day; ``at``: seconds since 1970."""

    way: str
    name: str
    at: float
    by: str


class KeptList(TypedDict):
    states: list[KeptShown]


class SetlistCompared(TypedDict):
    """What differs now; ``titles``: of every song named, ``forms``: of every form; ``songs_changed``: titles of songs
    of the setlist that were edited since."""

    differences: list[SetlistDifference]
    titles: dict[str, str]
    forms: dict[str, str]
    songs_changed: list[str]


def kept_list(setlist: Setlist) -> KeptList:
    """What a setlist can be compared with, the newest first."""
    own = [
        KeptShown(
            way=f"kept:{k.pk}",
            name=k.name,
            at=k.at.timestamp(),
            by=k.user.first_name if k.user else "",
        )
        for k in setlist.kept_states.select_related("user")
    ]
    days = Change.objects.filter(setlist=setlist).annotate(day=TruncDate("at")).values("day").annotate(first=Min("at"))
    shown = [
        KeptShown(way=f"day:{d['day'].isoformat()}", name="", at=d["first"].timestamp(), by="")
        for d in days.order_by("-day")[:DAYS]
    ]
    return KeptList(states=sorted([*own, *shown], key=lambda s: -s["at"]))


def keep_state(setlist: Setlist, name: str, user: Any) -> None:
    """Keep a setlist as it is now under a name. Raises :class:`Refused`."""
    if setlist.kept_states.count() >= KEPT_STATES.high:
        raise refuse("kept-many", f"{KEPT_STATES.high:g} states of a setlist are kept at most: delete one first.")
    KeptState.objects.create(setlist=setlist, name=name, state=state_of(setlist.pk), user=user)


def compared(setlist: Setlist, way: str) -> SetlistCompared:
    """A setlist now against a kept state, a day (before its first change) or another setlist. Raises :class:`Refused`."""
    state, since = _state(setlist, way)
    now = state_of(setlist.pk)
    songs = {e["song"] for e in (*state["entries"], *now["entries"]) if e["song"]}
    rows = Song.objects.filter(pk__in=songs, band=setlist.band).prefetch_related("forms")
    changed = set()
    if since is not None:
        own = {e["song"] for e in now["entries"] if e["song"]}
        edits = Edit.objects.filter(song__in=own, at__gt=since, undone=False)
        changed = {str(pk) for pk in edits.values_list("song", flat=True).distinct()}
    titles = {str(s.pk): s.title for s in rows}
    return SetlistCompared(
        differences=setlist_differences(state, now),
        titles=titles,
        forms={str(f.pk): f.name for s in rows for f in s.forms.all()},
        songs_changed=sorted(titles[pk] for pk in changed),
    )


@transaction.atomic
def bring_back(setlist: Setlist, way: str, user: Any) -> None:
    """Make a locked setlist what it was, as one change that is taken back like any other. Raises :class:`Refused`."""
    if way.startswith("setlist:"):
        raise refuse("kept-other", "Another setlist can be compared with, not brought back: copy it instead.")
    state, _ = _state(setlist, way)
    with kept(setlist, user):
        restore(setlist, state)


def _state(setlist: Setlist, way: str) -> tuple[dict[str, Any], datetime | None]:
    """The state that is named, and since when it is another."""
    kind, _, name = way.partition(":")
    if kind == "kept":
        row = setlist.kept_states.filter(pk=uuid_or_nil(name)).first()
        if row is not None:
            return row.state, row.at
    elif kind == "day":
        change = _first_of(setlist, name)
        if change is not None:
            return change.before, change.at
    elif kind == "setlist":
        other = Setlist.objects.filter(pk=uuid_or_nil(name), band=setlist.band).first()
        if other is not None:
            return state_of(other.pk), None
    raise refuse("kept-unknown", "What it was to be compared with is not there any more: choose another.")


def _first_of(setlist: Setlist, day: str) -> Change | None:
    try:
        begins = timezone.make_aware(datetime.combine(date.fromisoformat(day), time()))
    except ValueError:
        return None
    return Change.objects.filter(setlist=setlist, at__gte=begins, at__lt=begins + timedelta(days=1)).first()
