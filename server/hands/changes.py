"""Changes of a band's hands: kept, to be taken back and done again, and written down for the process of the ports."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec
from django.conf import settings
from django.db import transaction

from api.history import change_to_travel
from hands.models import BandHands, HandsChange
from people.models import Band
from playout.files import replace_file
from upbeat.controls.hands import Hands, as_data, read_hands

KEPT = 100


def hands_of(band: Band) -> Hands:
    """The hands of a band."""
    kept = BandHands.objects.filter(band=band).first()
    return Hands() if kept is None else read_hands(kept.document)


def change(band: Band, user: Any, changed: Callable[[Hands], Hands]) -> Hands:
    """Change a band's hands, kept as one change. Raises :class:`Refused` as ``changed`` does."""
    with transaction.atomic():
        kept = _locked(band)
        before = read_hands(kept.document)
        after = changed(before)
        if after == before:
            return after
        own = HandsChange.objects.filter(band=band)
        own.filter(undone=True).delete()
        HandsChange.objects.create(band=band, before=as_data(before), after=as_data(after), user=user)
        own.filter(pk__in=list(own.order_by("-pk").values_list("pk", flat=True)[KEPT:])).delete()
        _keep(kept, as_data(after))
    return after


def travel(band: Band, back: bool) -> None:
    """Take the last change back, or do again what was taken back last. Raises :class:`Refused`."""
    with transaction.atomic():
        kept = _locked(band)
        one = change_to_travel(HandsChange.objects.filter(band=band), back)
        _keep(kept, one.before if back else one.after)
        one.undone = back
        one.save(update_fields=["undone"])


def can_travel(band: Band) -> dict[str, bool]:
    """Whether something can be taken back, and done again."""
    found = set(HandsChange.objects.filter(band=band).values_list("undone", flat=True).distinct().order_by())
    return {"can_undo": False in found, "can_redo": True in found}


def write_down(band: str, document: dict[str, Any]) -> None:
    """Write a band's hands where the process of the ports reads them."""
    folder = Path(settings.VAR) / "hands"
    folder.mkdir(exist_ok=True)
    replace_file(folder / f"{band}.json", msgspec.json.encode(document))


def _locked(band: Band) -> BandHands:
    Band.objects.select_for_update(no_key=True).get(pk=band.pk)
    return BandHands.objects.get_or_create(band=band)[0]


def _keep(kept: BandHands, document: dict[str, Any]) -> None:
    kept.document = document
    kept.save()
    transaction.on_commit(lambda: write_down(str(kept.band_id), document))
