"""A song as the house hears it, as a file, and the playlist of several."""

import numpy as np
import pytest
import soundfile
from material import LEVEL, RATE, show, song, write_wav

from upbeat.show.document import read_show
from upbeat.show.playlist import Track, m3u8, write_song


@pytest.fixture
def made(tmp_path):
    write_wav(tmp_path / "one.wav", np.full(18 * RATE, LEVEL, np.float32))
    stems = [
        {"id": "a", "name": "Bass", "file": "one.wav", "group": "tonal", "pan": -1},
        {"id": "b", "name": "Pad", "file": "one.wav", "group": "tonal", "purpose": "covers", "covers": "ana"},
    ]
    forms = [{"id": "short", "name": "Short", "steps": [{"section": "b", "ending": {"kind": "vamp"}}]}]
    full = {"id": "full", "name": "Full", "steps": [{"section": s} for s in "abc"]}
    count = {"bars": 2, "aloud": True}
    return read_show(
        show(
            song(stems=stems, forms=[full, *forms], count_in=count, calls=True), players=[{"id": "ana", "name": "Ana"}]
        )
    )


def written(made, folder, form=None, away=()):
    told = []
    path = folder / "made.flac"
    seconds = write_song(
        made.songs["song"], form, made.routing.feeds, away, folder, RATE, path, {"title": "Boats"}, told.append
    )
    with soundfile.SoundFile(path) as file:
        assert (file.samplerate, file.channels, file.subtype, file.title) == (RATE, 2, "PCM_24", "Boats")
        sound = file.read(dtype="float32").T
    assert seconds == sound.shape[1] / RATE
    assert told == sorted(told)
    assert told[-1] == pytest.approx(1)
    return sound


def test_it_begins_with_its_first_bar_and_has_neither_click_nor_count(made, tmp_path):
    sound = written(made, tmp_path)
    assert sound.shape[1] == pytest.approx(18 * RATE, abs=40_000)
    assert sound[0, RATE] == pytest.approx(LEVEL, abs=1e-6)
    assert not sound[1, : 15 * RATE].any()


def test_it_is_that_of_its_form_and_its_line_up(made, tmp_path):
    sound = written(made, tmp_path, "short", ("ana",))
    assert sound.shape[1] == pytest.approx(6 * RATE, abs=40_000)
    assert sound[1, RATE] > 0.1


def test_the_playlist_names_each_file_with_its_length_in_order():
    tracks = [Track("01 Night Ferry.flac", "Night\nFerry", 120.4), Track("02 Šum.flac", "Šum", 95.6)]
    assert m3u8("Thursday", tracks).splitlines() == [
        "#EXTM3U",
        "#PLAYLIST:Thursday",
        "#EXTINF:120,Night Ferry",
        "01 Night Ferry.flac",
        "#EXTINF:96,Šum",
        "02 Šum.flac",
    ]
