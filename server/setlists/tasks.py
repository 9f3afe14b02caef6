"""Files in keys and tempos that nothing is played in any more are thrown away after a while (rule V1)."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime, timedelta

from django.utils import timezone
from procrastinate.contrib.django import app

from songs.models import PreparedAudio, Song
from songs.prepared import wanted
from upbeat.song.key_tempo import REHEARSAL, KeyTempo, slower

UNUSED_DAYS = 30


@app.periodic(cron="23 * * * *")
@app.task(name="discard_prepared", queue="import", pass_context=False)
def discard_prepared(timestamp: int) -> None:
    discard_unused(timezone.now())


def discard_unused(now: datetime) -> None:
    """Throw away what no song and no entry has asked for in :data:`UNUSED_DAYS`. A show that is loaded has its own link to each file."""
    asked = {
        one.key
        for song in Song.objects.filter(stems__audio__prepared_as__isnull=False).distinct()
        for change in _changes(song)
        for one in wanted(song, change)
    }
    for row in PreparedAudio.objects.select_related("audio"):
        if row.key in asked:
            PreparedAudio.objects.filter(pk=row.pk).update(wanted_at=now)
        elif row.wanted_at < now - timedelta(days=UNUSED_DAYS):
            row.delete()
            row.path.unlink(missing_ok=True)


def _changes(song: Song) -> Iterator[KeyTempo]:
    """The keys and tempos that a song is played in somewhere, and those slower ones that it is rehearsed at."""
    for change in {song.played, *(entry.change for entry in song.entries.all())}:
        yield change
        yield from filter(None, (slower(change, percent) for percent in REHEARSAL))
