"""The band's voice, its recordings and clicks, and the cues of a song, over the API."""

import errno
import io

import numpy as np
import pytest
import soundfile

from people.models import Band
from shows.build import show_document
from shows.models import Show
from upbeat.cues.palette import PALETTES
from voices.models import OwnSound

RATE = 48_000


def says(answer, status=400):
    assert answer.status_code == status, answer.content
    return answer.json()["problems"][0]["message"]


def sound_file(seconds=0.5, kind="WAV", level=0.3, before=0.2, rate=44_100):
    t = np.arange(int(seconds * rate)) / rate
    word = level * np.sin(2 * np.pi * 700 * t) * np.sin(np.pi * t / seconds) ** 0.5
    out = io.BytesIO()
    soundfile.write(out, np.concatenate((np.zeros(int(before * rate)), word, np.zeros(rate // 5))), rate, format=kind)
    return out.getvalue()


def bring(member, content, **asked):
    address = "/api/own-sounds/?" + "&".join(f"{k}={v}" for k, v in asked.items())
    return member.http.post(address, content, content_type="application/octet-stream")


@pytest.fixture
def song(ines):
    made = ines.song(title="Tin Moon", bpm="120")
    for first, last, name in ((1, 4, "Verse"), (5, 8, "Chorus")):
        made = ines.edit(made, "mark_section", first=first, last=last, name=name).json()
    return ines.edit(made, "set_length", bars=8).json()


def made_show(member, song):
    setlist = member.post("setlists/", {"name": "One", "entries": [{"song": song["id"]}]}).json()
    rig = member.post("rigs/", {"name": "Two", "sockets": []}).json()
    return member.post("shows/", {"title": "Tonight", "setlist": setlist["id"], "rig": rig["id"]}).json()["id"]


def cues(member, song, **asked):
    answer = member.get(f"songs/{song['id']}/cues/?" + "&".join(f"{k}={v}" for k, v in asked.items()))
    assert answer.status_code == 200, answer.content
    return answer.json()


def into(got, name):
    return next(p for p in got["passes"] if p["into"] and p["into"]["name"] == name)


def test_the_lane_tells_every_word_and_what_gives_way(ines, song):
    ines.edit(song, "set_cue", bar=4, beat=2, text="all up")
    ines.edit(song, "set_cue", bar=6, beat=1, text="لازمة")
    got = cues(ines, song)
    assert [p["step"] and p["step"]["name"] for p in got["passes"]] == [None, "Verse", "Chorus"]
    assert [w["text"] for w in got["passes"][0]["words"]] == ["one", "two", "three", "four"]
    lane = into(got, "Chorus")
    # "Chorus" takes the beat of "two" at this tempo, or does not: the words that are said and those left out are the whole call.
    said = [w["text"] for w in lane["words"]]
    assert said[0] == "Chorus"
    assert sorted(said[1:] + [m["text"] for m in lane["left_out"] if m["why"] == "covered"]) == ["four", "three", "two"]
    assert ("all up", "call") in [(m["text"], m["why"]) for m in lane["left_out"]]
    assert [(m["text"], m["why"]) for m in got["passes"][2]["left_out"]] == [("لازمة", "silent")]
    assert all(w["start_s"] < w["at_s"] < w["end_s"] for w in lane["words"])
    assert [round(b["at_s"], 6) for b in lane["beats"][:5]] == [0, 0.5, 1, 1.5, 2]
    assert got["calls"][1]["text"].startswith("Chorus, ")
    sources = {w["text"]: w["source"] for w in got["words"]}
    assert sources == {
        **dict.fromkeys(("Verse", "Chorus", "all up", "one", "two", "three", "four"), "engine"),
        "لازمة": "silent",
    }
    assert got["summary"]["words"] == sum(len(p["words"]) for p in got["passes"])


def test_sections_are_called_earlier_otherwise_or_not_at_all(ines, song):
    verse, chorus = (s["id"] for s in song["sections"])
    ines.edit(song, "rename_section", section=chorus, lead=2, cue="Big one")
    assert [w["text"] for w in into(cues(ines, song), "Chorus")["words"]][:2] == ["Big one", "one"]
    chart = ines.get(f"songs/{song['id']}/chart/").json()
    assert [c for c in chart["calls"] if c["text"] == "Big one"] == [{"bar": 3, "text": "Big one", "beat": 0}]
    ines.edit(song, "rename_section", section=chorus, lead=None)
    ines.edit(song, "set_facts", lead=3)
    assert into(cues(ines, song), "Chorus")["words"][0]["at_s"] == pytest.approx(2)
    ines.edit(song, "rename_section", section=chorus, called=False)
    got = cues(ines, song)
    assert into(got, "Chorus")["words"] == into(got, "Chorus")["left_out"] == []
    assert (
        says(ines.edit(song, "rename_section", section=verse, lead=9))
        == "A section is called 1 to 8 bars before it, not 9."
    )
    assert says(ines.edit(song, "set_facts", lead=0)) == "A section is called 1 to 8 bars before it, not 0."


def test_sticks_strike_every_other_beat_before_the_last_bar(ines, song):
    ines.edit(song, "set_facts", count_in_sticks=True, count_in_aloud=False)
    sound, rate = soundfile.read(
        io.BytesIO(b"".join(ines.get(f"songs/{song['id']}/guide/?what=click").streaming_content))
    )
    loud = np.flatnonzero(np.abs(sound[: 4 * rate - 100]) > 0.05)
    struck = [f for i, f in enumerate(loud) if i == 0 or f - loud[i - 1] > rate // 8]
    assert np.diff(struck) / rate == pytest.approx([1, 1, 0.5, 0.5, 0.5], abs=1e-4)


def test_the_band_chooses_how_its_voice_speaks(ines, other, song):
    got = ines.get("voice/").json()
    assert (got["name"], got["language"]) == ("flite/rms", "en")
    assert {"flite/slt", "es", "uk", "sw"} <= {v["name"] for v in got["voices"]}
    assert ines.patch(
        "voice/", {"name": "es", "words": {"Verse": "La estrofa", "two": " "}, "shifts": {"estribillo": 20}}
    ).json()["words"] == {"Verse": "La estrofa"}
    lane = into(cues(ines, song), "Chorus")
    assert next(w["text"] for w in lane["words"]) == "estribillo"
    assert {"La estrofa", "estribillo", "dos"} <= {w["text"] for w in cues(ines, song)["words"]}
    assert other.get("voice/").json()["name"] == "flite/rms"


@pytest.mark.parametrize(
    ("change", "sentence"),
    [
        ({"name": "klingonish"}, "The cue voice “klingonish” is not installed: choose another voice."),
        ({"name": "flite/ghost"}, "The cue voice “flite/ghost” is not installed: choose another voice."),
        ({"speed": 7}, "A cue voice speaks 0.6 to 1.6 times as fast as usual, not 7."),
        ({"shifts": {"two": 400}}, "“two” can be put up to 100 ms earlier or later, not +400 ms."),
        ({"name": "../../etc"}, "“../../etc” is not a cue voice: choose a language such as en or fr."),
    ],
)
def test_a_voice_that_cannot_be_changes_nothing(ines, change, sentence):
    assert says(ines.patch("voice/", change)) == sentence
    assert Band.objects.get(pk=ines.band.pk).voice == {}


def test_the_words_on_the_spot_are_the_bands_in_its_language_until_it_writes_its_own(ines, other, song):
    assert ines.get("voice/").json()["palette"] == list(PALETTES["en"])
    assert ines.patch("voice/", {"name": "es"}).json()["palette"] == list(PALETTES["es"])
    words = [" Mirad ", "Todos", "Todos", ""]
    assert ines.patch("voice/", {"palette": words}).json()["palette"] == ["Mirad", "Todos"]
    assert other.get("voice/").json()["palette"] == list(PALETTES["en"])
    show = made_show(ines, song)
    document = ines.get(f"shows/{show}/document/").json()
    assert document["palette"] == ["Mirad", "Todos"]
    assert "palette" not in document["voice"]


@pytest.mark.parametrize(
    ("palette", "sentence"),
    [
        (["word"] * 3 + [f"w{i}" for i in range(24)], "24 words can be said on the spot: leave some out."),
        (["a" * 200], f"“{'a' * 20}…” is too long to be said on a beat: 80 letters at most."),
        (
            ["한 번 더"],
            "The voice cannot say “한 번 더”: write it as it sounds, record it, or choose another voice.",
        ),
        (["…"], "The voice cannot say “…”: write it as it sounds, record it, or choose another voice."),
    ],
)
def test_a_word_that_cannot_be_said_on_the_spot_changes_nothing(ines, palette, sentence):
    assert says(ines.patch("voice/", {"palette": palette})) == sentence
    assert Band.objects.get(pk=ines.band.pk).voice == {}


def test_a_word_is_heard_as_it_would_be_said(ines):
    for asked in ("text=Chorus", "text=Estribillo&name=es&speed=1.2"):
        answer = ines.get(f"voice/word/?{asked}")
        sound, rate = soundfile.read(io.BytesIO(answer.content))
        assert (answer["Content-Type"], rate) == ("audio/wav", RATE)
        assert 0.2 < len(sound) / rate < 1.5
    assert says(ines.get("voice/word/?text=!!!")) == "“!!!” has no sound in this voice: give it other words."


def test_recordings_take_the_place_of_the_voice_and_what_is_missing_is_listed(ines, song, settings):
    for name in ("chorus.wav", "02 two.flac"):
        assert bring(ines, sound_file(kind=name.rsplit(".")[-1].upper()), kind="word", file=name).status_code == 201
    got = {w["text"]: w for w in cues(ines, song)["words"]}
    assert {t: w["source"] for t, w in got.items()} == {
        "Verse": "engine",
        "Chorus": "recording",
        "one": "engine",
        "two": "recording",
        "three": "engine",
        "four": "engine",
    }
    assert 0.4 < got["Chorus"]["seconds"] < 0.55
    # The same word once more takes its place; taken away, the voice is back.
    assert bring(ines, sound_file(seconds=0.3), kind="word", name="CHORUS", file="x.wav").json()["seconds"] < 0.4
    own = ines.get("own-sounds/").json()
    # Nothing is left of the one before: two words, each as it is and shortened.
    assert len([*(settings.MEDIA / "own").rglob("*.wav")]) == 4
    assert sorted(o["name"] for o in own) == ["CHORUS", "two"]
    for o in own:
        ines.delete(f"own-sounds/{o['id']}/")
    assert not [*(settings.MEDIA / "own").rglob("*.wav")]
    assert {w["source"] for w in cues(ines, song)["words"]} == {"engine"}


def test_a_show_brings_the_recordings_that_it_needs(ines, song, tmp_path):
    bring(ines, sound_file(), kind="word", file="Chorus.wav")
    bring(ines, sound_file(), kind="word", file="Nowhere.wav")
    mine = bring(ines, sound_file(seconds=0.05), kind="click", file="Kitchen pot.wav").json()
    ines.edit(song, "set_facts", click={"accent": mine["click_name"]})
    ines.patch("voice/", {"shifts": {"Chorus": 10}})
    show = Show.objects.get(pk=made_show(ines, song))
    document, files = show_document(show)
    assert [(w["text"], w["fast"]) for w in document["words"]] == [("Chorus", False), ("Chorus", True)]
    own = OwnSound.objects.get(key="chorus")
    assert document["words"][0]["onset"] == own.onset - 480
    assert [s["name"] for s in document["click_sounds"]] == [mine["click_name"]]
    assert all(path.exists() for path in files.values())
    assert document["voice"] == {"shifts": {"Chorus": 10.0}, "words": {}}
    # An evening may have another voice; it has to speak here.
    assert (
        says(ines.patch(f"shows/{show.pk}/", {"voice": "klingonish"}))
        == "The cue voice “klingonish” is not installed: choose another voice."
    )
    assert ines.patch(f"shows/{show.pk}/", {"voice": "es"}).json()["voice"] == "es"
    show.refresh_from_db()
    document, _ = show_document(show)
    assert document["voice"]["name"] == "es"
    assert document["words"] == []


def test_a_click_of_ones_own_begins_on_its_stroke_and_is_not_taken_from_songs(ines, song):
    mine = bring(ines, sound_file(seconds=0.06, before=0.5), kind="click", file="Kitchen pot.wav").json()
    assert (mine["name"], mine["seconds"] < 0.3) == ("Kitchen pot", True)
    ines.edit(song, "set_facts", click={"beat": mine["click_name"], "pitches": {"beat": 5}}, count_in_bars=0)
    sound, rate = soundfile.read(
        io.BytesIO(b"".join(ines.get(f"songs/{song['id']}/guide/?what=click").streaming_content))
    )
    loud = np.flatnonzero(np.abs(sound) > 0.03)
    first = [f for i, f in enumerate(loud) if i == 0 or f - loud[i - 1] > rate // 8]
    assert np.diff(first[:4]) / rate == pytest.approx([0.5] * 3, abs=0.002)
    assert (
        says(ines.delete(f"own-sounds/{mine['id']}/"))
        == "“Kitchen pot” is used in Tin Moon: choose another sound there first."
    )
    assert says(ines.edit(song, "set_facts", click={"beat": "own:nothing"})).startswith(
        "There is no click sound “own:nothing”"
    )
    ines.edit(song, "set_facts", click={"beat": "rim"})
    assert ines.delete(f"own-sounds/{mine['id']}/").status_code == 204


@pytest.mark.parametrize(
    ("content", "asked", "sentence"),
    [
        (
            sound_file(level=0),
            {"kind": "word", "file": "two.wav"},
            "Nothing is heard in the recording of “two”: check the microphone and record it again.",
        ),
        (
            sound_file(seconds=20),
            {"kind": "word", "file": "two.wav"},
            "lasts 20.0 s: a cue word lasts at most 4 s. Record the one word alone.",
        ),
        (
            sound_file(seconds=30),
            {"kind": "click", "file": "pot.wav"},
            "“pot” lasts 30 s: a click is one stroke. Cut it out and add that.",
        ),
        (b"no sound at all", {"kind": "word", "file": "two.wav"}, "“two.wav”"),
        (b"", {"kind": "word", "file": "two.wav"}, "“two.wav”"),
        (sound_file(), {"kind": "song", "file": "two.wav"}, "A sound of one's own is a word or a click."),
        (b"x" * (13 << 20), {"kind": "word", "file": "two.wav"}, "more than 12 MB"),
    ],
)
def test_a_sound_that_cannot_be_taken_gets_a_sentence_and_leaves_nothing(ines, content, asked, sentence, settings):
    assert sentence in says(bring(ines, content, **asked))
    assert not OwnSound.objects.exists()
    assert not list((settings.MEDIA / "own").rglob("*.wav"))


def test_a_full_disk_is_said_and_nothing_half_written_stays(ines, settings, monkeypatch):
    def full(self, block):
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr("api.sound_files.WavWriter.write", full)
    assert (
        says(bring(ines, sound_file(seconds=0.05), kind="click", file="pot.wav"))
        == "The disk is full: “pot.wav” could not be kept. Make room, then try again."
    )
    assert not OwnSound.objects.exists()
    assert not [*(settings.MEDIA / "own").rglob("*.*")]


def test_the_sounds_of_another_band_are_nobodys(ines, other, song):
    mine = bring(ines, sound_file(seconds=0.05), kind="click", file="pot.wav").json()
    assert other.get("own-sounds/").json() == []
    assert other.delete(f"own-sounds/{mine['id']}/").status_code == 404
    assert other.get(f"songs/{song['id']}/cues/").status_code == 404
    theirs = other.song()
    assert says(other.edit(theirs, "set_facts", click={"beat": mine["click_name"]})).startswith(
        "There is no click sound"
    )
