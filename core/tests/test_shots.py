"""Sounds by hand (rule M9), found in the samples."""

import numpy as np
import pytest
from material import RATE, ready, show, song, write_wav
from test_parts import Player

from upbeat.errors import Refused

BEAT, BAR, RAMP = RATE // 2, 2 * RATE, round(0.005 * RATE)


def sound(identity, value, seconds, folder, **more):
    """A sound of one value, so that the sum tells which of them ring."""
    name = f"{identity}.wav"
    write_wav(folder / name, np.full((round(seconds * RATE), 2), value, np.float32))
    return {"id": identity, "name": identity.title(), "file": name, **more}


def played(folder, *sounds, **changes):
    document = show(song(click={"gain_db": -120}), song(id="two", title="Second"), hand_sounds=list(sounds), **changes)
    document["feeds"][0]["sends"].append({"source": "group:effects"})
    return Player(ready(document, folder))


@pytest.fixture
def gong(tmp_path):
    return played(tmp_path, sound("gong", 0.25, 3, tmp_path))


@pytest.mark.parametrize(("when", "at"), [("at_once", 1.3), ("next_beat", 1.5), ("next_bar", 2)])
def test_m9_it_begins_on_the_frame(gong, when, at):
    begin = gong.go()
    gong.to(begin + round(1.3 * RATE))
    assert gong.press("fire", sound="gong", when=when).accepted
    gong.to(begin + 6 * RATE)
    heard = np.flatnonzero(gong.sound[0])
    start = begin + round(at * RATE)
    assert (heard[0], heard[-1]) == (start, start + 3 * RATE - 1)
    assert gong.sound[0, start] == pytest.approx(0.25)
    assert np.abs(gong.sound[2:, start]).max() < 1e-4


def test_m9_once_more_is_from_its_top_and_the_one_before_gives_way_in_a_ramp(gong):
    gong.press("fire", sound="gong")
    gong.to(RATE)
    gong.press("fire", sound="gong")
    gong.to(5 * RATE)
    line = gong.sound[0]
    assert line[RATE] == pytest.approx(0.5, abs=0.01)
    assert line[RATE + RAMP : 4 * RATE] == pytest.approx(0.25)
    assert not line[4 * RATE :].any()


def test_m9_or_off_where_it_is_prepared_so(tmp_path):
    player = played(tmp_path, sound("tone", 0.25, 9, tmp_path, again="off"))
    for at in (1, 2, 3):
        player.to(at * RATE)
        assert player.press("fire", sound="tone").accepted
    player.to(5 * RATE)
    line = player.sound[0]
    assert line[RATE : 2 * RATE] == pytest.approx(0.25)
    assert not line[2 * RATE + RATE // 50 : 3 * RATE].any()
    assert np.abs(np.diff(line[2 * RATE - 1 : 2 * RATE + 1000])).max() <= 0.26 / (RATE // 50)
    assert line[3 * RATE :] == pytest.approx(0.25)


def test_m9_a_group_lets_one_of_its_sounds_ring_and_the_change_is_on_the_beat(tmp_path):
    a, b = (sound(i, v, 9, tmp_path, only="wind") for i, v in (("a", 0.25), ("b", 0.125)))
    player = played(tmp_path, a, b)
    begin = player.go()
    player.press("fire", sound="a")
    player.to(begin + 100)
    player.press("fire", sound="b", when="next_beat")
    player.to(begin + BAR)
    line = player.sound[0]
    assert line[begin + BEAT - 1] == pytest.approx(0.25)
    assert line[begin + BEAT + RAMP :] == pytest.approx(0.125)


def test_m9_a_jump_brings_what_waits_for_the_bar_line_with_it(gong):
    begin = gong.go()
    gong.to(begin + round(1.2 * RATE))
    gong.press("fire", sound="gong", when="next_bar")
    gong.press("go_to", step=1, when="at_once")
    gong.to(begin + 2 * RATE)
    jump = gong.state.music.run.out_start
    assert np.flatnonzero(gong.sound[0])[0] == jump


def test_m9_they_end_with_stop_and_what_waits_does_not_come(gong):
    begin = gong.go()
    gong.press("fire", sound="gong")
    gong.to(begin + RATE)
    gong.press("fire", sound="gong", when="next_bar")
    gong.press("stop")
    gong.to(begin + 5 * RATE)
    assert not gong.sound[0, begin + RATE + RATE // 50 :].any()


def test_m9_a_level_by_hand_and_a_pulled_house_hold_for_them(gong):
    gong.press("level", part="sound:gong", db=-6)
    gong.press("fire", sound="gong")
    gong.to(RATE)
    assert gong.sound[0, -1] == pytest.approx(0.25 * 10 ** (-6 / 20), rel=1e-3)
    gong.press("pull_house")
    gong.to(2 * RATE)
    assert gong.sound[0, -1] == 0


def test_m9_one_that_is_not_there_is_refused_and_a_document_with_a_stranger_too(gong, tmp_path):
    outcome = gong.press("fire", sound="bell")
    assert (outcome.accepted, outcome.code) == (False, "sound-unknown")
    for _ in range(40):
        gong.press("fire", sound="gong")
    assert len(gong.state.shots) == 1
    with pytest.raises(Refused, match="belongs to a song that is not in the show"):
        played(tmp_path, sound("x", 0.1, 1, tmp_path, song="nowhere"))


def test_m9_a_file_that_is_gone_is_silent_and_ends_nothing(tmp_path):
    one = sound("gone", 0.1, 1, tmp_path)
    (tmp_path / "gone.wav").unlink()
    player = played(tmp_path, one)
    assert player.press("fire", sound="gone").accepted
    player.to(RATE)
    assert not player.sound.any()
