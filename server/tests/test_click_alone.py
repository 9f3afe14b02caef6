"""Rule C5: a song of click alone from a name, a tempo, a metre and a length, or until it is stopped."""

import pytest

from songs.build import core_song
from songs.models import Song


def core(song):
    return core_song(Song.objects.get(pk=song["id"]))


@pytest.mark.parametrize(
    ("bpm", "meter", "seconds", "bars"),
    [("120", "4/4", 180, 90), ("96", "3/4", 60, 32), ("120", "4/4", 180.5, 91), ("63.5", "7/8 2+2+3", 1, 1)],
)
def test_it_is_as_long_as_it_was_asked_to_be_in_whole_bars(ines, bpm, meter, seconds, bars):
    song = ines.song(title="Click", bpm=bpm, meter=meter, seconds=seconds)
    assert sum(s["bars"] for s in song["sections"]) == bars
    assert core(song).grid.bars_to_cover(seconds) == bars


def test_until_stopped_it_goes_round_and_round(ines):
    song = ines.song(title="Click", until_stopped=True, seconds=60)
    (step,) = core(song).form(None).steps
    assert step.ending.kind == "vamp"
    assert core(song).calls is False
    # It is a new song, and has nothing to take back.
    assert ines.post(f"songs/{song['id']}/undo/").json()["problems"][0]["code"] == "undo-nothing"


def test_a_length_of_nothing_or_of_days_is_refused(ines):
    for seconds in (0, -5, 1e9, "long"):
        answer = ines.post("songs/", {"title": "Click", "bpm": "120", "seconds": seconds})
        assert answer.status_code == 400
        assert answer.json()["problems"][0]["message"]
    assert Song.objects.count() == 0
