"""Files on their way in: pieces, breaks, refusals, and that nothing half-done stays."""

import errno
import json
from pathlib import Path

import pytest

from songs import kept
from songs.models import Audio, Stem
from upbeat.intake.names import clean_file_name, read_stem
from uploads import tasks
from uploads.models import Upload

NAMES = json.loads((Path(__file__).parents[2] / "core" / "tests" / "data" / "bad" / "names.json").read_text())["names"]
BAD = Path(__file__).parents[2] / "core" / "tests" / "data" / "bad"


def everything(settings):
    return (
        sorted(str(p.relative_to(settings.MEDIA)) for p in settings.MEDIA.rglob("*") if p.is_file())
        if settings.MEDIA.exists()
        else []
    )


def test_a_file_becomes_a_stem_and_the_song_grows_to_it(ines, wav):
    song = ines.song()
    upload = ines.imported(song, "Paper Boats 120 - Bass.wav", wav(40))
    assert (upload["status"], upload["progress"]) == ("done", 1)
    song = ines.get(f"songs/{song['id']}/").json()
    stem = song["stems"][0]
    assert (stem["name"], stem["group"], stem["seconds"], song["bars"]) == ("Bass", "rhythm", 40, 20)
    chart = ines.get(f"songs/{song['id']}/chart/").json()
    assert max(max(b["sound"]) for b in chart["bars"]) == 1
    assert ines.post(f"songs/{song['id']}/undo/").json()["stems"] == []
    assert len(ines.post(f"songs/{song['id']}/redo/").json()["stems"]) == 1


def test_the_same_file_is_stored_once_and_a_second_stem_gets_a_number(ines, wav, settings):
    song = ines.song()
    for _ in range(2):
        ines.imported(song, "Drums.wav", wav())
    names = [s["name"] for s in ines.get(f"songs/{song['id']}/").json()["stems"]]
    assert names == ["Drums", "Drums 2"]
    assert Audio.objects.count() == 1
    assert [p.split("/")[-1] for p in everything(settings)] == ["original.wav", "peaks.npy", "prepared.wav"]


def test_sending_goes_on_after_a_break(ines, wav):
    song, content = ines.song(), wav()
    upload = ines.post("uploads/", {"song": song["id"], "name": "a.wav", "size": len(content)}).json()
    put = lambda at, data: ines.http.put(
        f"/api/uploads/{upload['id']}/piece/?offset={at}", data, content_type="application/octet-stream"
    )
    assert put(0, content[:1000]).json()["received"] == 1000
    # The page lost the answer and sends the same again: it is got where the server is.
    again = put(0, content[:1000])
    assert (again.status_code, again.json()["received"]) == (409, 1000)
    assert put(5000, b"x").status_code == 409
    assert put("x", b"x").status_code == 409
    assert put(1000, content[1000:]).json()["status"] == "waiting"


def test_more_than_was_announced_is_refused(ines):
    song = ines.song()
    upload = ines.post("uploads/", {"song": song["id"], "name": "a.wav", "size": 5}).json()
    answer = ines.http.put(
        f"/api/uploads/{upload['id']}/piece/?offset=0", b"123456", content_type="application/octet-stream"
    )
    assert answer.status_code == 400
    assert "longer than announced" in answer.json()["problems"][0]["message"]


@pytest.mark.parametrize("size", [-1, 1 << 60, "many"])
def test_a_size_that_cannot_be_is_refused(ines, size):
    assert ines.post("uploads/", {"song": ines.song()["id"], "name": "a.wav", "size": size}).status_code == 400


@pytest.mark.parametrize(
    "name",
    ["text-inside.wav", "data-cut-short.wav", "corrupt-middle.flac", "nan-and-inf-float.wav", "unknown-codec.wav"],
)
def test_what_is_not_sound_leaves_nothing_behind(ines, wav, settings, name):
    song = ines.song()
    ines.imported(song, "Good.wav", wav())
    before = everything(settings)
    upload = ines.imported(song, name, (BAD / name).read_bytes())
    assert upload["status"] == "refused"
    assert name in upload["message"]
    assert [s["name"] for s in ines.get(f"songs/{song['id']}/").json()["stems"]] == ["Good"]
    assert everything(settings) == before


def test_an_empty_file_is_refused_at_the_door(ines):
    answer = ines.post("uploads/", {"song": ines.song()["id"], "name": "nothing.wav", "size": 0})
    assert "“nothing.wav” is empty" in answer.json()["problems"][0]["message"]
    assert not Upload.objects.exists()


def test_a_full_disk_while_preparing_leaves_the_song_and_can_be_tried_again(ines, wav, settings, monkeypatch):
    song = ines.song()
    real = kept.prepare

    def full(path, out, *args):
        Path(out).write_bytes(b"half")
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(kept, "prepare", full)
    upload = ines.imported(song, "Bass.wav", wav())
    assert upload["status"] == "refused"
    assert "disk is full" in upload["message"]
    assert not Stem.objects.exists()
    assert len(everything(settings)) == 1
    monkeypatch.setattr(kept, "prepare", real)
    assert ines.post(f"uploads/{upload['id']}/retry/").json()["status"] == "waiting"
    tasks.import_file(upload["id"])
    assert ines.get(f"uploads/{upload['id']}/").json()["status"] == "done"


def test_a_worker_that_dies_half_way_leaves_no_half_stem(ines, wav, settings, monkeypatch):
    song = ines.song()
    real = kept.prepare

    def dies(path, out, *args):
        real(path, out, *args)
        raise KeyboardInterrupt

    monkeypatch.setattr(kept, "prepare", dies)
    upload = ines.send(song, "Bass.wav", wav())
    with pytest.raises(KeyboardInterrupt):
        tasks.import_file(upload["id"])
    monkeypatch.setattr(kept, "prepare", real)
    assert not Stem.objects.exists()
    # The job is given out again, and finds the upload as it was.
    tasks.import_file(upload["id"])
    assert ines.get(f"uploads/{upload['id']}/").json()["status"] == "done"
    assert len([p for p in everything(settings) if "prepared" in p]) == 1


def test_cancelling_takes_the_file_away(ines, wav, settings):
    upload = ines.send(ines.song(), "Bass.wav", wav())
    assert ines.post(f"uploads/{upload['id']}/cancel/").json()["status"] == "cancelled"
    tasks.import_file(upload["id"])
    assert everything(settings) == []
    assert not Stem.objects.exists()


@pytest.mark.parametrize("case", NAMES, ids=lambda c: c["kind"])
def test_file_names_are_never_paths_and_never_lost(ines, case, settings):
    song = ines.song()
    answer = ines.post("uploads/", {"song": song["id"], "name": case["name"], "size": 4})
    assert answer.status_code in (201, 400)
    if answer.status_code == 201:
        shown = answer.json()["name"]
        assert "/" not in shown
        assert "\u202e" not in shown
        assert len(shown) <= 255
        ines.http.put(
            f"/api/uploads/{answer.json()['id']}/piece/?offset=0", b"RIFF", content_type="application/octet-stream"
        )
        assert all(p.startswith("uploads/") for p in everything(settings))
    else:
        assert answer.json()["problems"][0]["message"]


@pytest.mark.parametrize(
    ("file", "title", "name", "group"),
    [
        ("Tin Moon Waltz 138 - Bass.wav", "Tin Moon Waltz", "Bass", "rhythm"),
        ("bass_93.37.wav", "", "Bass", "rhythm"),
        ("01 Full Mix.flac", "", "Full Mix", "full_mix"),
        ("Choir.wav", "", "Choir", "voices"),
        ("organ_141bpm.wav", "", "Organ", "tonal"),
        ("CLICK.wav", "", "CLICK", "click"),
        ("138.wav", "", "138", "tonal"),
    ],
)
def test_names_tell_part_and_group(file, title, name, group):
    read = read_stem(file, title)
    assert (read.name, read.group) == (name, group)


def test_a_clean_name_has_no_direction_marks():
    assert clean_file_name("take\u202egpj.wav") == "takegpj.wav"
    assert clean_file_name("..") == "unnamed"
