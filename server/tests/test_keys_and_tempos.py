"""Entries in another key and tempo over the API: prepared in the worker, taken to the stage, refused with a sentence."""

import json

import pytest
from asked import says

from setlists.models import Entry
from shows.build import place_for_engine, show_document
from shows.models import Show
from songs.models import Preparation, PreparedAudio
from songs.prepared import prepare_stems
from upbeat.audio.pcm import open_prepared
from upbeat.errors import Refused
from upbeat.show.bundle import read_document
from upbeat.show.ready import make_ready


@pytest.fixture
def listed(ines, wav):
    song = ines.song(title="Night Ferry")
    for i, name in enumerate(("Drums", "Organ")):
        ines.imported(song, f"{name}.wav", wav(4, seed=i + 1))
    song = ines.edit(song, "set_facts", key="G", calls=False, count_in_aloud=False).json()
    ines.edit(song, "set_chords", first=1, text="G D")
    rows = [{"song": song["id"]}, {"song": song["id"]}]
    return ines.post("setlists/", {"name": "Thursday", "entries": rows}).json()


@pytest.fixture
def deferred(django_capture_on_commit_callbacks):
    """What is deferred once a request has ended is deferred in a test too."""
    with django_capture_on_commit_callbacks(execute=True):
        yield


def changed(member, setlist, **change):
    """The setlist with its first entry changed."""
    first, *others = setlist["entries"]
    kept = ("id", "song", "semitones", "tempo_percent")
    rows = [{k: first[k] for k in kept} | change, *({k: e[k] for k in kept} for e in others)]
    return member.patch(f"setlists/{setlist['id']}/", {"entries": rows})


def work():
    for row in Preparation.objects.filter(state=Preparation.State.WORKING):
        prepare_stems(row.pk)


def show_of(member, setlist):
    rig = member.post("rigs/", {"name": "Rig", "sockets": [{"number": 1}], "patches": []}).json()
    made = member.post("shows/", {"title": "Thursday", "setlist": setlist["id"], "rig": rig["id"]}).json()
    return Show.objects.get(pk=made["id"])


def test_an_entry_a_tone_up_is_prepared_and_played(ines, listed, deferred):
    entry = changed(ines, listed, semitones=2, tempo="92 %").json()["entries"][0]
    assert (entry["key"], entry["recorded_key"]) == ("A", "G")
    assert (entry["bpm"], entry["recorded_bpm"]) == ("110.4", "120")
    assert entry["seconds"] == pytest.approx(listed["entries"][0]["seconds"] * 100 / 92, abs=0.01)
    assert entry["preparing"]["state"] == "working"
    work()
    again = ines.get(f"setlists/{listed['id']}/").json()
    assert [e["preparing"] and e["preparing"]["state"] for e in again["entries"]] == ["ready", None]
    # Drums keep their pitch.
    assert {(p.semitones, p.struck) for p in PreparedAudio.objects.all()} == {(0, True), (2, False)}
    folder = place_for_engine(show_of(ines, listed))
    ready = make_ready(read_document(folder), folder, speak=False)
    moved, own = ready.plan.entries
    assert (moved.song.key, own.song.key) == ("A", "G")
    assert moved.song.chords[1] == "A E"
    lengths = [[len(s.pcm) for s in e.stems] for e in ready.audio.entries]
    assert lengths == [[round(4 * 48000 * 100 / 92)] * 2, [4 * 48000] * 2]
    # The files are what was measured of them: the check at loading finds nothing wrong.
    document = json.loads((folder / "show.json").read_text())
    assert all(p["crc32"] for s in document["songs"][0]["stems"] for p in s["prepared"])


def test_nothing_is_made_twice(ines, listed, deferred):
    changed(ines, listed, semitones=2)
    work()
    before = {p.path.stat().st_mtime_ns for p in _files(listed)}
    back = changed(ines, changed(ines, listed, semitones=0).json(), semitones=2).json()
    assert back["entries"][0]["preparing"]["state"] == "ready"
    assert Preparation.objects.filter(state=Preparation.State.WORKING).count() == 0
    assert {p.path.stat().st_mtime_ns for p in _files(listed)} == before


def _files(setlist):
    from songs.prepared import wanted

    entry = Entry.objects.filter(setlist=setlist["id"]).first()
    return wanted(entry.song, entry.change)


def test_what_is_not_prepared_is_not_taken_to_the_stage_but_begun(ines, listed, deferred):
    changed(ines, listed, semitones=-3)
    show = show_of(ines, listed)
    with pytest.raises(Refused, match="“Night Ferry” is not prepared at -3 semitones yet"):
        place_for_engine(show)
    assert Preparation.objects.get().state == "working"
    # It can be made up all the same: the dress run says what is missing.
    document, files = show_document(show)
    assert document["entries"][0]["semitones"] == -3
    assert sum(not f.exists() for f in files.values()) == 1
    work()
    assert place_for_engine(show).is_dir()


@pytest.mark.parametrize(
    ("change", "sentence"),
    [
        ({"semitones": 12}, "by -6 to 6 semitones, not by +12"),
        ({"tempo": "0 %"}, "50 to 150 %"),
        ({"tempo": "fast"}, "“fast” is not a tempo"),
        ({"tempo": "300"}, "50 to 150 %"),
    ],
)
def test_what_cannot_be_is_said_and_nothing_is_kept(ines, listed, change, sentence):
    answer = changed(ines, listed, **change)
    assert answer.status_code == 400
    assert sentence in json.dumps(answer.json(), ensure_ascii=False)
    entry = ines.get(f"setlists/{listed['id']}/").json()["entries"][0]
    assert (entry["semitones"], entry["tempo_percent"]) == (0, 100)
    assert Preparation.objects.count() == 0


def test_a_stem_that_is_marked_keeps_its_pitch(ines, listed, deferred):
    song = Entry.objects.filter(setlist=listed["id"]).first().song
    organ = next(s for s in ines.get(f"songs/{song.pk}/").json()["stems"] if s["name"] == "Organ")
    assert ines.edit({"id": str(song.pk)}, "set_stem", stem=organ["id"], keeps_pitch=True).status_code == 200
    assert changed(ines, listed, semitones=2).json()["entries"][0]["preparing"]["state"] == "ready"


def test_a_disk_that_is_full_is_said_and_leaves_nothing(ines, listed, deferred, monkeypatch, settings):
    changed(ines, listed, semitones=2)
    monkeypatch.setattr("songs.prepared.run_upbeat", _no_room)
    work()
    told = ines.get(f"setlists/{listed['id']}/").json()["entries"][0]["preparing"]
    assert told["state"] == "refused"
    assert "The disk is full" in told["message"]
    assert not list((settings.MEDIA / "preparing").glob("*"))
    assert PreparedAudio.objects.count() == 0
    monkeypatch.undo()
    assert ines.post(f"setlists/{listed['id']}/prepare/").json()["entries"][0]["preparing"]["state"] == "working"
    work()
    assert ines.get(f"setlists/{listed['id']}/").json()["entries"][0]["preparing"]["state"] == "ready"


def _no_room(*args):
    raise OSError(28, "No space left on device")


def test_another_band_prepares_nothing(ines, other, listed):
    assert other.post(f"setlists/{listed['id']}/prepare/").status_code == 404


def test_the_sound_that_is_kept_is_another_than_the_recording(ines, listed, deferred):
    changed(ines, listed, tempo="60")
    work()
    [first, _] = _files(listed)
    assert len(open_prepared(first.path, 48000)) == 2 * first.stem.audio.frames
    assert says(changed(ines, listed, tempo="59")).startswith("A song can be played")
