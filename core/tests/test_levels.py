"""How a song begins and ends, how loud it is in the house, and sets matched in loudness."""

import subprocess

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from material import RATE, gains, ready, show, song, steady, write_wav
from test_sound import bounced, first_sound

from upbeat.errors import Refused
from upbeat.mix.matching import CEILING_DBTP, Loud, checked_target, propose, reachable, set_target
from upbeat.show.document import read_show
from upbeat.show.loudness import house_level
from upbeat.song.edges import Edges

BAR, BEAT, RAMP = 2 * RATE, RATE // 2, 240


# --- how it begins and ends ------------------------------------------------------------------------


def test_a_song_begins_late_faded_and_is_cut_on_a_bar_line(tmp_path):
    shown = steady(tmp_path, {}, edges={"start_s": 1.0, "fade_in_s": 0.5, "end_bar": 5})
    sound, events = bounced(shown)
    heard, begin = gains(sound), first_sound(events)
    assert np.abs(heard[begin : begin + RATE]).max() == 0
    assert heard[begin + RATE + RATE // 4] == pytest.approx(0.5, abs=0.01)
    assert heard[begin + RATE + RATE // 2 : begin + 5 * BAR - RAMP] == pytest.approx(1)
    assert np.abs(heard[begin + 5 * BAR :]).max() == 0
    assert np.abs(np.diff(heard[begin : begin + 6 * BAR])).max() < 1.7 / RAMP


def test_a_song_fades_out_before_its_bar_line(tmp_path):
    sound, events = bounced(steady(tmp_path, {"delay_ms": 20}, edges={"end_bar": 4, "fade_out_s": 2}))
    heard, begin = gains(sound), first_sound(events)
    assert heard[begin + 4 * BAR - RATE] == pytest.approx(0.5, abs=0.01)
    assert np.abs(heard[begin + 4 * BAR :]).max() == 0


def chord(seconds, *tones):
    t = np.arange(round(seconds * RATE)) / RATE
    return sum(0.1 * np.sin(2 * np.pi * f * t) for f in tones).astype(np.float32)


def test_an_end_is_held_with_the_notes_of_its_bar_line(tmp_path):
    write_wav(tmp_path / "tones.wav", np.concatenate([chord(4 * 2, 220, 330), chord(4 * 2, 262, 392)]))
    shown = ready(
        show(
            song(stems=[{"id": "p", "name": "Pads", "file": "tones.wav", "pan": -1}], edges={"end_bar": 4, "hold_s": 3})
        ),
        tmp_path,
    )
    sound, events = bounced(shown)
    line = first_sound(events) + 4 * BAR
    held = sound[0][line + RATE // 2 : line + RATE // 2 + RATE]
    spectrum = np.abs(np.fft.rfft(held * np.hanning(len(held))))
    strength = {f: spectrum[f - 3 : f + 4].max() for f in (220, 262, 330, 392)}
    assert min(strength[262], strength[392]) > 20 * max(strength[220], strength[330])
    levels = [np.sqrt(np.mean(sound[0][line + k * RATE // 2 : line + (k + 1) * RATE // 2] ** 2)) for k in range(7)]
    assert all(a > b for a, b in zip(levels[:5], levels[1:6], strict=True))
    assert levels[6] == 0
    # Neither the end of the recording nor the start of what is held clicks.
    assert (
        np.abs(np.diff(sound[0][line - 50 : line + 3 * RATE])).max()
        < 2 * np.abs(np.diff(sound[0][line - RATE : line])).max()
    )


@pytest.mark.parametrize("raw", [{"hold_s": 31}, {"fade_in_s": -1}, {"hold_s": 2, "fade_out_s": 2}])
def test_edges_that_cannot_be_get_a_sentence(raw):
    with pytest.raises(Refused):
        Edges(**raw)


# --- loudness -------------------------------------------------------------------------------------


def noise(seconds, level, seed=1):
    return (level * np.random.default_rng(seed).standard_normal((round(seconds * RATE), 2))).astype(np.float32)


def test_a_song_is_measured_as_the_house_hears_it(tmp_path):
    write_wav(tmp_path / "drums.wav", noise(17, 0.05))
    write_wav(tmp_path / "bass.wav", noise(17, 0.1, 2))
    stems = [
        {"id": "d", "name": "Drums", "file": "drums.wav", "group": "rhythm", "gain_db": -3},
        {"id": "b", "name": "Bass", "file": "bass.wav", "purpose": "covers", "covers": "pia"},
        {"id": "g", "name": "Guide", "file": "bass.wav", "purpose": "rehearsal"},
        {"id": "x", "name": "Beeps", "file": "bass.wav", "group": "click"},
    ]
    document = show(song(stems=stems, gain_db=1), players=[{"id": "pia", "name": "Pia"}], line_up={"on": []})
    answer = read_show(document)
    for away in ((), ("pia",)):
        document["line_up"] = {"on": [] if away else ["pia"]}
        sound, events = bounced(ready(document, tmp_path))
        # ffmpeg's meter on what leaves the sockets.
        path = write_wav(tmp_path / "house.wav", sound[:2].T)
        said = subprocess.run(
            ["ffmpeg", "-hide_banner", "-nostats", "-i", str(path), "-af", "ebur128=peak=true", "-f", "null", "-"],
            capture_output=True,
            text=True,
        ).stderr
        summary = said[said.rindex("Summary:") :]
        lufs = float(summary.split("I:")[1].split("LUFS")[0])
        peak = float(summary.split("Peak:")[1].split("dBFS")[0])
        level = house_level(answer.songs["song"], None, answer.routing.feeds, away, tmp_path, RATE)
        assert level.lufs == pytest.approx(lufs, abs=0.1)
        assert level.peak_dbtp == pytest.approx(peak, abs=0.1)
        assert [step for step, _ in level.steps] == [0, 1, 2]
        assert [s for _, s in level.steps] == pytest.approx([0, 6, 12], abs=0.01)
        assert level.short_term[len(level.short_term) // 2] == pytest.approx(lufs, abs=0.3)


LOUD = st.builds(Loud, st.floats(-40, -6), st.floats(-30, 3))


@given(songs=st.lists(LOUD, min_size=1, max_size=8), target=st.none() | st.floats(-36, -8))
def test_matched_songs_reach_the_target_and_none_passes_the_ceiling(songs, target):
    aim = set_target(songs) if target is None else target
    for one in songs:
        proposal = propose(one, aim)
        assert proposal.peak_dbtp <= CEILING_DBTP + 1e-9
        assert proposal.lufs <= aim + 1e-9
        if target is None:
            assert proposal.lufs == pytest.approx(aim, abs=0.02)
        assert (proposal.short_db > 0) == (proposal.lufs < aim - 0.02) or abs(proposal.lufs - aim) < 0.03
    assert set_target(songs) <= reachable(songs) + 1e-9


def test_silence_needs_no_gain():
    assert propose(Loud(None, None), -18).gain_db == 0
    assert set_target([Loud(None, None)]) is None


@pytest.mark.parametrize("value", ["+20", "0", "-60", "loud", "", "nan"])
def test_a_target_that_cannot_be_gets_a_sentence(value):
    with pytest.raises(Refused) as refused:
        checked_target(value)
    assert "LUFS" in str(refused.value)


def test_a_target_may_be_typed_as_people_type_it():
    assert checked_target(" −18,5 ") == -18.5
