"""What the list of songs shows of one, kept with the song when it changes, so that the list is one query."""

from __future__ import annotations

from typing import Any

from django.db import transaction

from songs.build import core_song, core_stem
from songs.heard import shown_findings
from songs.models import Song
from songs.offers import shown_offers
from songs.rows import held
from upbeat.errors import Refused
from upbeat.show.to_do import SongFacts, song_to_do
from upbeat.song.lengths import form_length

#: Parts of a song that its summary depends on.
SUMMED = frozenset(
    {"sections", "endings", "forms", "tempo", "meters", "bar1_s", "pickup", "stems", "offers", "key", "seen"}
)


def summary_of(song: Song, anew: bool = True) -> dict[str, Any]:
    """Bars, seconds, tempo, metre, stems, sections and what is left to do, even where its tempo or form is broken.

    ``anew``: count the findings of its stems again.
    """
    sections = held(song).sections
    seconds, problem = 0.0, None
    try:
        core = core_song(song, stems=False)
        seconds = round(float(form_length(core, core.form(None)).seconds), 1)
    except Refused as refused:
        problem = str(refused)
    found = _open_findings(song) if anew or "findings" not in song.summary else song.summary["findings"]
    facts = SongFacts(
        problem=problem,
        stems=[core_stem(s) for s in held(song).recorded],
        faults=found[0],
        checks=found[1],
        offers=len(shown_offers(song)),
        sections=len(sections),
        key=song.key,
        seen=frozenset(song.seen),
    )
    return {
        "findings": found,
        "to_do": song_to_do(facts),
        "bpm": str(song.tempo[0]["bpm"]),
        "meter": " · ".join(dict.fromkeys(m["meter"] for m in song.meters)),
        "stems": len(held(song).stems),
        "bars": sum(s.bars for s in sections),
        "seconds": seconds,
        "problem": problem,
        "sections": [{"name": s.name, "bars": s.bars, "colour": s.colour} for s in sections],
    }


def _open_findings(song: Song) -> list[int]:
    """How many faults, and how many other things to look at, were found in the stems and neither mended nor left."""
    found = [f["severity"] for f in shown_findings(song)["list"] if f["state"] == "open"]
    return [found.count("fault"), found.count("check")]


def keep_summary(song_id: Any) -> None:
    """Write the summary of a song that was made or changed without an edit, of the song as it is now."""
    with transaction.atomic():
        # Not locked against rows that are being added to it: two of these would wait for each other.
        rows = Song.objects.select_for_update(of=("self",), no_key=True).select_related("band")
        song = rows.filter(pk=song_id).first()
        if song is not None:
            Song.objects.filter(pk=song_id).update(summary=summary_of(song))


def keep_missing_summaries() -> int:
    """Write the summaries that are not kept yet; tells how many there were."""
    songs = list(Song.objects.filter(summary={}).select_related("band"))
    for song in songs:
        keep_summary(song.pk)
    return len(songs)
