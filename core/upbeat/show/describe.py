"""A ready show in words and numbers, for whoever draws it: what will be played, in what order."""

from __future__ import annotations

from typing import Any

from upbeat.mix.routing import Routing
from upbeat.mix.sounding import sounds
from upbeat.play.plan import EntryPlan
from upbeat.show.ready import ReadyShow


def describe(ready: ReadyShow) -> dict[str, Any]:
    """``entries`` with their steps and bars, ``sockets``, ``feeds`` and who is away.

    It is drawn from the plan that plays, so that a page shows what will be heard even if the
    song was edited after the show was loaded.
    """
    show = ready.show
    entries = [_entry(plan, ready) for plan in ready.plan.entries]
    return {
        "title": show.title,
        "sample_rate": show.sample_rate,
        "entries": entries,
        **_outputs(show.routing),
        "away": sorted(show.away),
    }


def _entry(plan: EntryPlan, ready: ReadyShow) -> dict[str, Any]:
    rate = ready.plan.sample_rate
    away = ready.show.away
    played = sum(_frames(s, plan) for s in (plan.steps[i] for i in plan.playable))
    stems = [
        {
            "id": s.id,
            "name": s.name,
            "sounds": sounds(s, away, (), False),
            "purpose": s.purpose,
            "covers": s.covers,
            "gain_db": s.gain_db,
        }
        for s in plan.song.stems
    ]
    return {
        "id": plan.id,
        "song": plan.song.id,
        "title": plan.title,
        "form": plan.form,
        "key": plan.song.key,
        "bpm": round(plan.bpm[0] / float(_counted_quarters(plan)), 4),
        "unit": str(_counted_quarters(plan)),
        "meter": plan.meters[0],
        "seconds": round(played / rate, 3),
        "bars": plan.bars,
        "link": {"kind": plan.link.kind, "seconds": plan.link.seconds},
        "fallback": any(s.purpose == "full_mix" for s in plan.song.stems),
        "stems": stems,
        "steps": [
            {
                "step": i,
                "section": s.section,
                "name": s.name,
                "mark": s.mark,
                "colour": s.colour,
                "first_bar": s.first_bar,
                "bars": s.bars,
                "ending": {"kind": s.ending.kind, "times": s.ending.times},
                "meter": plan.meters[s.first_bar - 1],
                "grouping": list(plan.groupings[s.first_bar - 1]),
                "tacet": sorted(s.tacet),
            }
            for i, s in enumerate(plan.steps)
        ],
    }


def _frames(step: Any, plan: EntryPlan) -> int:
    times = step.ending.times if step.ending.kind == "repeat" else 1
    return times * int(step.src_end - step.src_start)


def _counted_quarters(plan: EntryPlan) -> Any:
    """Length of the beat the song's tempo is written in, in quarter notes."""
    return plan.song.grid.tempo.points[0].unit


def _outputs(routing: Routing) -> dict[str, Any]:
    feeds = {f.id: f for f in routing.feeds}
    sockets = []
    for socket in routing.sockets:
        carried = [(feeds[p.feed], p.side) for p in routing.patches if p.socket == socket.number and p.feed in feeds]
        sockets.append(
            {
                "number": socket.number,
                "label": socket.label,
                "use": socket.use,
                "carries": [{"feed": f.id, "name": f.name, "kind": f.kind, "side": side} for f, side in carried],
            }
        )
    return {
        "sockets": sockets,
        "feeds": [{"id": f.id, "name": f.name, "kind": f.kind, "channels": f.channels} for f in routing.feeds],
    }
