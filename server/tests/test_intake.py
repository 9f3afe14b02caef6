"""Folders, zips, lists and findings, from the door to the song and back."""

import io
import zipfile
from pathlib import Path

import numpy as np
import pytest
from asked import opened
from material import RATE, write_wav

from songs import tasks as song_tasks
from songs.models import Comparison, Offer, Song, Stem
from uploads import tasks
from uploads.models import Upload

DATA = Path(__file__).parents[2] / "core" / "tests" / "data"


@pytest.fixture
def sound(tmp_path):
    """Bytes of a stereo WAV of noise bursts, late by some ms, its right side upside down if asked."""

    def make(seed=1, late_ms=0.0, flipped=False, seconds=16, cues=()):
        rng = np.random.default_rng(seed)
        line = np.zeros(seconds * RATE, np.float32)
        for at in np.arange(0.5, seconds - 2, 0.5 if seed == 1 else 1.0):
            first = round((at + late_ms / 1000) * RATE)
            line[first : first + 6000] += (0.1 * rng.standard_normal(6000) * np.exp(-np.arange(6000) / 1500)).astype(
                np.float32
            )
        path = write_wav(
            tmp_path / "made.wav", np.stack((line, -line if flipped else 0.9 * line), axis=1), RATE, np.int16
        )
        return path.read_bytes()

    return make


def run_jobs(song):
    """What the worker would do next: compare the stems."""
    song_tasks.compare_stems(str(song["id"]))


@pytest.fixture
def song(ines, sound):
    """Three stems and their sum; the second is 20 ms late, the third has a side upside down."""
    song = ines.song()
    parts = {n: sound(i) for i, n in enumerate(("Drums", "Keys", "Choir"), 1)}
    total = sum(np.frombuffer(p[-4 * 16 * RATE :], "<i2").astype(np.int32) for p in parts.values())
    mix = parts["Drums"][: -4 * 16 * RATE] + total.astype("<i2").tobytes()
    for name, content in {
        "Drums": parts["Drums"],
        "Keys": sound(2, 20),
        "Choir": sound(3, flipped=True),
        "Full mix": mix,
    }.items():
        assert ines.imported(song, f"{name}.wav", content)["status"] == "done"
    run_jobs(song)
    return song


def of(found, name, song):
    stem = next(s["id"] for s in song["stems"] if s["name"] == name)
    return [f for f in found if f["stem"] == stem]


def test_findings_wait_for_the_comparison_and_come_worst_first(ines, sound):
    song = ines.song()
    ines.imported(song, "Drums.wav", sound(1))
    assert opened(ines, song)["findings"] == {"ready": True, "list": []}
    ines.imported(song, "Choir.wav", sound(3, flipped=True))
    answer = opened(ines, song)["findings"]
    assert not answer["ready"]
    # What one stem shows by itself is said at once.
    assert [f["code"] for f in answer["list"]] == ["side-inverted"]
    run_jobs(song)
    shown = opened(ines, song)
    assert shown["findings"]["ready"]
    assert Comparison.objects.count() == 1
    # Both stems together: louder than either, and never a reading of the mix beside them.
    assert shown["together"]["integrated_lufs"] > max(s["integrated_lufs"] for s in shown["stems"])


def test_a_mend_is_a_setting_of_the_stem_and_is_taken_back(ines, song):
    shown = opened(ines, song)
    late = of(shown["findings"]["list"], "Keys", shown)[0]
    assert (late["code"], late["mend"], late["state"]) == ("late", "shift", "open")
    assert late["value"] == pytest.approx(20, abs=0.1)
    original = Stem.objects.get(pk=late["stem"]).audio.original.read_bytes()
    after = ines.edit(song, "mend", stem=late["stem"], code="late").json()
    stem = next(s for s in after["stems"] if s["id"] == late["stem"])
    assert stem["delay_ms"] == pytest.approx(-20, abs=0.1)
    assert of(after["findings"]["list"], "Keys", after)[0]["state"] == "mended"
    back = ines.edit(song, "unmend", stem=late["stem"], code="late").json()
    assert next(s for s in back["stems"] if s["id"] == late["stem"])["delay_ms"] == 0
    assert of(back["findings"]["list"], "Keys", back)[0]["state"] == "open"
    # Undo brings the mend again; the file was never touched.
    assert of(ines.post(f"songs/{song['id']}/undo/").json()["findings"]["list"], "Keys", shown)[0]["state"] == "mended"
    assert Stem.objects.get(pk=late["stem"]).audio.original.read_bytes() == original


def test_a_finding_is_left_as_it_is_and_shown_again(ines, song):
    shown = opened(ines, song)
    flipped = of(shown["findings"]["list"], "Choir", shown)[0]
    state = lambda s: of(s["findings"]["list"], "Choir", s)[0]["state"]
    assert state(ines.edit(song, "accept_finding", stem=flipped["stem"], code="side-inverted").json()) == "accepted"
    assert (
        state(ines.edit(song, "accept_finding", stem=flipped["stem"], code="side-inverted", accepted=False).json())
        == "open"
    )
    for do, code in (("mend", "cut-off"), ("unmend", "late")):
        assert (
            "reload the song" in ines.edit(song, do, stem=flipped["stem"], code=code).json()["problems"][0]["message"]
        )


def test_before_and_after_are_heard_whatever_the_song_has_now(ines, song):
    from preview.listening import listening

    shown = opened(ines, song)
    late = of(shown["findings"]["list"], "Keys", shown)[0]

    def delay(mended):
        ready, _ = listening(
            ines.band, {"hear": song["id"], "finding": {"stem": late["stem"], "code": "late", "mended": mended}}
        )
        return next(s.stem.delay_ms for s in ready.audio.entries[0].stems if s.stem.id == late["stem"])

    assert [delay(False), delay(True)] == [0, pytest.approx(-20, abs=0.1)]
    ines.edit(song, "mend", stem=late["stem"], code="late")
    assert [delay(False), delay(True)] == [0, pytest.approx(-20, abs=0.1)]
    mix = next(s["id"] for s in shown["stems"] if s["purpose"] == "full_mix")
    ready, _ = listening(ines.band, {"hear": song["id"], "alone": mix})
    assert [s.stem.id for s in ready.audio.entries[0].stems] == [mix]


# --- offers


def midi(*events):
    body = b"".join(events) + b"\x00\xff\x2f\x00"
    return b"MThd\x00\x00\x00\x06\x00\x00\x00\x01\x01\xe0MTrk" + len(body).to_bytes(4, "big") + body


def test_a_midi_file_offers_tempo_and_sections_and_undo_brings_the_offer_back(ines, wav):
    song = ines.song()
    ines.imported(song, "Bass.wav", wav(40))
    tempo, meter = b"\x00\xff\x51\x03" + (600_000).to_bytes(3, "big"), b"\x00\xff\x58\x04\x03\x02\x18\x08"
    marks = (
        b"\x00\xff\x06\x05Intro",
        b"\x9e\x40\xff\x06\x05Verse",
    )  # 3840 ticks of 480: eight quarters, bar 3 and a third
    assert ines.imported(song, "map.mid", midi(tempo, meter, *marks))["status"] == "done"
    offers = {o["kind"]: o for o in opened(ines, song)["offers"]}
    assert (offers["tempo_map"]["bpm"], offers["tempo_map"]["meters"]) == ("100", 1)
    taken = ines.edit(song, "take_offer", offer=offers["tempo_map"]["id"]).json()
    assert (taken["tempo"][0]["bpm"], taken["meters"][0]["meter"], taken["bars"]) == ("100", "3/4", 23)
    assert [(s["name"], s["bar"]) for s in taken["offers"][0]["sections"]] == [("Intro", 1), ("Verse", 4)]
    taken = ines.edit(song, "take_offer", offer=offers["sections"]["id"]).json()
    assert [(s["name"], s["bars"]) for s in taken["sections"]] == [("Intro", 3), ("Verse", 20)]
    assert taken["offers"] == []
    assert [o["kind"] for o in ines.post(f"songs/{song['id']}/undo/").json()["offers"]] == ["sections"]


def test_lists_and_cue_chunks_offer_sections_on_the_nearest_bars(ines, wav):
    song = ines.song()
    ines.imported(song, "Bass.wav", wav(40))
    ines.imported(song, "parts.txt", b"0.02\t8\tIntro\n8.03\t40\tVerse\n")
    offer = opened(ines, song)["offers"][0]
    assert [(s["name"], s["bar"], s["off_ms"]) for s in offer["sections"]] == [("Intro", 1, 20.0), ("Verse", 5, 30.0)]
    assert offer["worst_ms"] == 30
    ines.imported(song, "cue-beyond-end.wav", (DATA / "wavcue" / "cue-beyond-end.wav").read_bytes())
    upload = Upload.objects.get(name="cue-beyond-end.wav")
    assert "past the end" in upload.message
    assert len(opened(ines, song)["offers"]) == 2
    gone = ines.delete(f"songs/{song['id']}/offers/{offer['id']}/").json()
    assert [o["source"] for o in gone["offers"]] == ["cue-beyond-end.wav"]


@pytest.mark.parametrize(
    ("name", "content", "said"),
    [
        ("a.mid", b"MThd", "ends in the middle"),
        ("a.txt", b"no list", "lists no sections"),
        ("a.zip", b"PK\x03\x04junk", "not a zip"),
    ],
)
def test_a_wrong_list_is_refused_and_offers_nothing(ines, name, content, said):
    song = ines.song()
    upload = ines.imported(song, name, content)
    assert upload["status"] == "refused"
    assert said in upload["message"]
    assert name in upload["message"]
    assert not Offer.objects.exists()


def test_offers_of_another_band_are_not_there(ines, other):
    song = ines.song()
    ines.imported(song, "parts.txt", b"0\t8\tIntro\n")
    offer = opened(ines, song)["offers"][0]["id"]
    assert other.delete(f"songs/{song['id']}/offers/{offer}/").status_code == 404
    theirs = other.song()
    assert other.delete(f"songs/{theirs['id']}/offers/{offer}/").status_code == 200
    assert other.edit(theirs, "take_offer", offer=offer).status_code == 400
    assert Offer.objects.count() == 1


def test_names_are_read_for_correction_and_nothing_is_made(ines):
    read = ines.post(
        "songs/read-names/",
        {"folder": "Tin Moon Waltz 138 bpm", "files": ["Tin Moon Waltz 138 - Bass.wav", "../../x.wav"]},
    ).json()
    assert (read["title"], read["bpm"], [s["name"] for s in read["stems"]]) == ("Tin Moon Waltz", "138", ["Bass", "X"])
    assert not Song.objects.exists()


def test_a_name_and_group_put_right_before_sending_are_kept(ines, wav):
    song, content = ines.song(), wav()
    upload = ines.post(
        "uploads/",
        {"song": song["id"], "name": "Track 4.wav", "size": len(content), "stem_name": "Shakers", "group": "rhythm"},
    ).json()
    ines.http.put(f"/api/uploads/{upload['id']}/piece/?offset=0", content, content_type="application/octet-stream")
    tasks.import_file(upload["id"])
    stem = opened(ines, song)["stems"][0]
    assert (stem["name"], stem["group"]) == ("Shakers", "rhythm")
    assert ines.post("uploads/", {"song": song["id"], "name": "a.wav", "size": 4, "group": "drums"}).status_code == 400


def test_stems_stand_in_the_order_of_their_files_whichever_was_read_first(ines, wav):
    song = ines.song()
    sent = [ines.send(song, f"{name}.wav", wav(4, seed=i)) for i, name in enumerate(("Accordion", "Bass", "Choir"))]
    for upload in (sent[2], sent[0], sent[1]):
        tasks.import_file(upload["id"])
    shown = opened(ines, song)["stems"]
    assert [s["name"] for s in shown] == ["Accordion", "Bass", "Choir"]
    assert [ines.get(f"uploads/{u['id']}/").json()["stem"] for u in sent] == [s["id"] for s in shown]


# --- zips


def packed(files, **more):
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w", more.get("compression", zipfile.ZIP_STORED)) as z:
        for name, content in files.items():
            z.writestr(name, content)
    return made.getvalue()


def work_off():
    for upload in Upload.objects.filter(status="waiting").order_by("name"):
        tasks.import_file(str(upload.pk))


def test_a_zip_becomes_stems_with_names_read_together(ines, wav, settings):
    song = ines.post("songs/", {"title": "New song"}).json()
    stems = {f"Paper Boats 98 bpm/paper_boats_{n}.wav": wav(seed=i) for i, n in enumerate(("bass", "choir"), 1)}
    content = packed(
        {
            **stems,
            "__MACOSX/._x.wav": b"x",
            ".hidden.wav": b"x",
            "notes.pdf": b"x",
            "Paper Boats 98 bpm/parts.txt": b"0\t4\tIntro\n",
        }
    )
    assert ines.imported(song, "Paper Boats 98 bpm.zip", content)["status"] == "done"
    work_off()
    shown = opened(ines, song)
    assert [(s["name"], s["group"]) for s in shown["stems"]] == [("Bass", "rhythm"), ("Choir", "voices")]
    assert {o["kind"]: (o["title"], o["bpm"]) for o in shown["offers"] if o["kind"] == "facts"} == {
        "facts": ("Paper Boats", "98")
    }
    assert not list((settings.MEDIA / "uploads").iterdir())


@pytest.mark.parametrize(
    ("files", "said"),
    [
        ({"readme.md": b"x"}, "no sound files"),
        ({f"{i}.wav": b"x" for i in range(201)}, "at most 200 stems"),
        ({"../../etc/evil.wav": b"RIFF"}, ""),
    ],
)
def test_a_zip_that_is_none_of_a_song_leaves_nothing(ines, settings, files, said):
    song = ines.song()
    upload = ines.imported(song, "a.zip", packed(files))
    work_off()
    assert said in upload["message"]
    assert not Stem.objects.exists()
    # Whatever the names in it say, nothing is written outside the folder of uploads.
    assert all(p.parent.name == "uploads" for p in settings.VAR.rglob("*") if p.is_file() and "media" in p.parts)


def test_a_zip_that_lies_about_its_sizes_or_has_no_room_is_refused_whole(ines, wav, settings, monkeypatch):
    song = ines.song()
    good = packed({"a.wav": wav(), "b.wav": bytes(1 << 20)}, compression=zipfile.ZIP_DEFLATED)
    size = (1 << 20).to_bytes(4, "little")
    upload = ines.imported(song, "lies.zip", good.replace(size, (1000).to_bytes(4, "little")))
    assert upload["status"] == "refused"
    settings.UPLOAD_MAX = 1 << 20
    assert "make room" in ines.imported(song, "big.zip", good)["message"]
    assert Upload.objects.count() == 2
    assert not list((settings.MEDIA / "uploads").iterdir())
