"""The grid page's side of the server: listening, the proposal, taking it, pins, strips, onsets, taps."""

import numpy as np
import pytest
from material import RATE, write_wav
from test_follow import played

from songs import tasks as song_tasks
from songs.models import Measurement
from upbeat.listening.follow.novelty import RATE as HEARD_RATE


def band(tmp_path, beats, name="drums.wav"):
    line = played(np.asarray(beats), tail=2.0)
    wide = np.interp(np.arange(int(len(line) / HEARD_RATE * RATE)) / RATE, np.arange(len(line)) / HEARD_RATE, line)
    return write_wav(tmp_path / name, (0.7 * wide / np.abs(wide).max()).astype(np.float32), RATE, np.int16).read_bytes()


STEADY = 2.0 + np.arange(73) * 60 / 118
BREATHING = 1.5 + np.concatenate(([0], np.cumsum(60 / (104 * (1 + 0.03 * np.sin(np.arange(80) / 10))))))


@pytest.fixture
def song(ines, tmp_path):
    """Typed 117.6 and bar 1 at 1.969 s; the drums play 118 from 2.000 s."""
    song = ines.song(bpm="117.6")
    ines.imported(song, "Drums.wav", band(tmp_path, STEADY))
    ines.edit(song, "set_bar1", seconds="1.969")
    return song


def listened(ines, song, query=""):
    got = ines.post(f"songs/{song['id']}/grid/{query}").json()
    if got["state"] == "working":
        song_tasks.measure_grid(got["measurement"])
        got = ines.post(f"songs/{song['id']}/grid/{query}").json()
    return got


def test_every_bar_is_told_against_its_click_and_the_mend_takes_one_press(ines, song):
    first = ines.post(f"songs/{song['id']}/grid/").json()
    assert (first["state"], [b["off_ms"] for b in first["bars"][:2]]) == ("working", [None, None])
    got = listened(ines, song)
    offs = [b["off_ms"] for b in got["bars"] if b["off_ms"] is not None]
    assert offs[0] == pytest.approx(31, abs=2)
    # 0.4 in 118 slow: 6.9 ms are lost in each bar.
    assert offs[17] == pytest.approx(31 - 17 * 6.92, abs=3)
    assert got["strips"] == sorted(got["strips"])
    proposal = got["proposal"]
    assert (proposal["ways"], proposal["factor"], proposal["steady"]) == (["both", "shift"], 1, True)
    assert proposal["heard"] == pytest.approx(118, abs=0.01)
    taken = ines.edit(song, "take_grid", measurement=got["measurement"], how="both").json()
    assert float(taken["bar1_s"]) == pytest.approx(2.0, abs=0.002)
    after = ines.post(f"songs/{song['id']}/grid/").json()
    assert after["state"] == "done"
    assert max(abs(b["off_ms"]) for b in after["bars"] if b["off_ms"] is not None) < 3
    assert after["proposal"]["ways"] == []
    assert ines.post(f"songs/{song['id']}/undo/").json()["bar1_s"] == "1.969"


def test_only_the_shift_can_be_taken_and_bar_one_moves_by_beats(ines, song):
    got = listened(ines, song)
    shifted = ines.edit(song, "take_grid", measurement=got["measurement"], how="shift").json()
    assert (float(shifted["bar1_s"]), shifted["tempo"][0]["bpm"]) == (pytest.approx(2.0, abs=0.002), "117.6")
    moved = ines.edit(song, "set_bar1", by_beats=-1).json()
    assert float(moved["bar1_s"]) == pytest.approx(float(shifted["bar1_s"]) - 60 / 117.6, abs=1e-5)


def test_players_are_followed_evened_out_and_pinned(ines, tmp_path):
    song = ines.song(bpm="104")
    ines.imported(song, "Drums.wav", band(tmp_path, BREATHING))
    got = listened(ines, song)
    assert got["proposal"]["ways"][0] == "follow"
    followed = ines.edit(song, "take_grid", measurement=got["measurement"], how="follow").json()
    assert len(followed["tempo"]) > 8
    bars = listened(ines, song)["bars"]
    truth = BREATHING[::4]
    assert [b["seconds"] for b in bars[:18]] == pytest.approx(list(truth[:18]), abs=0.012)
    even = ines.edit(song, "take_grid", measurement=got["measurement"], how="follow", even=1).json()
    assert len(even["tempo"]) == 1
    pinned = ines.edit(song, "pin_bar", bar=9, seconds=float(truth[8]) + 0.05, measurement=got["measurement"])
    assert pinned.status_code == 200
    shown = listened(ines, song)
    assert shown["pins"] == [9]
    assert shown["bars"][8]["seconds"] == pytest.approx(float(truth[8]) + 0.05, abs=1e-4)
    past = ines.edit(song, "pin_bar", bar=10, seconds=1.0, measurement=got["measurement"])
    assert "between its neighbours" in past.json()["problems"][0]["message"]
    assert listened(ines, song)["pins"] == [9]


def test_half_the_tempo_is_noticed_and_mended(ines, tmp_path):
    song = ines.song(bpm="76")
    ines.imported(song, "Drums.wav", band(tmp_path, 1.0 + np.arange(97) * 60 / 152))
    got = listened(ines, song)
    assert got["proposal"]["factor"] == 2
    assert all(b["off_ms"] is None for b in got["bars"])
    taken = ines.edit(song, "take_grid", measurement=got["measurement"], how="both").json()
    assert float(taken["tempo"][0]["bpm"]) == pytest.approx(152, abs=0.02)


def test_strips_are_the_sound_itself_around_the_line(ines, song):
    listened(ines, song)
    ines.edit(song, "set_bar1", seconds="2.0")
    strip = ines.get(f"songs/{song['id']}/strips/?bars=1,3").json()[0]
    high = np.maximum(strip["high"], -np.array(strip["low"]))
    assert (strip["bar"], strip["seconds"]) == (1, 2.0)
    # Before the line there is nothing; the attack begins at it.
    assert high[:118].max() < 0.05
    assert high[119:126].max() > 0.3
    assert ines.get(f"songs/{song['id']}/strips/?bars=9999").status_code == 400


def test_to_the_next_onset_and_the_previous(ines, song):
    got = listened(ines, song)
    there = lambda after: ines.get(
        f"songs/{song['id']}/onset/?measurement={got['measurement']}&bar=1&after={after}"
    ).json()["by_ms"]
    assert there("true") == pytest.approx(31, abs=2)
    assert (
        "no further onset"
        in ines.get(f"songs/{song['id']}/onset/?measurement={got['measurement']}&bar=1&after=false").json()["problems"][
            0
        ]["message"]
    )


def test_nothing_to_hear_is_said_and_another_band_hears_nothing(ines, other, song, wav):
    silent = ines.song()
    assert ines.post(f"songs/{silent['id']}/grid/").json()["state"] == "none"
    ines.imported(silent, "Beeps.wav", wav(4))
    got = listened(ines, silent)
    assert got["state"] == "refused" or got["proposal"]["unsure"]
    kept = listened(ines, song)["measurement"]
    assert other.post(f"songs/{song['id']}/grid/").status_code == 404
    assert other.edit(other.song(), "take_grid", measurement=kept, how="both").status_code == 400
    assert Measurement.objects.filter(pk=kept).exists()


@pytest.mark.parametrize(
    ("args", "said"),
    [
        ({"how": "wildly"}, "not a way"),
        ({"how": "follow", "even": 3}, "goes from 0"),
        ({"how": "both", "measurement": 0}, "listen again"),
    ],
)
def test_wrong_ways_are_refused_and_change_nothing(ines, tmp_path, args, said):
    song = ines.song(bpm="104")
    ines.imported(song, "Drums.wav", band(tmp_path, BREATHING))
    got = listened(ines, song)
    before = ines.get(f"songs/{song['id']}/").json()["revision"]
    answer = ines.edit(song, "take_grid", **{"measurement": got["measurement"], **args})
    assert said in answer.json()["problems"][0]["message"]
    assert ines.get(f"songs/{song['id']}/").json()["revision"] == before


def test_taps_are_measured_in_spite_of_a_stray_one(ines):
    taps = [10 + i * 0.5 for i in range(8)] + [12.31]
    got = ines.post("songs/tap/", {"seconds": taps}).json()
    assert got["bpm"] == pytest.approx(120, abs=0.3)
    assert 0 < got["within"] < 5
    assert "three times" in ines.post("songs/tap/", {"seconds": [1, 2]}).json()["problems"][0]["message"]


def test_a_loop_goes_round_and_round(ines, song):
    from preview.listening import listening
    from upbeat.play.advance import advance
    from upbeat.play.events import BarLine

    ready, state = listening(ines.band, {"hear": song["id"], "bar": 3, "loop": 2, "cues": False})
    bars = []
    for _ in range(120):
        state, span = advance(ready.plan, state, 4800)
        bars += [e.bar for e in span.only(BarLine)]
    assert bars[:5] == [3, 4, 3, 4, 3]


def test_another_tempo_typed_is_listened_for_anew(ines, tmp_path):
    song = ines.song(bpm="60")
    ines.imported(song, "Drums.wav", band(tmp_path, 1.0 + np.arange(97) * 60 / 152))
    wrong = listened(ines, song)
    ines.edit(song, "set_tempo", bpm="151")
    again = ines.post(f"songs/{song['id']}/grid/").json()
    assert (again["state"], again["measurement"] != wrong["measurement"]) == ("working", True)
    right = listened(ines, song)
    assert right["proposal"]["heard"] == pytest.approx(152, abs=0.02)
    # What is heard being taken is no reason to listen once more.
    ines.edit(song, "take_grid", measurement=right["measurement"], how="both")
    assert ines.post(f"songs/{song['id']}/grid/").json()["measurement"] == right["measurement"]
