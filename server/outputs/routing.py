"""Rows to the core's routing, and the refusal of what the core's rules forbid."""

from __future__ import annotations

from typing import Any

from django.conf import settings

from outputs.models import Feed, Rig
from people.models import Band
from upbeat.errors import Problem, Refused
from upbeat.limits import BUFFER_FRAMES
from upbeat.mix.ceilings import late_frames
from upbeat.mix.routing import routing_problems
from upbeat.outputs.checks import Check, Delays, routing_checks
from upbeat.show.document import read_routing

SOCKET_FIELDS = ("number", "label", "use", "balanced", "headphones", "printed", "desk", "mirrored", "cable_m", "pair")
PATCH_FIELDS = ("side", "socket", "trim_db", "delay_ms", "invert")


def feeds_document(band: Band) -> list[dict[str, Any]]:
    """The band's feeds as the show document has them."""
    return [
        {
            "id": str(f.pk),
            "name": f.name,
            "kind": f.kind,
            "channels": f.channels,
            "gain_db": f.gain_db,
            "alone": f.alone,
            "tone": f.tone,
            "ceiling_db": f.ceiling_db,
            "player": str(f.player_id) if f.player_id else None,
            "sends": [{"source": s.source, "gain_db": s.gain_db, "before": s.before} for s in f.sends.all()],
        }
        for f in Feed.objects.filter(band=band).prefetch_related("sends")
    ]


def rig_document(rig: Rig | None) -> dict[str, Any]:
    """``rig`` and ``patch`` of the show document."""
    if rig is None:
        return {"rig": {"sockets": []}, "patch": []}
    sockets = [{name: getattr(s, name) for name in SOCKET_FIELDS} for s in rig.sockets.all()]
    patch = [{"feed": str(p.feed_id), **{name: getattr(p, name) for name in PATCH_FIELDS}} for p in rig.patches.all()]
    return {"rig": {"name": rig.name, "sockets": sockets}, "patch": patch}


def problems_of(band: Band, rig: Rig | None) -> list[Problem]:
    """What is wrong with the band's feeds on a rig."""
    return routing_problems(read_routing({"feeds": feeds_document(band), **rig_document(rig)}))


def checks_of(band: Band, rig: Rig) -> list[Check]:
    """What is worth a look on a rig before the doors."""
    routing = read_routing({"feeds": feeds_document(band), **rig_document(rig)})
    return routing_checks(routing, _delays(rig, late_frames(routing, settings.SAMPLE_RATE)))


def _delays(rig: Rig, late: int) -> Delays | None:
    """Of the interface that the rig keeps, ``late`` frames included; None where none was chosen."""
    kept = rig.interface
    if not kept:
        return None
    ms = 1000 / settings.SAMPLE_RATE
    out = kept["block"] + kept["buffer"] * BUFFER_FRAMES + late
    return Delays(out_ms=out * ms, block_ms=kept["block"] * ms, outputs=kept["outputs"])


def refuse_worse(band: Band, rigs: list[Rig]) -> None:
    """Raise for click in the house, loops and lost references on any of ``rigs`` (rule M3).

    Called at the end of a change, inside its transaction.
    """
    for rig in [None, *rigs]:
        problems = problems_of(band, rig)
        if problems:
            raise Refused(*problems)
