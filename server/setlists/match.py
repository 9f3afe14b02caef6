"""The songs of a setlist made equally loud for a line-up."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from django.db import transaction

from people.models import Band, LineUp
from setlists.models import Setlist
from songs import edits
from songs.loud import gain_of, heard
from songs.models import Measurement, Song
from upbeat.errors import refuse
from upbeat.mix.matching import propose, reachable, set_target

#: Songs with how loud they are, None where nobody has asked.
Rows = list[tuple[Song, Measurement | None]]


def shown_match(rows: Rows, line_up: LineUp | None, band: Band, typed: float | None) -> dict[str, Any]:
    """Every song as loud as it is and as it would be; the target is what was typed, the band's, or the set's own middle."""
    levels = [heard(row) for _, row in rows]
    most = reachable(levels)
    target = typed if typed is not None else band.target_lufs if band.target_lufs is not None else set_target(levels)
    shown = []
    for (song, row), level in zip(rows, levels, strict=True):
        gain_db = gain_of(song, line_up)
        wanted = propose(level, target) if target is not None and level.lufs is not None else None
        now = heard(row, gain_db)
        shown.append(
            {
                "song": str(song.pk),
                "title": song.title,
                "state": row.state if row else "none",
                "message": row.message if row else "",
                "gain_db": gain_db,
                "lufs": _r(now.lufs),
                "peak_dbtp": _r(now.peak_dbtp),
                "proposed_db": wanted.gain_db if wanted else None,
                "after_lufs": _r(wanted.lufs) if wanted else None,
                "after_peak_dbtp": _r(wanted.peak_dbtp) if wanted else None,
                "short_db": wanted.short_db if wanted else 0.0,
            }
        )
    return {
        "target": _r(target),
        "typed": typed is not None,
        "reachable": _r(most),
        "ready": all(r is not None and r.state != Measurement.State.WORKING for _, r in rows),
        "songs": shown,
    }


def _r(value: float | None) -> float | None:
    return None if value is None else round(value, 2)


def songs_of(setlist: Setlist) -> list[tuple[Song, str]]:
    """Each song once, in the form it is first played in."""
    found: dict[Any, tuple[Song, str]] = {}
    for entry in setlist.entries.all():
        if entry.song is not None:
            found.setdefault(entry.song_id, (entry.song, entry.form or "full"))
    return list(found.values())


@transaction.atomic
def match(rows: Rows, line_up: LineUp | None, band: Band, user: Any, typed: float | None) -> list[dict[str, Any]]:
    """Give every song the gain that is proposed. Answers the gains as they were, for taking it back. Raises :class:`Refused`."""
    shown = shown_match(rows, line_up, band, typed)
    if not shown["ready"]:
        raise refuse("match-not-ready", "Not every song has been measured yet: wait a moment.")
    if not any(s["proposed_db"] is not None for s in shown["songs"]):
        raise refuse("match-nothing", "No song of this setlist has stems: there is nothing to match.")
    gains = [(s["song"], s["proposed_db"]) for s in shown["songs"] if s["proposed_db"] is not None]
    return set_gains(gains, line_up, band, user)


@transaction.atomic
def set_gains(
    gains: Iterable[tuple[str, float | None]], line_up: LineUp | None, band: Band, user: Any
) -> list[dict[str, Any]]:
    """One edit of each song, all or none; answers what they were, None where a line-up had no gain of its own."""
    key = str(line_up.pk) if line_up else None
    before = []
    for song_id, gain_db in gains:
        song = Song.objects.filter(pk=song_id, band=band).first()
        if song is None:
            raise refuse("song-unknown", "A song of the setlist is no longer there: open the setlist again.")
        before.append({"song": str(song.pk), "gain_db": song.gains.get(key) if key else song.gain_db})
        edits.apply_edit(song.pk, band, user, "set_level", {"gain_db": gain_db, "line_up": key})
    return before
