"""Why a source of a show is heard at a socket, or not: asked of one entry, so that it is answered at once."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any, Literal, TypedDict

from django.conf import settings

from shows.build import placed, show_document
from shows.models import Show
from upbeat.errors import refuse
from upbeat.outputs.why import Mend, Why
from upbeat.show.document import read_show
from upbeat.show.ready import ReadyShow, make_ready
from upbeat.show.why import heard_at, place_at, why_at


class ShownMend(TypedDict):
    """A press of the engine by its name, or an edit of a stem, feed, send, wire or socket ``of``."""

    kind: Literal["press", "stem", "feed", "send", "patch", "socket", "wire"]
    name: str
    of: str
    args: dict[str, Any]


class ShownStop(TypedDict):
    code: str
    message: str
    mend: ShownMend | None


class ShownStep(TypedDict):
    what: str
    name: str
    gain_db: float
    state: Literal["open", "stopped", "beyond"]


class ShownWhy(TypedDict):
    """``db``: from the source to the socket, None where nothing of it comes through."""

    source: str
    heard: bool
    db: float | None
    path: list[ShownStep]
    stopped_by: ShownStop | None


class WhyShown(TypedDict):
    """Of one source, or of all that is heard, the one with the most gain first."""

    found: list[ShownWhy]


def why_in(show: Show, of: str, socket: int, entry: int, bar: int) -> WhyShown:
    """What a show says of a source at a socket; without a source all that is heard there. Raises :class:`Refused`."""
    document, files = show_document(show)
    with tempfile.TemporaryDirectory(prefix="upbeat-why-", dir=settings.VAR) as temporary:
        ready = ready_entry(document, files, entry, Path(temporary))
        place = place_at(ready, 0, bar)
        if not of:
            return WhyShown(found=[shown(name, one) for name, one in heard_at(ready, socket, place)])
        return WhyShown(found=[shown(of, why_at(ready, of, socket, place))])


def ready_entry(document: dict[str, Any], files: dict[str, Path], entry: int, folder: Path) -> ReadyShow:
    """A show of one entry (from 1) alone, with its files linked into ``folder``. Raises :class:`Refused`."""
    if not 1 <= entry <= len(document["entries"]):
        raise refuse("entry-unknown", f"The show has {len(document['entries'])} songs, and no number {entry}.")
    own = document["entries"][entry - 1]
    songs = [s for s in document["songs"] if s["id"] == own["song"]]
    one = {
        **document,
        "entries": [{**own, "link": {"kind": "wait"}}],
        "songs": songs,
        "hand_sounds": [],
        "palette": [],
        "intervals": [],
    }
    wanted = {s["file"] for s in songs[0]["stems"]} | {s["file"] for s in one.get("click_sounds", [])}
    wanted |= {w["file"] for w in one.get("words", [])}
    wanted |= {p["file"] for s in songs[0]["stems"] for p in s.get("prepared", [])}
    place = placed(one, {name: path for name, path in files.items() if name in wanted}, folder, "why")
    return make_ready(read_show(one), place, words_folder=settings.WORDS)


def shown(source: str, why: Why) -> ShownWhy:
    """An answer as plain data."""
    stop = why.stopped_by
    return ShownWhy(
        source=source,
        heard=why.heard,
        db=why.db,
        path=[ShownStep(what=s.what, name=s.name, gain_db=s.gain_db, state=s.state) for s in why.path],
        stopped_by=None if stop is None else ShownStop(code=stop.code, message=stop.message, mend=_mend(stop.mend)),
    )


def _mend(mend: Mend | None) -> ShownMend | None:
    return None if mend is None else ShownMend(kind=mend.kind, name=mend.name, of=mend.of, args=dict(mend.args))
