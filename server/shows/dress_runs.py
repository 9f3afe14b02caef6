"""The dress run of a show as its page has it: what was found, what was left as it is, what has changed since."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from typing import Any, TypedDict, cast

from shows.build import show_document
from shows.models import DressRun, Show
from upbeat.errors import Refused
from upbeat.show.differences import Difference, differences


class ShownMend(TypedDict):
    """One change that would mend a fault (``upbeat.show.dress_run.faults.Mend``)."""

    kind: str
    of: str
    value: float


class ShownFault(TypedDict):
    """A fault of a dress run. ``entry``, ``bar`` and ``socket`` from 1. ``song``, ``form`` of its entry, to be
    heard, and the sections of its ``seam``.

    ``left``: why it is left as it is, "" where it is not; ``by``: who left it.
    """

    key: str
    code: str
    severity: str
    message: str
    entry: int | None
    bar: int | None
    socket: int | None
    mend: ShownMend | None
    seam: list[str] | None
    song: str | None
    form: str
    left: str
    by: str


class ShownSocket(TypedDict):
    """The loudest place of a socket, and what is wired to it."""

    number: int
    true_peak_dbtp: float | None
    entry: int | None
    bar: int | None
    carries: str


class ShownEntry(TypedDict):
    """``after``: minutes of the interval behind it, None without."""

    id: str
    title: str
    bars: int
    seconds: float
    integrated_lufs: float | None
    link: str
    link_seconds: float
    after: int | None


class DressRunShown(TypedDict):
    """``state``: none, working, done or refused. ``at``: seconds since 1970. ``changed``: what was edited since."""

    state: str
    progress: float
    message: str
    at: float | None
    seconds: float
    faults: list[ShownFault]
    sockets: list[ShownSocket]
    entries: list[ShownEntry]
    counts: dict[str, int]
    changed: list[Difference]


def key_of(fault: Mapping[str, Any], document: Mapping[str, Any]) -> str:
    """What a fault is known by from run to run: its entry by its id, wherever it stands in the order."""
    entry = document["entries"][fault["entry"] - 1]["id"] if fault["entry"] else ""
    parts = [fault["code"], entry, fault["bar"], fault["socket"], fault["mend"] and fault["mend"]["of"], fault["seam"]]
    return hashlib.sha256(json.dumps(parts).encode()).hexdigest()


def shown(show: Show) -> DressRunShown:
    """The newest run of a show, and that under way."""
    done = show.dress_runs.filter(state=DressRun.State.DONE).last()
    newest = show.dress_runs.last()
    result = done.result if done is not None else {}
    document = done.document if done is not None else {}
    return DressRunShown(
        state=newest.state if newest is not None else "none",
        progress=newest.progress if newest is not None else 0.0,
        message=newest.message if newest is not None else "",
        at=done.begun_at.timestamp() if done is not None else None,
        seconds=result.get("seconds", 0.0),
        faults=_faults(show, result, document),
        sockets=_sockets(result, document),
        entries=_entries(result, document),
        counts=result.get("counts", {}),
        changed=_changed(show, document) if document else [],
    )


def _faults(show: Show, result: Mapping[str, Any], document: Mapping[str, Any]) -> list[ShownFault]:
    left = {f.fault: f for f in show.faults_left.select_related("user")}
    found = []
    for fault in result.get("problems", []):
        key = key_of(fault, document)
        one = left.get(key)
        entry = document["entries"][fault["entry"] - 1] if fault["entry"] else None
        found.append(
            ShownFault(
                key=key,
                code=fault["code"],
                severity=fault["severity"],
                message=fault["message"],
                entry=fault["entry"],
                bar=fault["bar"],
                socket=fault["socket"],
                mend=fault["mend"],
                seam=fault["seam"],
                song=entry["song"] if entry else None,
                form=(entry["form"] or "full") if entry else "full",
                left=one.reason if one is not None else "",
                by=one.user.first_name if one is not None and one.user is not None else "",
            )
        )
    return found


def _sockets(result: Mapping[str, Any], document: Mapping[str, Any]) -> list[ShownSocket]:
    names = {feed["id"]: feed["name"] for feed in document.get("feeds", [])}
    carries: dict[int, list[str]] = {}
    for patch in document.get("patch", []):
        carries.setdefault(patch["socket"], []).append(names.get(patch["feed"], ""))
    return [
        cast(ShownSocket, {**socket, "carries": ", ".join(dict.fromkeys(carries.get(socket["number"], [])))})
        for socket in result.get("sockets", [])
    ]


def _entries(result: Mapping[str, Any], document: Mapping[str, Any]) -> list[ShownEntry]:
    breaks = {one["after"]: one["minutes"] for one in document.get("intervals", [])}
    found = []
    for i, (entry, raw) in enumerate(zip(result.get("entries", []), document.get("entries", []), strict=False), 1):
        follows = {"link": raw["link"]["kind"], "link_seconds": raw["link"]["seconds"], "after": breaks.get(i)}
        found.append(cast(ShownEntry, {**entry, **follows}))
    return found


def _changed(show: Show, document: Mapping[str, Any]) -> list[Difference]:
    try:
        return differences(document, show_document(show)[0])
    except Refused:
        return []  # it cannot be made up any more: a new run says why
