"""The join of two songs of a setlist is heard as they are linked."""

import pytest
from test_changes_taken_in import edit

from preview.joining import joining
from upbeat.errors import Refused
from upbeat.play.advance import advance
from upbeat.play.events import BarLine

RATE = 48000
BAR, HALF = 2 * RATE, round(0.005 * RATE)


@pytest.fixture
def listed(ines, wav):
    songs = [ines.song(title=title) for title in ("Kites", "Boats")]
    for song in songs:
        ines.imported(song, "Bass.wav", wav(16))
        edit(ines, song["id"], "set_length", bars=7)
        edit(ines, song["id"], "set_facts", count_in_bars=1)
    rows = [
        {"song": songs[0]["id"], "link": "attacca"},
        {"song": songs[1]["id"], "link": "after", "link_seconds": 3},
        {"song": songs[1]["id"], "link": "wait", "link_seconds": 90},
        {"song": songs[0]["id"]},
    ]
    answer = ines.post("setlists/", {"name": "L", "entries": rows})
    assert answer.status_code == 201, answer.content
    return answer.json()


def heard(band, setlist, at):
    """(frame, entry, bar) of every bar that is heard, until all is silent."""
    ready, state = joining(band, {"join": {"setlist": setlist["id"], "entry": setlist["entries"][at]["id"]}})
    found = []
    while not state.silent:
        state, span = advance(ready.plan, state, 4800)
        found += [(e.frame, e.entry, e.bar) for e in span.only(BarLine)]
    return found


@pytest.mark.parametrize(("at", "between"), [(0, 0), (1, 3 * RATE + BAR), (2, 1 * RATE + BAR)])
def test_the_end_of_one_and_the_beginning_of_the_next_are_heard_as_they_are_linked(ines, listed, at, between):
    bars = heard(ines.band, listed, at)
    assert [(entry, bar) for _, entry, bar in bars] == [(0, b) for b in (4, 5, 6, 7)] + [(1, b) for b in (1, 2, 3, 4)]
    frames = [frame for frame, _, _ in bars]
    # The silence begins once the last bar has been faded, half a crossfade after its end.
    assert frames[4] - frames[3] == BAR + between + (HALF if between else 0)


def test_nobody_hears_another_bands_songs_and_no_song_follows_the_last(ines, other, listed):
    for band, at in ((other.band, 0), (ines.band, 3)):
        with pytest.raises(Refused, match="No song follows"):
            heard(band, listed, at)
    with pytest.raises(Refused, match="No song follows"):
        joining(ines.band, {"join": "x"})
