"""Entries in another key and tempo over the API: prepared in the worker, taken to the stage, refused with a sentence."""

import io
import json
import zipfile
from datetime import timedelta
from fractions import Fraction

import numpy as np
import pytest
import soundfile
from asked import says
from django.utils import timezone
from material import RATE, onsets, write_wav

from preview.joining import joining
from preview.listening import listening
from setlists.models import Entry, Playlist
from setlists.playlist import make_playlist
from setlists.tasks import UNUSED_DAYS, discard_unused
from shows.build import place_for_engine, show_document
from shows.models import Show
from songs.models import Preparation, PreparedAudio, Song
from songs.prepared import ask_preparation, prepare_stems, preparing, wanted
from upbeat.audio.pcm import open_prepared
from upbeat.audio.stretch import stretched_frames
from upbeat.audio.stretched_pcm import StretchedPcm
from upbeat.errors import Refused
from upbeat.play.advance import advance
from upbeat.show.bundle import read_document
from upbeat.show.ready import make_ready
from upbeat.song.key_tempo import key_tempo


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


def test_the_step_to_the_next_song_is_from_key_to_key_as_they_are_played(ines, listed, deferred):
    changed(ines, listed, semitones=2, tempo="50 %")
    [step] = ines.get(f"setlists/{listed['id']}/to-do/").json()["steps"]
    assert (step["semitones"], step["tempo_percent"]) == (-2, 100)


def test_the_click_of_every_song_is_at_the_tempo_it_is_played_at(ines, listed):
    setlist = changed(ines, listed, tempo="96").json()
    answer = ines.get(f"setlists/{setlist['id']}/guides/?what=click&kind=wav")
    with zipfile.ZipFile(io.BytesIO(b"".join(answer.streaming_content))) as archive:
        sounds = [soundfile.read(io.BytesIO(archive.read(name)))[0] for name in archive.namelist()]
    assert [set(np.diff(onsets(sound, floor=0.02))) for sound in sounds] == [{RATE * 60 // 96}, {RATE // 2}]


def test_nothing_is_made_twice(ines, listed, deferred):
    changed(ines, listed, semitones=2)
    work()
    before = {p.path.stat().st_mtime_ns for p in _files(listed)}
    back = changed(ines, changed(ines, listed, semitones=0).json(), semitones=2).json()
    assert back["entries"][0]["preparing"]["state"] == "ready"
    assert Preparation.objects.filter(state=Preparation.State.WORKING).count() == 0
    assert {p.path.stat().st_mtime_ns for p in _files(listed)} == before


def test_what_nothing_is_played_in_any_more_is_thrown_away_after_a_month(ines, listed, deferred):
    up = changed(ines, listed, semitones=2).json()
    work()
    played = {w.path for w in _files(listed)}
    down = changed(ines, up, semitones=-1).json()
    work()
    kept = {w.path for w in _files(listed)}
    begun = timezone.now()
    discard_unused(begun + timedelta(days=UNUSED_DAYS - 1))
    assert all(p.exists() for p in played | kept)
    discard_unused(begun + timedelta(days=UNUSED_DAYS + 1))
    assert {p for p in played | kept if p.exists()} == kept
    assert {row.path for row in PreparedAudio.objects.all()} == kept
    # It is made anew where it is asked for again.
    assert changed(ines, down, semitones=2).json()["entries"][0]["preparing"]["state"] == "working"
    work()
    assert all(p.exists() for p in played)


def test_what_is_rehearsed_slowly_is_kept(ines, listed, deferred):
    song = Song.objects.get(pk=listed["entries"][0]["song"])
    for percent in (70, 75):
        ask_preparation(song, key_tempo(0, percent))
    work()
    discard_unused(timezone.now() + timedelta(days=365))
    assert {row.tempo_percent for row in PreparedAudio.objects.all()} == {70}


def _files(setlist):
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
    assert (entry["semitones"], entry["tempo_percent"]) == (None, None)
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


def test_tempos_that_are_nearly_the_same_have_files_of_their_own(ines, listed):
    song = Entry.objects.filter(setlist=listed["id"]).first().song
    paths = {w.path for percent in ("114.1667", "114.1671") for w in wanted(song, key_tempo(0, percent))}
    assert len(paths) == 4


def test_another_band_prepares_nothing(ines, other, listed):
    assert other.post(f"setlists/{listed['id']}/prepare/").status_code == 404


def test_the_sound_that_is_kept_is_another_than_the_recording(ines, listed, deferred):
    changed(ines, listed, tempo="60")
    work()
    [first, _] = _files(listed)
    assert len(open_prepared(first.path, 48000)) == 2 * first.stem.audio.frames
    assert says(changed(ines, listed, tempo="59")).startswith("A song can be played")


def tone(folder, hz=440, seconds=24):
    """Bytes of a WAV with a tone."""
    t = np.arange(seconds * RATE) / RATE
    return write_wav(folder / "tone.wav", 0.3 * np.sin(2 * np.pi * hz * t), RATE, np.int16).read_bytes()


def heard_hz(ready, state, seconds=2.0):
    """How high what is heard first is, with its frames."""
    out = np.zeros((2, round(seconds * RATE)), dtype=np.float32)
    state, span = advance(ready.plan, state, out.shape[1])
    ready.renderer().render(span, out)
    steady = out[0, RATE // 4 :]
    spectrum = np.abs(np.fft.rfft(steady * np.hanning(len(steady)), 1 << 18))
    return np.argmax(spectrum) * RATE / (1 << 18)


@pytest.mark.parametrize("prepared", [False, True])
@pytest.mark.parametrize(("asked", "hz"), [({"semitones": 2}, 493.9), ({"semitones": -5, "tempo": "80 %"}, 329.6)])
def test_any_bar_is_heard_long_before_the_song_is_prepared(ines, tmp_path, prepared, asked, hz):
    song = ines.song(title="Night Ferry")
    ines.imported(song, "Organ.wav", tone(tmp_path))
    if prepared:
        row = Song.objects.get(pk=song["id"])
        row_change = key_tempo(asked["semitones"], 80 if "tempo" in asked else 100)
        Preparation.objects.create(song=row, semitones=row_change.semitones, tempo_percent=float(row_change.percent))
        work()
        assert preparing(row, row_change)["state"] == "ready"
    ready, state = listening(ines.band, {"hear": song["id"], "bar": 7, "click": False, "cues": False, **asked})
    bars = ready.plan.entries[0].bar_frames
    assert bars[1] - bars[0] == round(2 * RATE * (1.25 if "tempo" in asked else 1))
    assert heard_hz(ready, state) == pytest.approx(hz, abs=2)


def test_a_preview_goes_on_from_piece_to_piece_without_a_hole(tmp_path):
    sound = 0.3 * np.sin(2 * np.pi * 220 * np.arange(20 * RATE) / RATE).astype(np.float32)[:, None]
    made = StretchedPcm(sound, RATE, 3, Fraction(90))
    assert len(made) == stretched_frames(len(sound), Fraction(90))
    heard = np.concatenate([made[a : a + 4800] for a in range(RATE, 11 * RATE, 4800)])[:, 0]
    levels = np.sqrt(np.mean(heard.reshape(-1, 480) ** 2, axis=1))
    assert levels.min() > 0.6 * 0.3 / np.sqrt(2)
    assert np.abs(np.diff(heard)).max() < 2.5 * 0.3 * 2 * np.pi * 262 / RATE


def test_a_tempo_that_is_none_is_said_before_anything_is_heard(ines, wav):
    song = ines.song(title="Night Ferry")
    with pytest.raises(Refused, match="“quick” is not a tempo"):
        listening(ines.band, {"hear": song["id"], "bar": 1, "tempo": "quick"})


def test_a_join_and_the_sound_files_of_a_setlist_are_in_its_keys(ines, tmp_path, deferred):
    song = ines.song(title="Night Ferry")
    ines.imported(song, "Organ.wav", tone(tmp_path))
    rows = [{"song": song["id"]}, {"song": song["id"], "semitones": 3, "link": "attacca"}]
    listed = ines.post("setlists/", {"name": "T", "entries": rows}).json()
    ready, _ = joining(ines.band, {"join": {"setlist": listed["id"], "entry": listed["entries"][0]["id"]}})
    first, second = (e.stems[0].pcm for e in ready.audio.entries)
    assert type(first) is not type(second)
    ines.post(f"setlists/{listed['id']}/playlist/")
    make_playlist(Playlist.objects.get().pk)
    assert "is not prepared at +3 semitones yet" in ines.get(f"setlists/{listed['id']}/playlist/").json()["message"]
    work()
    ines.post(f"setlists/{listed['id']}/playlist/")
    make_playlist(Playlist.objects.get().pk)
    assert ines.get(f"setlists/{listed['id']}/playlist/").json()["state"] == "done"


def test_what_is_asked_of_a_show_is_answered_before_and_after_it_is_prepared(ines, listed, deferred):
    show = show_of(ines, changed(ines, listed, semitones=1).json())

    def answers():
        path = f"shows/{show.pk}"
        asked = [ines.post(f"{path}/in-mono/"), ines.post(f"{path}/fold-down/", {"sockets": 2})]
        return [a.status_code for a in (*asked, ines.get(f"{path}/patch-sheet/"), ines.get(f"{path}/dress-run/"))]

    assert answers() == [200] * 4
    work()
    assert answers() == [200] * 4


def test_it_is_heard_wherever_the_files_of_the_product_lie(ines, wav, settings, tmp_path):
    settings.MEDIA = tmp_path / "ines@home" / "media"
    song = ines.song(title="Night Ferry")
    ines.imported(song, "Organ.wav", wav(4))
    for semitones in (0, 2):
        ready, _ = listening(ines.band, {"hear": song["id"], "bar": 1, "semitones": semitones})
        assert len(ready.audio.entries[0].stems[0].pcm) == 4 * RATE


def test_a_song_is_prepared_at_every_tempo_for_rehearsal_and_heard_as_prepared(ines, other, listed, deferred):
    song = listed["entries"][0]["song"]
    path = f"songs/{song}/tempos/"
    told = ines.get(path).json()
    assert [(x["percent"], x["state"]) for x in told] == [(p, "none") for p in (50, 60, 70, 80, 90)]
    assert not Preparation.objects.exists()
    assert {x["state"] for x in ines.post(path).json()} == {"working"}
    # Once more asks for nothing that is being made.
    ines.post(path)
    assert Preparation.objects.count() == 5
    work()
    assert {x["state"] for x in ines.get(path).json()} == {"ready"}
    made = PreparedAudio.objects.count()
    ines.post(path)
    assert PreparedAudio.objects.count() == made
    ready, _ = listening(ines.band, {"hear": song, "bar": 1, "tempo_percent": 50})
    stems = ready.audio.entries[0].stems
    assert not any(isinstance(s.pcm, StretchedPcm) for s in stems)
    assert {len(s.pcm) for s in stems} == {8 * RATE}
    assert other.get(path).status_code == 404
    assert other.post(path).status_code == 404


def test_a_song_is_played_in_another_key_and_tempo_wherever_an_entry_has_none_of_its_own(ines, listed, deferred):
    song = listed["entries"][0]["song"]
    typed = ines.edit({"id": song}, "set_played", semitones=2, tempo="96")
    assert typed.status_code == 200, typed.content
    assert (typed.json()["semitones"], typed.json()["tempo_percent"]) == (2, 80)
    assert ines.get(f"songs/{song}/played/").json()["state"] == "working"
    work()
    assert ines.get(f"songs/{song}/played/").json()["state"] == "ready"
    kept = changed(ines, listed, semitones=0, tempo="100 %").json()
    own, following = kept["entries"]
    assert (own["key"], own["bpm"], own["preparing"]) == ("G", "120", None)
    assert (following["semitones"], following["tempo_percent"]) == (None, None)
    assert (following["played_semitones"], following["played_percent"]) == (2, 80)
    assert (following["key"], following["bpm"], following["preparing"]["state"]) == ("A", "96", "ready")
    folder = place_for_engine(show_of(ines, kept))
    plan = make_ready(read_document(folder), folder, speak=False).plan
    assert [float(e.song.grid.tempo.points[0].bpm) for e in plan.entries] == [120, 96]
    # An entry of its own tempo keeps the key of the song; without one it follows again.
    half = changed(ines, kept, semitones=None, tempo="50 %").json()["entries"][0]
    assert (half["key"], half["bpm"]) == ("A", "60")
    assert changed(ines, kept, semitones=None, tempo="").json()["entries"][0]["bpm"] == "96"
    back = ines.post(f"songs/{song}/undo/", {}).json()
    assert (back["semitones"], back["tempo_percent"]) == (0, 100)


@pytest.mark.parametrize(
    ("args", "sentence"),
    [({"semitones": 12}, "by -6 to 6"), ({"tempo": "fast"}, "is not a tempo"), ({"tempo": "0 %"}, "50 to 150 %")],
)
def test_a_song_cannot_be_played_out_of_range(ines, listed, args, sentence):
    answer = ines.edit({"id": listed["entries"][0]["song"]}, "set_played", **args)
    assert answer.status_code == 400
    assert sentence in json.dumps(answer.json(), ensure_ascii=False)


def test_what_is_prepared_for_rehearsal_is_taken_to_the_stage_and_not_given_away(ines, listed, deferred):
    song = listed["entries"][0]["song"]
    ines.edit({"id": song}, "set_played", semitones=2)
    work()
    show = show_of(ines, listed)
    entries = make_ready(read_document(folder := place_for_engine(show)), folder, speak=False).plan.entries
    assert [e.percent for e in entries] == [100, 100]
    assert [t["percent"] for t in ines.post(f"songs/{song}/tempos/", {}).json()] == [50, 60, 70, 80, 90]
    work()
    # In the key that the band plays it in, at so many per cent of its tempo.
    assert {(p.semitones, p.tempo_percent) for p in PreparedAudio.objects.filter(struck=False)} == {
        (2, percent) for percent in (50, 60, 70, 80, 90, 100)
    }
    folder = place_for_engine(show)
    plan = make_ready(read_document(folder), folder, speak=False).plan
    assert [(e.of, e.percent) for e in plan.entries] == [
        (None, 100),
        (None, 100),
        *((i, percent) for i in (0, 1) for percent in (50, 60, 70, 80, 90)),
    ]
    half = plan.entries[2]
    assert (float(half.song.grid.tempo.points[0].bpm), half.song.key) == (60, "A")
    # A bundle has what the show plays, and nothing for rehearsals.
    document, _ = show_document(show)
    assert {p["tempo_percent"] for s in document["songs"][0]["stems"] for p in s.get("prepared", [])} == {100}
