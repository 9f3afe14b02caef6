"""What is left to do of a setlist, and what is heard from one song to the next."""

from __future__ import annotations

from fractions import Fraction
from itertools import pairwise
from typing import TypedDict

from setlists.facts import Facts, entry_facts, left_of
from setlists.models import Entry, Setlist
from songs.loud import gain_of, heard, known
from upbeat.show.running import running_times
from upbeat.show.steps import Heard, StepBetween, step_between
from upbeat.show.to_do import EntryFacts, SetlistToDo, setlist_to_do
from upbeat.time.tempo import parse_bpm


class StepTo(StepBetween):
    """``entry``: the id of the one it leads to."""

    entry: str


class SetlistLeft(TypedDict):
    """``to_do``: worst first; ``steps``: from each song to the next one, without those that an interval lies before."""

    to_do: list[SetlistToDo]
    steps: list[StepTo]


def left_of_setlist(setlist: Setlist) -> SetlistLeft:
    """Loudness counts where it has been measured; nothing is asked of the worker."""
    entries = list(setlist.entries.all())
    played = [e for e in entries if not e.is_heading]
    shown = {e.pk: entry_facts(e) for e in played}
    _, seconds = running_times([shown[e.pk].lasting for e in played])
    loud: dict[tuple[object, str], float | None] = {}
    for entry in played:
        if entry.song is not None and (key := (entry.song_id, entry.form)) not in loud:
            row = known(entry.song, entry.form or "full", None)
            loud[key] = heard(row, gain_of(entry.song, None)).lufs
    facts = [
        EntryFacts(
            entry=i,
            song=str(e.song_id),
            title=e.song.title,
            **left_of(e.song),
            lufs=loud[e.song_id, e.form],
        )
        for i, e in enumerate(entries)
        if e.song is not None
    ]
    return SetlistLeft(
        to_do=setlist_to_do(facts, seconds - 60 * setlist.slot_minutes, setlist.shows.count()),
        steps=[
            StepTo(entry=str(after.pk), **step_between(*(_heard(e, shown[e.pk], loud) for e in (before, after))))
            for before, after in pairwise(played)
            if before.song is not None and after.song is not None
        ],
    )


def _heard(entry: Entry, facts: Facts, loud: dict[tuple[object, str], float | None]) -> Heard:
    assert entry.song is not None
    tempo = float(parse_bpm(facts.shown["bpm"]) * Fraction(facts.shown["unit"]))
    return Heard(facts.shown["key"], tempo, loud[entry.song_id, entry.form])
