"""Every change of a band's feeds and rigs is kept, so that it can be taken back and done again."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from django.db import transaction

from api.history import change_to_travel
from outputs.models import Change, Feed, Patch, Rig, Send, Socket
from outputs.routing import PATCH_FIELDS, SOCKET_FIELDS, refuse_worse
from people.models import Band, Player
from upbeat.errors import refuse

KEPT = 100
_FEED = ("name", "kind", "channels", "gain_db", "alone", "tone", "ceiling_db", "position")
_SEND = ("source", "gain_db", "before")


@contextmanager
def kept(band: Band, user: Any) -> Iterator[None]:
    """Keep what is done within as one change of the band's outputs; what would be refused on any rig undoes it."""
    with transaction.atomic():
        Band.objects.select_for_update(no_key=True).get(pk=band.pk)
        before = state_of(band)
        yield
        after = state_of(band)
        if after == before:
            return
        own = Change.objects.filter(band=band)
        own.filter(undone=True).delete()
        Change.objects.create(band=band, before=before, after=after, user=user)
        own.filter(pk__in=list(own.order_by("-pk").values_list("pk", flat=True)[KEPT:])).delete()


def travel(band: Band, back: bool) -> None:
    """Take the last change of the outputs back, or do again what was taken back last. Raises :class:`Refused`."""
    with transaction.atomic():
        Band.objects.select_for_update(no_key=True).get(pk=band.pk)
        change = change_to_travel(Change.objects.filter(band=band), back)
        restore(band, change.before if back else change.after)
        change.undone = back
        change.save(update_fields=["undone"])


def can_travel(band: Band) -> dict[str, bool]:
    """Whether something of the outputs can be taken back, and done again."""
    found = set(Change.objects.filter(band=band).values_list("undone", flat=True).distinct().order_by())
    return {"can_undo": False in found, "can_redo": True in found}


def state_of(band: Band) -> dict[str, Any]:
    """All feeds and rigs of a band, as plain data."""
    feeds = Feed.objects.filter(band=band).prefetch_related("sends")
    rigs = Rig.objects.filter(band=band).prefetch_related("sockets", "patches")
    return {
        "feeds": [
            {
                "id": str(f.pk),
                **{name: getattr(f, name) for name in _FEED},
                "player": str(f.player_id) if f.player_id else None,
                "sends": [{name: getattr(s, name) for name in _SEND} for s in f.sends.all()],
            }
            for f in feeds
        ],
        "rigs": [
            {
                "id": str(r.pk),
                "name": r.name,
                "position": r.position,
                "interface": r.interface,
                "sockets": [{name: getattr(s, name) for name in SOCKET_FIELDS} for s in r.sockets.all()],
                "patches": [
                    {"feed": str(p.feed_id), "folded": p.folded, **{name: getattr(p, name) for name in PATCH_FIELDS}}
                    for p in r.patches.all()
                ],
            }
            for r in rigs
        ],
    }


def restore(band: Band, state: dict[str, Any]) -> None:
    """Make a band's feeds and rigs what they were; a rig keeps its interface, and its revision counts on.

    Raises :class:`Refused` where a show needs a rig that was not there then.
    """
    players = {str(p.pk) for p in Player.objects.filter(band=band)}
    Feed.objects.filter(band=band).exclude(pk__in=[f["id"] for f in state["feeds"]]).delete()
    for rig in Rig.objects.filter(band=band).exclude(pk__in=[r["id"] for r in state["rigs"]]):
        if rig.shows.exists():
            raise refuse("rig-in-use", f"A show was made for “{rig.name}” meanwhile: delete it or the rig by hand.")
        rig.delete()
    for raw in state["feeds"]:
        player = raw["player"] if raw["player"] in players else None
        values = {name: raw.get(name) for name in _FEED} | {"band": band, "player_id": player}
        feed, _ = Feed.objects.update_or_create(pk=raw["id"], defaults=values)
        feed.sends.all().delete()
        Send.objects.bulk_create([Send(feed=feed, **send) for send in raw["sends"]])
    for raw in state["rigs"]:
        rig = Rig.objects.filter(pk=raw["id"]).first() or Rig(pk=raw["id"], band=band, interface=raw["interface"])
        rig.name, rig.position, rig.revision = raw["name"], raw["position"], rig.revision + 1
        rig.save()
        rig.sockets.all().delete()
        rig.patches.all().delete()
        Socket.objects.bulk_create([Socket(rig=rig, **socket) for socket in raw["sockets"]])
        Patch.objects.bulk_create([Patch(rig=rig, feed_id=p["feed"], **_without_feed(p)) for p in raw["patches"]])
    refuse_worse(band, list(Rig.objects.filter(band=band).prefetch_related("sockets", "patches")))


def _without_feed(patch: dict[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in patch.items() if name != "feed"}
