"""A whole show taken to another rig (rule M4): its document with another patch, and what is lost with figures."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from upbeat.audio.pcm import full_scale, open_prepared
from upbeat.errors import refuse
from upbeat.limits import SOCKETS
from upbeat.mix.matrices import stem_columns
from upbeat.mix.routing import Patch, Routing, Socket
from upbeat.mix.sounding import standing
from upbeat.outputs.fold_down import fold_down
from upbeat.outputs.lost import Lost, StemSides, lost, mono_losses, sides_powers
from upbeat.play.hand import AUDIBLE
from upbeat.show.document import Show
from upbeat.show.ready import inside


def taken_to(document: dict[str, Any], routing: Routing) -> dict[str, Any]:
    """A show document with the rig and patch of a routing."""
    patch = [written_patch(p) for p in routing.patches]
    name = document.get("rig", {}).get("name")
    known = {s["number"]: s for s in document.get("rig", {}).get("sockets", [])}
    sockets = [known.get(s.number, {"number": s.number}) for s in routing.sockets]
    return {**document, "rig": {**({"name": name} if name else {}), "sockets": sockets}, "patch": patch}


def sockets_for(routing: Routing, count: int) -> tuple[Socket, ...]:
    """``count`` sockets: those of the rig by their number, plain ones beyond. Raises :class:`Refused`."""
    if count not in SOCKETS:
        raise refuse("rig-sockets", f"A rig has {SOCKETS} sockets, not {count}.")
    known = {s.number: s for s in routing.sockets}
    return tuple(known.get(n, Socket(n)) for n in range(1, count + 1))


def on_other_rig(
    show: Show, powers: Callable[[str], np.ndarray], sockets: Sequence[Socket], kept: Sequence[Patch] = ()
) -> tuple[Routing, list[Lost]]:
    """The routing of a show on other sockets, and what is lost.

    ``powers``: of a stem's file, by its name, :func:`upbeat.outputs.lost.sides_powers`. ``kept``: wires made by hand there.
    """
    routing = fold_down(show.routing, sockets, kept)
    players = {p.id: p.name for p in show.players}
    return routing, lost(show.routing, routing, stem_sides_of(show, powers), players)


def in_mono(show: Show, powers: Callable[[str], np.ndarray]) -> list[Lost]:
    """The stems that are softer in the house than on a pair of sockets, the worst first. ``powers``: as above."""
    return mono_losses(show.routing, stem_sides_of(show, powers))


def powers_in(folder: Path, sample_rate: int) -> Callable[[str], np.ndarray]:
    """Measures the files of a folder."""

    def powers(name: str) -> np.ndarray:
        pcm = open_prepared(inside(folder, name), sample_rate)
        return sides_powers(pcm, full_scale(pcm))

    return powers


def stem_sides_of(show: Show, powers: Callable[[str], np.ndarray]) -> list[StemSides]:
    """Of every stem that sounds in a song of the setlist its columns and the powers of its sides."""
    found = []
    for song in dict.fromkeys(e.song for e in show.entries):
        for stem in show.songs[song].stems:
            stands = standing(stem, show.away)
            if stands not in AUDIBLE:
                continue
            own = powers(stem.file)
            turned = np.array([-1.0 if stem.flip_side and c == 1 else 1.0 for c in range(len(own))])
            found.append(
                StemSides(
                    id=stem.id,
                    name=stem.name,
                    song=f"“{show.songs[song].title}”",
                    columns=stem_columns(stem, len(own)),
                    powers=own * np.outer(turned, turned),
                    barred=stands == "rehearsal",
                )
            )
    return found


def written_patch(patch: Patch) -> dict[str, Any]:
    return {
        "feed": patch.feed,
        "side": patch.side,
        "socket": patch.socket,
        "trim_db": patch.trim_db,
        "delay_ms": patch.delay_ms,
        "invert": patch.invert,
    }
