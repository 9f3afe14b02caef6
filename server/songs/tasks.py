"""What is worked out of songs in the worker: asked for once, kept by what it depends on."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.db import transaction
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued

from jobs.run import LOST, MAX_ATTEMPTS, carry_out
from people.models import LineUp
from songs import divided, grid, loud
from songs.heard import comparison_key, made_comparison
from songs.models import Comparison, Measurement, Song
from songs.summary import keep_summary


def ask_comparison(song: Song) -> None:
    """Have the stems compared, once, where they have not been."""
    stems = list(song.stems.filter(layer__isnull=True))
    key = comparison_key(stems)
    if len(stems) < 2 or Comparison.objects.filter(band_id=song.band_id, key=key).exists():
        return
    try:
        # A savepoint: one that is waiting already must not spoil the transaction around this.
        with transaction.atomic():
            compare_stems.configure(queueing_lock=f"{song.pk}:{key}").defer(song_id=str(song.pk))
    except AlreadyEnqueued:
        pass


@app.task(name="compare_stems", queue="import", pass_context=False)
def compare_stems(song_id: str) -> None:
    song = Song.objects.select_related("band").filter(pk=song_id).first()
    if song is None:
        return
    made = made_comparison(song)
    with transaction.atomic():
        if made is not None:
            kept = {"compared": made.compared, "together": made.together}
            Comparison.objects.update_or_create(band=made.band, key=made.key, defaults=kept)
        keep_summary(song.pk)


def _row(measurement_id: int) -> Measurement | None:
    return Measurement.objects.select_related("song").filter(pk=measurement_id).first()


@app.task(name="measure_grid", queue="import", pass_context=False)
def measure_grid(measurement_id: int) -> None:
    """Find the beats of some stems of a song."""
    carry_out(_row(measurement_id), grid.measure)


@app.task(name="hear_sections", queue="import", pass_context=False)
def hear_sections(measurement_id: int) -> None:
    """Find where the sections of a song begin."""
    carry_out(_row(measurement_id), divided.listen_for_sections)


@app.task(name="measure_house", queue="import", pass_context=False)
def measure_house(measurement_id: int) -> None:
    """Measure how loud a song is in the house."""
    carry_out(_row(measurement_id), loud.measure_loudness)


def _lost(args: Mapping[str, Any]) -> None:
    Measurement.objects.filter(pk=args["measurement_id"], state=Measurement.State.WORKING).update(
        state=Measurement.State.REFUSED, message=f"Measuring was broken off {MAX_ATTEMPTS} times: ask for it once more."
    )


LOST.update(measure_grid=_lost, hear_sections=_lost, measure_house=_lost)


def known_measurement(song: Song, wanted: list[str] | None) -> Measurement | None:
    """The measurement of these stems, if it was asked for and is not outdated."""
    stems = grid.chosen_stems(song, wanted)
    row = song.measurements.filter(key=grid.measurement_key(song, stems)).first() if stems else None
    return None if row is not None and grid.outdated(song, row) else row


def ask_measurement(song: Song, wanted: list[str] | None, again: bool = False) -> Measurement | None:
    """The measurement of these stems, given to the worker where it is new; None without stems."""
    stems = grid.chosen_stems(song, wanted)
    if not stems:
        return None
    key = grid.measurement_key(song, stems)
    known = song.measurements.filter(key=key).first()
    if known is not None and (again or grid.outdated(song, known)):
        known.delete()
    row, new = Measurement.objects.get_or_create(song=song, key=key, defaults={"stems": [str(s.pk) for s in stems]})
    if new:
        measure_grid.defer(measurement_id=row.pk)
    return row


def known_sections(song: Song) -> Measurement | None:
    """The sections heard in a song as it is now, if they were asked for."""
    return song.measurements.filter(key=divided.key_of(song)).first() if divided.stems_of(song) else None


def ask_sections(song: Song) -> Measurement | None:
    """The sections heard in a song as it is now, given to the worker where they are new; None without stems."""
    stems = divided.stems_of(song)
    if not stems:
        return None
    row, new = Measurement.objects.get_or_create(song=song, key=divided.key_of(song), defaults={"stems": stems})
    if new:
        hear_sections.defer(measurement_id=row.pk)
    return row


def ask_loudness(song: Song, form: str, line_up: LineUp | None) -> Measurement:
    """How loud a song is in a form with a line-up, given to the worker where it is new."""
    row, new = loud.measurement(song, form, line_up)
    if new:
        measure_house.defer(measurement_id=row.pk)
    return row
