"""Edits of the tacet sheet, of how loud a song is, and of how its recording begins and ends."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import msgspec

from api.query import uuid_or_nil
from people.models import LineUp
from songs import usual
from songs.edits import arguments
from songs.edits.covering import cover
from songs.edits.registry import edit
from songs.edits.sections import write
from songs.edits.stems import stem_of
from songs.models import Song, Stem
from songs.rows import held
from upbeat.errors import refuse
from upbeat.limits import CELLS
from upbeat.mix.matching import checked_gain
from upbeat.song.edges import Edges
from upbeat.song.guides import OF_ONE_SONG
from upbeat.song.sections import fit_to_bars

_SETTINGS = (
    "count_in_bars",
    "count_in_aloud",
    "count_in_sticks",
    "crossfade_ms",
    "ring_on_s",
    "calls",
    "lead",
)


@edit(arguments.SetCells)
def set_cells(song: Song, args: arguments.SetCells) -> None:
    """What stems do in sections: each of ``stems`` in each of ``sections``, or every one of ``cells`` by itself."""
    cells: Sequence[Mapping[str, Any]] | None = args.get("cells")
    if cells is None:
        places = [(stem, section) for stem in args["stems"] for section in args["sections"]]
        cells = [{**args, "stem": stem, "section": section} for stem, section in places]
    if len(cells) not in CELLS:
        raise refuse("cells-many", f"{len(cells):,} cells are too many at once: {CELLS.high:,.0f} at most.")
    stems = {str(s.pk): s for s in held(song).stems}
    known = {s.id for s in held(song).sections}
    for cell in cells:
        stem = stems.get(cell["stem"])
        if stem is None or cell["section"] not in known:
            raise refuse("cell-unknown", "That cell is no longer on the sheet: reload the song.")
        _set_cell(stem, cell["section"], cell)


def _set_cell(stem: Stem, section: str, cell: Mapping[str, Any]) -> None:
    """What a cell may be is the core's to say, once the edit is whole (upbeat.song.stems.Stem)."""
    if "tacet" in cell:
        stem.tacet = [s for s in stem.tacet if s != section] + ([section] if cell["tacet"] else [])
    if "level_db" in cell:
        stem.levels = _with(stem.levels, section, cell["level_db"])
    elif "by_db" in cell:
        stem.levels = _with(stem.levels, section, round(stem.levels.get(section, 0.0) + cell["by_db"], 2))
    if "fade_beats" in cell:
        stem.fades = _with(stem.fades, section, cell["fade_beats"])


@edit(arguments.SetTreatment)
def set_treatment(song: Song, args: arguments.SetTreatment) -> None:
    """The gate, drive, tone and echo of stems, as a whole or in sections of their own (upbeat.song.treatment)."""
    treatment = None if args["treatment"] is None else msgspec.to_builtins(args["treatment"])
    known = {s.id for s in held(song).sections}
    if unknown := set(args.get("sections", [])) - known:
        raise refuse("cell-unknown", f"The section {min(unknown)[:40]} is no longer on the sheet: reload the song.")
    for stem in (stem_of(song, one) for one in args["stems"]):
        if "sections" not in args:
            stem.treatment = treatment
        for section in args.get("sections", []):
            stem.treatments = _with(stem.treatments, section, treatment)


def _with(values: Mapping[str, Any], section: str, value: Any) -> dict[str, Any]:
    """Values by section with one set; 0 and None are no value of its own."""
    rest = {s: v for s, v in values.items() if s != section}
    return {**rest, section: value} if value else rest


@edit(arguments.SetLevel)
def set_level(song: Song, args: arguments.SetLevel) -> None:
    """How loud the song is as a whole, with one line-up or with all that have no level of their own."""
    line_up = args.get("line_up")
    if not line_up:
        song.gain_db = checked_gain(args["gain_db"])
        return
    if not LineUp.objects.filter(pk=uuid_or_nil(line_up), band=song.band_id).exists():
        raise refuse("line-up-unknown", "That line-up is no longer there: choose another.")
    rest = {k: v for k, v in song.gains.items() if k != str(line_up)}
    song.gains = rest if args["gain_db"] is None else {**rest, str(line_up): checked_gain(args["gain_db"])}


@edit(arguments.SetEdges)
def set_edges(song: Song, args: arguments.SetEdges) -> None:
    """How the recording begins and ends; an end on a bar line ends the song there too."""
    kept = {
        **song.edges,
        **{k: args[k] for k in ("start_s", "fade_in_s", "end_bar", "fade_out_s", "hold_s") if k in args},
    }
    edges = Edges(**kept)
    sections = held(song).sections
    bars = sum(s.bars for s in sections)
    if edges.end_bar is not None and not 1 <= edges.end_bar <= max(bars, song.edges.get("end_bar") or 0):
        raise refuse("end-bar-unknown", f"The song has bars 1 to {bars}: end it after one of them.")
    song.edges = {k: v for k, v in kept.items() if v not in (None, 0)}
    if edges.end_bar is not None and edges.end_bar != bars:
        write(song, fit_to_bars(sections, edges.end_bar))
    elif "end_bar" in args and edges.end_bar is None:
        cover(song)


@edit(arguments.TakeSettings)
def take_settings(song: Song, args: arguments.TakeSettings) -> None:
    """Groups, purposes, covers, gains, click and seams as another song has them."""
    other = Song.objects.filter(pk=uuid_or_nil(args["from"]), band=song.band_id).exclude(pk=song.pk).first()
    if other is None:
        raise refuse("song-unknown", "That song is no longer there: choose another.")
    taken = usual.take_from(song, other)
    if not taken and held(song).stems:
        raise refuse(
            "settings-none", f"No stem of “{song.title}” is called as one of “{other.title}” is: nothing was taken."
        )
    for field in _SETTINGS:
        setattr(song, field, getattr(other, field))
    own = {k: v for k, v in song.click.items() if k in OF_ONE_SONG}
    song.click = {**{k: v for k, v in other.click.items() if k not in OF_ONE_SONG}, **own}
