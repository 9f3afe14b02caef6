"""The click of songs and of the band, and click and cues given away, over the API."""

import io
import zipfile

import mido
import numpy as np
import pytest
import soundfile

from songs.models import Song
from songs.rows import snapshot

RATE = 48_000


@pytest.fixture
def song(ines):
    made = ines.song(title="Tin / Moon", bpm="120")
    for first, last, name in ((1, 4, "Verse"), (5, 8, "Chorus")):
        made = ines.edit(made, "mark_section", first=first, last=last, name=name).json()
    ines.edit(made, "set_length", bars=8)
    ines.edit(made, "set_meter", bar=5, meter="7/8", grouping=[2, 2, 3])
    return ines.get(f"songs/{made['id']}/").json()


def says(answer):
    assert answer.status_code == 400, answer.content
    return answer.json()["problems"][0]["message"]


def sound_of(answer):
    assert answer.status_code == 200, answer.content
    return soundfile.read(io.BytesIO(b"".join(answer.streaming_content)))


def beats(sound):
    loud = np.flatnonzero(np.abs(sound) > 0.02)
    return [int(f) for i, f in enumerate(loud) if i == 0 or f - loud[i - 1] > 2400]


def test_every_metre_of_a_song_has_a_pattern(ines, song):
    got = ines.get(f"songs/{song['id']}/click/").json()
    assert [(m["key"], m["beats"], m["usual"], m["spans"]) for m in got["meters"]] == [
        ("4/4", 4, "a b b b", [[1, 4]]),
        ("7/8 2+2+3", 3, "a b b", [[5, 8]]),
    ]
    ines.edit(song, "set_facts", click={"patterns": {"7/8 2+2+3": " AD bd  bds "}, "pitches": {"accent": 7}})
    got = ines.get(f"songs/{song['id']}/click/").json()
    assert (got["meters"][1]["pattern"], got["whole"]["pitches"]) == ("ad bd bds", {"accent": 7})


@pytest.mark.parametrize(
    ("click", "sentence"),
    [
        ({"patterns": {"4/4": "a b"}}, "“a b” has 2 beats, and a bar of 4/4 has 4"),
        ({"patterns": {"0/4": "a"}}, "A metre of 0/4 cannot be"),
        ({"patterns": {"4/3": "a b b b"}}, "A metre of 4/3"),
        ({"accent": "kazoo"}, "There is no click sound “kazoo”"),
        ({"levels": {"beat": 99}}, "between -60 and +12 dB"),
        ({"divisions": 7}, "1 to 4 parts"),
        ({"parts": ["a"]}, "misses or misspells"),
        ({"from_bar": 5, "to_bar": 2}, "before it begins at bar 5"),
    ],
)
def test_a_click_that_cannot_be_leaves_no_trace(ines, song, click, sentence):
    before = snapshot(Song.objects.get(pk=song["id"]))
    assert sentence in says(ines.edit(song, "set_facts", click=click))
    assert snapshot(Song.objects.get(pk=song["id"])) == before


def test_the_band_has_a_click_that_songs_take_unless_they_differ(ines, song, other):
    ines.edit(
        song,
        "set_facts",
        click={"accent": "beep", "patterns": {"4/4": "a s b s"}, "silent": [song["sections"][0]["id"]]},
    )
    ines.post(f"songs/{song['id']}/keep-click/")
    later = ines.song(title="Later")
    got = ines.get(f"songs/{later['id']}/click/").json()
    assert (got["whole"]["accent"], got["meters"][0]["pattern"], got["whole"]["silent"]) == ("beep", "a s b s", [])
    ines.edit(later, "set_facts", click={"accent": "wood"})
    assert ines.get(f"songs/{later['id']}/click/").json()["whole"]["accent"] == "wood"
    assert other.get(f"songs/{other.song()['id']}/click/").json()["whole"]["accent"] == "wood"
    assert other.get(f"songs/{song['id']}/click/").status_code == 404


def test_click_is_given_away_as_sound(ines, song):
    ines.edit(song, "set_facts", count_in_bars=1, count_in_aloud=False)
    answer = ines.get(f"songs/{song['id']}/guide/?what=click&kind=flac")
    assert 'filename="Tin - Moon - click.flac"' in answer["Content-Disposition"]
    sound, rate = sound_of(answer)
    assert rate == RATE
    heard = beats(sound)
    # A bar of count-in, four of 4/4 and four of 7/8 in three uneven beats.
    assert len(heard) == 4 + 16 + 12
    assert [b - a for a, b in zip(heard[20:23], heard[21:24], strict=True)] == [RATE // 2, RATE // 2, 3 * RATE // 4]


def test_a_setlist_is_given_away_in_one_zip(ines, song):
    second = ines.song(title="Second", bpm="90")
    setlist = ines.post(
        "setlists/",
        {"name": "Thursday", "entries": [{"song": song["id"]}, {"interval_minutes": 5}, {"song": second["id"]}]},
    ).json()
    answer = ines.get(f"setlists/{setlist['id']}/guides/?what=both&kind=mid")
    archive = zipfile.ZipFile(io.BytesIO(b"".join(answer.streaming_content)))
    assert archive.namelist() == ["01 Tin - Moon - click and cues.mid", "02 Second - click and cues.mid"]
    tracks = mido.MidiFile(file=io.BytesIO(archive.read("01 Tin - Moon - click and cues.mid")), charset="utf-8").tracks
    assert "Chorus" in [m.text for m in tracks[1] if m.type == "lyrics"]
    assert [m.text for m in tracks[0] if m.type == "marker"] == ["Count-in", "Verse", "Chorus"]
    assert "choose wav, flac or mid" in says(ines.get(f"setlists/{setlist['id']}/guides/?kind=ogg"))
    assert "choose click, cues or both" in says(ines.get(f"songs/{song['id']}/guide/?what=tambourine"))
    empty = ines.post("setlists/", {"name": "Empty"}).json()
    assert "no songs yet" in says(ines.get(f"setlists/{empty['id']}/guides/"))


def test_a_click_is_heard_by_itself_while_it_is_edited(ines, song, wav):
    from preview.listening import listening
    from upbeat.show.bounce import rehearse, render

    ines.imported(song, "Drums.wav", wav(8))
    ines.edit(song, "set_facts", click={"patterns": {"4/4": "a s s s"}})
    ready, _ = listening(
        ines.band, {"hear": song["id"], "bar": 1, "click": True, "cues": False, "loop": 2, "alone": "-"}
    )
    assert ready.audio.entries[0].stems == ()
    spans, _ = rehearse(ready, None)
    blocks = []
    render(ready.renderer(), spans, blocks.append)
    heard = beats(np.concatenate(blocks, axis=1)[0][: 4 * 2 * RATE])
    assert [f - heard[0] for f in heard[:2]] == [0, 2 * RATE]


# --- free cues


def test_a_cue_is_put_on_a_beat_shown_on_the_chart_and_taken_out(ines, song):
    song = ines.edit(song, "set_cue", bar=5, beat=3, text="  all   up ").json()
    song = ines.edit(song, "set_cue", bar=2, beat=1, text="Kopf hoch, Jürgen").json()
    assert [(c["bar"], c["beat"], c["text"]) for c in song["cues"]] == [(2, 1, "Kopf hoch, Jürgen"), (5, 3, "all up")]
    calls = ines.get(f"songs/{song['id']}/chart/").json()["calls"]
    assert [(c["bar"], c["beat"], c["text"]) for c in calls] == [
        (4, 0, "Chorus"),
        (2, 1, "Kopf hoch, Jürgen"),
        (5, 3, "all up"),
    ]
    assert len(ines.edit(song, "set_cue", bar=5, beat=3, text="").json()["cues"]) == 1
    assert len(ines.post(f"songs/{song['id']}/undo/").json()["cues"]) == 2


@pytest.mark.parametrize(
    ("args", "sentence"),
    [
        ({"bar": 5, "beat": 4, "text": "x"}, "Bar 5 has 3 beats"),
        ({"bar": 99, "text": "x"}, "The song has bars 1 to 8"),
        ({"bar": 1, "text": "x" * 81}, "has 81 characters"),
        ({"bar": 1, "text": "🎺🎺"}, "has nothing to be spoken"),
        ({"bar": "two", "text": "x"}, "misses or misspells"),
    ],
)
def test_a_cue_that_cannot_be_leaves_no_trace(ines, song, args, sentence):
    before = snapshot(Song.objects.get(pk=song["id"]))
    assert sentence in says(ines.edit(song, "set_cue", **args))
    assert snapshot(Song.objects.get(pk=song["id"])) == before


def test_cues_are_written_into_the_copy_of_a_section(ines, song):
    song = ines.edit(song, "set_cue", bar=2, beat=2, text="keys out").json()
    twice = ines.edit(song, "duplicate_section", section=song["sections"][0]["id"]).json()
    assert [(c["bar"], c["beat"]) for c in twice["cues"]] == [(2, 2), (6, 2)]
