"""Sounds by hand over the API: taken in, changed, in the show document (rule M9)."""

import io

import numpy as np
import pytest
import soundfile
from test_voices import made_show, says

from shows.build import place_for_engine
from shows.models import Show
from upbeat.show.bundle import read_document
from upbeat.show.ready import make_ready

RATE = 48_000


def stroke(seconds=0.5, before=0.3, level=0.2, rate=44_100, kind="WAV"):
    t = np.arange(int(seconds * rate)) / rate
    tone = level * np.sin(2 * np.pi * 300 * t) * np.exp(-6 * t)
    out = io.BytesIO()
    pair = np.column_stack((tone, 0.5 * tone))
    soundfile.write(out, np.concatenate((np.zeros((int(before * rate), 2)), pair)), rate, format=kind)
    return out.getvalue()


def bring(member, content, **asked):
    address = "/api/hand-sounds/?" + "&".join(f"{k}={v}" for k, v in asked.items())
    return member.http.post(address, content, content_type="application/octet-stream")


@pytest.fixture
def song(ines):
    made = ines.song(title="Tin Moon", bpm="120")
    return ines.edit(made, "mark_section", first=1, last=4, name="Verse").json()


def test_a_sound_is_trimmed_to_its_start_and_put_at_the_level_of_a_stem(ines):
    made = bring(ines, stroke(), file="Big_gong.wav")
    assert made.status_code == 201
    one = made.json()
    assert (one["name"], one["group"], one["again"], one["song"]) == ("Big gong", "effects", "from_top", None)
    sound, rate = soundfile.read(io.BytesIO(b"".join(ines.get(f"hand-sounds/{one['id']}/sound/").streaming_content)))
    assert (rate, sound.shape[1]) == (RATE, 2)
    # Its attack is there at once, however long the room before it was.
    assert np.flatnonzero(np.abs(sound[:, 0]) > 0.02)[0] < 0.003 * RATE
    assert 0.3 < one["seconds"] < 0.55
    peak = 20 * np.log10(np.abs(sound).max()) + one["gain_db"]
    assert peak <= -2.9


def test_a_show_has_the_shelf_and_the_sounds_of_its_songs_alone(ines, song, settings):
    other = ines.song(title="Elsewhere", bpm="90")
    shelf = bring(ines, stroke(), file="gong.wav").json()
    own = bring(ines, stroke(level=0.3), file="bell.wav", song=song["id"]).json()
    bring(ines, stroke(level=0.1), file="horn.wav", song=other["id"])
    ines.patch(f"hand-sounds/{own['id']}/", {"group": "rhythm", "again": "off", "only": "bells", "gain_db": -3})
    assert [s["name"] for s in ines.get(f"hand-sounds/?song={song['id']}").json()] == ["gong", "bell"]
    assert [s["name"] for s in ines.get("hand-sounds/").json()] == ["gong"]
    folder = place_for_engine(Show.objects.get(pk=made_show(ines, song)))
    ready = make_ready(read_document(folder), folder, speak=False)
    assert [(s.id, s.song, s.group, s.again, s.only) for s, _ in ready.audio.hand_sounds] == [
        (shelf["id"], None, "effects", "from_top", ""),
        (own["id"], song["id"], "rhythm", "off", "bells"),
    ]
    # What is loaded plays on, whatever is deleted.
    for one in (shelf, own):
        assert ines.delete(f"hand-sounds/{one['id']}/").status_code == 204
    assert make_ready(read_document(folder), folder, speak=False).audio.hand_sounds[0][1].any()
    assert [p.name for p in (settings.MEDIA / "hand").rglob("*.wav")] != []


@pytest.mark.parametrize(
    ("content", "sentence"),
    [
        (
            lambda: stroke(seconds=1200, rate=8000, level=0),
            "“x.wav” lasts more than 120 s: cut a sound by hand out of it, or add it to a song as a stem.",
        ),
        (lambda: stroke(level=0), "Nothing is heard in “x.wav”: choose a file with a sound in it."),
        (lambda: b"", None),
        (lambda: b"RIFF" + b"\0" * 200, None),
        (lambda: b"<html>", None),
    ],
)
def test_what_is_no_sound_by_hand_gets_a_sentence_and_leaves_nothing(ines, content, sentence, settings):
    said = says(bring(ines, content(), file="x.wav"))
    assert said.endswith(".")
    assert sentence is None or said == sentence
    assert ines.get("hand-sounds/").json() == []
    assert not [*(settings.MEDIA / "hand").rglob("*")]


@pytest.mark.parametrize(
    "change", [{"group": "click"}, {"again": "never"}, {"gain_db": 99}, {"name": ""}, {"only": "x" * 200}]
)
def test_a_change_that_cannot_be_changes_nothing(ines, change):
    one = bring(ines, stroke(), file="gong.wav").json()
    assert ines.patch(f"hand-sounds/{one['id']}/", change).status_code == 400
    assert ines.get("hand-sounds/").json() == [one]


def test_the_sounds_of_another_band_are_nobodys(ines, other, song):
    one = bring(ines, stroke(), file="gong.wav").json()
    assert other.get("hand-sounds/").json() == []
    assert other.patch(f"hand-sounds/{one['id']}/", {"name": "Mine"}).status_code == 404
    assert other.delete(f"hand-sounds/{one['id']}/").status_code == 404
    assert other.get(f"hand-sounds/{one['id']}/sound/").status_code == 404
    assert says(bring(other, stroke(), file="x.wav", song=song["id"])) == "That song is not there: choose another."
