"""A show taken to another rig (rule M4): what is proposed, what is lost, and the one press that takes it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any, Literal, TypedDict

import numpy as np
from django.conf import settings

from outputs.changes import kept
from outputs.models import Patch, Rig
from outputs.routing import PATCH_FIELDS, rig_document
from shows.build import show_document
from shows.models import Show
from songs.models import Audio
from upbeat.audio.pcm import full_scale, open_prepared
from upbeat.mix.routing import Patch as CorePatch
from upbeat.mix.routing import Routing
from upbeat.outputs.lost import Lost, LostCode, sides_powers
from upbeat.show.document import read_routing, read_show
from upbeat.show.other_rig import in_mono, on_other_rig, sockets_for


class FoldedPatch(TypedDict):
    feed: str
    side: Literal["left", "right", "mono"]
    socket: int
    trim_db: float
    delay_ms: float
    invert: bool


class ShownLost(TypedDict):
    """``what``: the id of a feed or stem; ``db``: how much softer it is, where that is what is lost."""

    code: LostCode
    what: str
    message: str
    db: float | None


class Folded(TypedDict):
    """A proposal for ``rig``, None for plain sockets. ``kept``: how many wires there were made by hand, and stay."""

    rig: str | None
    sockets: int
    patch: list[FoldedPatch]
    lost: list[ShownLost]
    kept: int


class InMono(TypedDict):
    lost: list[ShownLost]


def proposal(show: Show, rig: Rig | None, sockets: int) -> Folded:
    """What a show becomes on another rig, or on so many plain sockets. Raises :class:`Refused`."""
    routing, lost, by_hand = _folded(show, rig, sockets)
    return Folded(
        rig=str(rig.pk) if rig else None,
        sockets=len(routing.sockets),
        patch=[_shown(p) for p in routing.patches],
        lost=[_shown_lost(one) for one in lost],
        kept=by_hand,
    )


def losses_in_mono(show: Show) -> InMono:
    """The stems of a show that are softer in the house on its rig than in stereo, the worst first."""
    document, files = show_document(show)
    return InMono(lost=[_shown_lost(one) for one in in_mono(read_show(document, as_recorded=True), _powers(files))])


def take(show: Show, rig: Rig, user: Any) -> None:
    """Wire the rig as it is proposed, and let the show be played on it; undo on the outputs takes the wires back."""
    routing, _, _ = _folded(show, rig, 0)
    with kept(show.band, user):
        by_hand = {_place(p) for p in rig.patches.filter(folded=False)}
        rig.patches.all().delete()
        rows = [
            Patch(rig=rig, feed_id=p.feed, folded=(p.feed, p.side, p.socket) not in by_hand, **_fields(p))
            for p in routing.patches
        ]
        Patch.objects.bulk_create(rows)
        Rig.objects.filter(pk=rig.pk).update(revision=rig.revision + 1, changed_by=user)
    show.rig = rig
    show.save(update_fields=["rig"])


def _folded(show: Show, rig: Rig | None, sockets: int) -> tuple[Routing, list[Lost], int]:
    document, files = show_document(show)
    core = read_show(document, as_recorded=True)
    if rig is None:
        routing, lost = on_other_rig(core, _powers(files), sockets_for(core.routing, sockets))
        return routing, lost, 0
    target = read_routing({"feeds": [], **rig_document(rig)})
    places = {_place(p) for p in rig.patches.filter(folded=False)}
    # On its own rig every wire is there already; what is to be proposed anew is all that was not made by hand.
    by_hand = [p for p in target.patches if (p.feed, p.side, p.socket) in places] if rig.pk != show.rig_id else []
    routing, lost = on_other_rig(core, _powers(files), target.sockets, by_hand)
    return routing, lost, len(by_hand)


def _shown_lost(one: Lost) -> ShownLost:
    return ShownLost(code=one.code, what=one.what, message=one.message, db=one.db)


def _shown(patch: CorePatch) -> FoldedPatch:
    return FoldedPatch(
        feed=patch.feed,
        side=patch.side,
        socket=patch.socket,
        trim_db=patch.trim_db,
        delay_ms=patch.delay_ms,
        invert=patch.invert,
    )


def _place(patch: Patch) -> tuple[str, str, int]:
    return str(patch.feed_id), patch.side, patch.socket


def _fields(patch: CorePatch) -> dict[str, Any]:
    return {name: getattr(patch, name) for name in PATCH_FIELDS}


def _powers(files: dict[str, Path]) -> Callable[[str], np.ndarray]:
    """Measures the sides of stems; what was measured once is kept with the sound."""

    def powers(name: str) -> np.ndarray:
        audio = Audio.objects.get(pk=name.removeprefix("audio/").removesuffix(".wav"))
        if audio.powers is None:
            pcm = open_prepared(files[name], settings.SAMPLE_RATE)
            audio.powers = sides_powers(pcm, full_scale(pcm)).tolist()
            Audio.objects.filter(pk=audio.pk).update(powers=audio.powers)
        return np.array(audio.powers)

    return powers
