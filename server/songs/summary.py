"""What the list of songs shows of one, kept with the song when it changes, so that the list is one query."""

from __future__ import annotations

from typing import Any

from songs.build import core_song
from songs.models import Song
from songs.rows import held
from upbeat.errors import Refused
from upbeat.song.lengths import form_length

#: Parts of a song that its summary depends on.
SUMMED = frozenset({"sections", "endings", "forms", "tempo", "meters", "bar1_s", "pickup", "stems"})


def summary_of(song: Song) -> dict[str, Any]:
    """Bars, seconds, tempo, metre, stems and sections of a song, even where its tempo or form is broken."""
    sections = held(song).sections
    seconds, problem = 0.0, None
    try:
        core = core_song(song, stems=False)
        seconds = round(float(form_length(core, core.form(None)).seconds), 1)
    except Refused as refused:
        problem = str(refused)
    return {
        "bpm": str(song.tempo[0]["bpm"]),
        "meter": " · ".join(dict.fromkeys(m["meter"] for m in song.meters)),
        "stems": len(held(song).stems),
        "bars": sum(s.bars for s in sections),
        "seconds": seconds,
        "problem": problem,
        "sections": [{"name": s.name, "bars": s.bars, "colour": s.colour} for s in sections],
    }


def keep_summary(song: Song) -> None:
    """Write the summary of a song that was made or changed without an edit."""
    song.held, song.checked = None, None
    Song.objects.filter(pk=song.pk).update(summary=summary_of(song))


def keep_missing_summaries() -> int:
    """Write the summaries that are not kept yet; tells how many there were."""
    songs = list(Song.objects.filter(summary={}).select_related("band"))
    for song in songs:
        keep_summary(song)
    return len(songs)
