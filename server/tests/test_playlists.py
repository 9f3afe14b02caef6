"""The songs of a setlist as sound files with a playlist, made in the worker."""

import io
import zipfile

import pytest
import soundfile
from asked import says

from setlists.models import Playlist
from setlists.playlist import file_of, make_playlist


@pytest.fixture
def listed(ines, wav):
    song = ines.song(title="Night/Ferry")
    ines.imported(song, "Bass.wav", wav(4))
    rows = [{"song": song["id"]}, {"song": None, "set_name": "Second"}, {"song": song["id"]}]
    return ines.post("setlists/", {"name": "Thursday: tent", "entries": rows}).json()


def path(setlist):
    return f"setlists/{setlist['id']}/playlist/"


def test_it_is_begun_made_and_saved_by_its_band_alone(ines, other, listed):
    assert ines.get(path(listed)).json()["state"] == "none"
    assert "not been made" in says(ines.get(f"{path(listed)}file/"))
    assert ines.post(path(listed)).json()["state"] == "working"
    row = Playlist.objects.get()
    assert ines.post(path(listed)).status_code == 200
    assert Playlist.objects.count() == 1
    make_playlist(row.pk)
    assert ines.get(path(listed)).json()["state"] == "done"
    answer = ines.get(f"{path(listed)}file/")
    with zipfile.ZipFile(io.BytesIO(b"".join(answer.streaming_content))) as archive:
        names = archive.namelist()
        assert names == ["01 Night-Ferry - house.flac", "02 Night-Ferry - house.flac", "Thursday- tent.m3u8"]
        with soundfile.SoundFile(io.BytesIO(archive.read(names[0]))) as file:
            assert abs(file.frames / file.samplerate - 4) < 0.1
        assert archive.read(names[2]).decode().splitlines()[2:4] == ["#EXTINF:4,Night/Ferry", names[0]]
    for method in ("get", "post"):
        assert getattr(other, method)(path(listed)).status_code == 404
    assert other.get(f"{path(listed)}file/").status_code == 404
    made = file_of(row)
    ines.http.delete(f"/api/{path(listed)}")
    assert not made.exists()
    assert ines.get(path(listed)).json()["state"] == "none"


def test_one_that_was_called_off_leaves_nothing(ines, listed, settings):
    ines.post(path(listed))
    row = Playlist.objects.get()
    ines.http.delete(f"/api/{path(listed)}")
    make_playlist(row.pk)
    assert not file_of(row).exists()
    assert not list(settings.MEDIA.glob("playlists/*"))


def test_a_setlist_without_songs_is_refused_and_a_song_that_cannot_be_made_is_named(ines, listed):
    empty = ines.post("setlists/", {"name": "E", "entries": [{"song": None, "interval_minutes": 5}]}).json()
    assert "has no songs yet" in says(ines.post(path(empty)))
    ines.post(path(listed))
    row = Playlist.objects.get()
    row.setlist.entries.exclude(song=None).first().song.stems.first().audio.prepared.unlink()
    make_playlist(row.pk)
    told = ines.get(path(listed)).json()
    assert (told["state"], told["message"][:27]) == ("refused", "“Night/Ferry” could not be ")
