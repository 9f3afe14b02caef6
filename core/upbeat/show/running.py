"""When each entry of a setlist would begin if every go came at once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from upbeat.errors import refuse


@dataclass(frozen=True)
class Lasting:
    """How long an entry lasts, in seconds, and what follows: ``wait``, ``attacca`` or ``after``.

    ``count_in``: of a song that starts out of silence. ``pause``: the silence of *after*, the talk expected at *wait*.
    """

    music: float
    count_in: float = 0.0
    link: str = "wait"
    pause: float = 0.0


def check_links(entries: Sequence[tuple[str | None, str]]) -> None:
    """Raise :class:`Refused` where a setlist leads into an interval without a stop (rule P9).

    ``entries``: of each the title of its song (None for an interval) and its link.
    """
    for (title, link), (following, _) in pairwise(entries):
        if title is not None and link == "attacca" and following is None:
            raise refuse(
                "attacca-interval", f"“{title}” goes on attacca, and an interval comes after it: choose another link."
            )


def running_times(entries: Sequence[Lasting]) -> tuple[list[float], float]:
    """Start of each entry in seconds from the first, count-in included, and the whole length.

    After *attacca* there is no count-in of its own: it is counted over the last bar (rule P2). Nobody waits for a talk
    after the last entry.
    """
    starts: list[float] = []
    at, counted = 0.0, True
    for i, entry in enumerate(entries, 1):
        starts.append(at)
        at += (entry.count_in if counted else 0.0) + entry.music
        talks = entry.link == "wait" and i < len(entries)
        at += entry.pause if entry.link == "after" or talks else 0.0
        counted = entry.link != "attacca"
    return starts, at
