"""What the desk engineer gets: what every socket carries, in which songs, and who hears what."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from upbeat.mix.gains import feed_blocks, kept_out_of_house, socket_rows
from upbeat.mix.routing import Column, Feed, Patch, Routing, Socket

REFERENCE_DBFS = -18.0  # EBU R 68: alignment level, 18 dB below full scale
DI_FROM_M = 3.0  # an unbalanced cable that is longer picks up hum


@dataclass(frozen=True, kw_only=True)
class Entry:
    """A song of the setlist by its number from 1. ``columns``: of its stems that sound; ``guides``: click, cues or both."""

    number: int
    title: str
    columns: tuple[Column, ...]
    barred: frozenset[str] = frozenset()
    guides: tuple[str, ...] = ("click", "cues")


@dataclass(frozen=True, kw_only=True)
class SocketLine:
    """``carries``: feeds with their side; ``songs``: in which of them anything comes, in words; ``di``: ``needed``, ``maybe`` or no."""

    number: int
    printed: str
    label: str
    desk: str
    carries: tuple[str, ...]
    width: Literal["mono", "left", "right", ""]
    songs: str
    house: bool
    di: Literal["needed", "maybe", ""]
    kept: bool
    headphones: bool
    mirrored: str


@dataclass(frozen=True, kw_only=True)
class MixLine:
    """``who``: whose mix it is; ``holds``: what is in it with its level in dB; ``sockets``: where it leaves."""

    name: str
    who: str
    holds: tuple[tuple[str, float], ...]
    sockets: tuple[int, ...]


def socket_lines(routing: Routing, entries: Sequence[Entry]) -> list[SocketLine]:
    """Every socket of the rig, in the order of its numbers."""
    heard = {e.number: _heard(routing, e) for e in entries}
    feeds = {f.id: f for f in routing.feeds}
    lines = []
    for row, socket in sorted(enumerate(routing.sockets), key=lambda one: one[1].number):
        own = [p for p in routing.patches if p.socket == socket.number and p.feed in feeds]
        songs = [number for number, rows in heard.items() if rows[row]]
        lines.append(
            SocketLine(
                number=socket.number,
                printed=socket.printed,
                label=socket.label,
                desk=socket.desk,
                carries=tuple(_carried(feeds[p.feed], p) for p in own),
                width=_width(feeds, own),
                songs=in_words(songs, len(entries)) if own else "",
                house=any(feeds[p.feed].kind == "house" for p in own),
                di=di_box(socket) if own else "",
                kept=socket.use == "kept",
                headphones=socket.headphones,
                mirrored=socket.mirrored,
            )
        )
    return lines


def mix_lines(routing: Routing, players: Mapping[str, str], groups: Mapping[str, str]) -> list[MixLine]:
    """Every monitor feed that leaves the box. ``players``: id to name; ``groups``: how a group is called."""
    names = {f"feed:{f.id}": f.name for f in routing.feeds}
    names |= {f"group:{group}": name for group, name in groups.items()}
    found = []
    for feed in (f for f in routing.feeds if f.kind == "monitor"):
        sockets = tuple(dict.fromkeys(p.socket for p in routing.patches if p.feed == feed.id))
        if not sockets:
            continue
        holds = tuple((names.get(s.source, _plain(s.source)), s.gain_db) for s in feed.sends)
        found.append(MixLine(name=feed.name, who=players.get(feed.player or "", ""), holds=holds, sockets=sockets))
    return found


def in_words(numbers: Sequence[int], of: int) -> str:
    """``all``, ``none`` or the numbers, runs of three and more as ``3–6``."""
    if not numbers:
        return "none"
    if len(numbers) == of:
        return "all"
    return ", ".join(_run(run) for run in _runs(numbers))


def _run(run: Sequence[int]) -> str:
    return f"{run[0]}–{run[-1]}" if len(run) > 2 else ", ".join(map(str, run))


def _runs(numbers: Iterable[int]) -> list[list[int]]:
    runs: list[list[int]] = []
    for number in sorted(numbers):
        if runs and number == runs[-1][-1] + 1:
            runs[-1].append(number)
        else:
            runs.append([number])
    return runs


def _heard(routing: Routing, entry: Entry) -> np.ndarray:
    """Which rows carry anything in a song (boolean)."""
    columns = (*entry.columns, *(Column(source=g) for g in entry.guides))
    heard = feed_blocks(routing, columns, [1.0] * len(columns), barred=entry.barred).heard
    rows = socket_rows(routing, heard, kept_out_of_house(columns, entry.barred))
    return np.asarray((np.abs(rows) > 1e-5).any(axis=1))


def _carried(feed: Feed, patch: Patch) -> str:
    side = "" if feed.channels == 1 else {"left": " L", "right": " R", "mono": " in mono"}[patch.side]
    trim = f", {patch.trim_db:+.1f} dB".replace("-", "−") if patch.trim_db else ""
    delay = f", {patch.delay_ms:g} ms late" if patch.delay_ms else ""
    return f"{feed.name}{side}{trim}{delay}"


def _width(feeds: Mapping[str, Feed], own: Sequence[Patch]) -> Literal["mono", "left", "right", ""]:
    sides = {"mono" if feeds[p.feed].channels == 1 else p.side for p in own}
    if not sides:
        return ""
    return "left" if sides == {"left"} else "right" if sides == {"right"} else "mono"


def di_box(socket: Socket) -> Literal["needed", "maybe", ""]:
    """Whether a socket needs a DI box: ``maybe`` where its cable is not known."""
    if socket.balanced or socket.headphones:
        return ""
    return "maybe" if not socket.cable_m else "needed" if socket.cable_m > DI_FROM_M else ""


def _plain(source: str) -> str:
    return "one stem" if source.startswith("stem:") else source.capitalize()
