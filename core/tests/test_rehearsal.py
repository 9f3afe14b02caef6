"""Rehearsal (rule P13): from any bar, any bars round and round."""

from itertools import pairwise

import numpy as np
import pytest
from material import RATE, ready, show, song, write_wav
from test_night import BAR

from upbeat.play.advance import advance
from upbeat.play.events import record
from upbeat.play.presses import press
from upbeat.play.state import standing_by
from upbeat.play.view import coming, tonight_now
from upbeat.show.describe import describe
from upbeat.show.left import shorter_forms


@pytest.fixture
def made(tmp_path):
    return ready(show(song(), song(id="two", title="Two")), tmp_path)


class Rehearsal:
    def __init__(self, made):
        self.made, self.events, self.state = made, [], standing_by()

    def press(self, name, **args):
        self.state, outcome = press(self.made.plan, self.state, name, args)
        return outcome

    def after(self, seconds, block=4800):
        until = self.state.head + round(seconds * RATE)
        while self.state.head < until:
            self.state, span = advance(self.made.plan, self.state, min(block, until - self.state.head))
            self.events += map(record, span.events)
        return self

    @property
    def bars(self):
        return [e["bar"] for e in self.events if e["kind"] == "bar"]


@pytest.fixture
def rehearsal(made):
    one = Rehearsal(made)
    assert one.press("rehearse").accepted
    return one


def test_a_show_that_plays_does_not_become_a_rehearsal_nor_one_a_show(made, rehearsal):
    evening = Rehearsal(made)
    assert evening.press("from_bar", bar=3).code == "rehearse-show"
    assert evening.press("round_bars", first=1, last=2).code == "rehearse-show"
    evening.press("go")
    assert evening.press("rehearse").code == "rehearse-playing"
    rehearsal.press("go")
    assert rehearsal.press("rehearse", on=False).code == "rehearse-playing"
    rehearsal.after(1).press("stop")
    assert rehearsal.press("rehearse", on=False).accepted
    assert not tonight_now(made.plan, rehearsal.state.music, 0)["rehearsal"]


@pytest.mark.parametrize("block", [256, 4801, 100_000])
def test_any_bars_go_round_and_round_to_the_frame_also_over_sections_and_within_one(made, block):
    for first, last in ((2, 5), (5, 5), (4, 6)):
        one = Rehearsal(made)
        one.press("rehearse")
        assert one.press("round_bars", first=first, last=last).accepted
        assert one.press("from_bar", bar=first, count_in=False).accepted
        one.after(2 * 3 * (last - first + 1) + 1, block)
        assert one.bars[: 3 * (last - first + 1)] == [*range(first, last + 1)] * 3
        frames = [e["frame"] for e in one.events if e["kind"] == "bar"]
        assert {b - a for a, b in zip(frames, frames[1:], strict=False)} == {BAR}
        clicks = sorted(e["frame"] for e in one.events if e["kind"] == "click")
        assert {b - a for a, b in zip(clicks, clicks[1:], strict=False)} == {BAR // 4}
        if one.bars[-1] == last:
            assert coming(made.plan, one.state)["bar"] == last + 1


def test_it_goes_on_once_the_bars_are_let_go_and_a_jump_leaves_them(rehearsal):
    rehearsal.press("round_bars", first=1, last=2)
    rehearsal.press("go")
    rehearsal.after(9)
    assert rehearsal.bars == [1, 2, 1, 2, 1]
    rehearsal.press("round_bars")
    rehearsal.after(8)
    assert rehearsal.bars[5:9] == [2, 3, 4, 5]
    rehearsal.press("round_bars", first=6, last=6)
    rehearsal.after(6)
    rehearsal.press("go_to", step=2, when="next_bar")
    rehearsal.after(4)
    assert rehearsal.bars[-2:] == [7, 8]


def test_bars_that_are_played_already_go_round_once_they_are_played_again(rehearsal):
    rehearsal.press("go")
    rehearsal.after(5)
    assert rehearsal.press("round_bars", first=1, last=1).accepted
    rehearsal.after(4)
    assert rehearsal.bars == [1, 2, 3, 4, 5]
    rehearsal.press("from_bar", bar=1, count_in=False)
    rehearsal.after(5)
    assert rehearsal.bars[5:] == [1, 1, 1]


def test_from_a_bar_with_its_count_in_or_without_and_while_it_plays(rehearsal):
    rehearsal.press("from_bar", bar=4, count_in=False)
    assert rehearsal.state.music.run.out_start == rehearsal.state.head + 240
    rehearsal.after(3)
    assert rehearsal.bars == [4, 5]
    assert rehearsal.press("from_bar", bar=7, count_in=False).bar == 7
    rehearsal.after(1)
    assert rehearsal.bars == [4, 5, 7]


def test_under_what_fades_away_there_are_no_bars_any_more(rehearsal):
    rehearsal.press("go")
    rehearsal.after(1.5).press("fade_away", seconds=10)
    rehearsal.press("from_bar", bar=5, count_in=False)
    rehearsal.after(5)
    assert rehearsal.bars == [1, 5, 6, 7]


@pytest.mark.parametrize("args", [{"bar": 0}, {"bar": 9}, {"bar": -3}])
def test_a_bar_that_is_not_there_is_refused(rehearsal, args):
    before = rehearsal.state
    assert (rehearsal.press("from_bar", **args).code, rehearsal.state) == ("bar-unknown", before)
    assert rehearsal.press("round_bars", first=5, last=2).code == "bar-unknown"
    assert rehearsal.press("round_bars", first=5, last=99).code == "bar-unknown"


# --- slower (rule V2) ------------------------------------------------------------------------------


@pytest.fixture
def slow(tmp_path):
    """The first of two songs is prepared at half its tempo, for the whole of its form."""
    sound = np.full(40 * RATE, 0.25, np.float32)
    for name in ("own.wav", "half.wav"):
        write_wav(tmp_path / name, sound)
    prepared = [{"semitones": 0, "tempo_percent": 50, "file": "half.wav"}]
    stems = [{"id": "s", "name": "S", "file": "own.wav", "prepared": prepared}]
    one = Rehearsal(ready(show(song(stems=stems), song(id="two", title="Two")), tmp_path))
    assert one.press("slower", percent=50).code == "rehearse-show"
    assert one.press("rehearse").accepted
    return one


def gaps(rehearsal):
    frames = [e["frame"] for e in rehearsal.events if e["kind"] == "bar"]
    return [b - a for a, b in pairwise(frames)]


def test_a_song_that_stands_by_is_played_slower_and_in_its_own_tempo_again(slow):
    assert slow.press("slower", percent=80).code == "slower-unprepared"
    assert slow.press("slower", percent=50).message == "Paper Boats at 50 % of its tempo."
    assert slow.press("slower", percent=50).code == "slower-same"
    slow.press("go")
    slow.after(13)
    assert gaps(slow) == [2 * BAR] * len(gaps(slow))
    assert slow.bars[:3] == [1, 2, 3]
    slow.press("stop")
    assert slow.press("slower", percent=100).accepted
    slow.events.clear()
    slow.press("begin_again")
    slow.after(7)
    assert gaps(slow)[-1] == BAR


def test_one_that_plays_goes_on_slower_from_the_top_of_its_bar_and_what_goes_round_goes_round(slow):
    slow.press("round_bars", first=2, last=3)
    slow.press("go")
    slow.after(2.5)
    assert slow.press("slower", percent=50).bar == 2
    slow.events.clear()
    slow.after(18)
    assert slow.bars[:5] == [2, 3, 2, 3, 2]
    assert set(gaps(slow)) == {2 * BAR}
    described = describe(slow.made)
    assert [(e["of"], e["percent"]) for e in described["entries"]] == [(None, 100), (None, 100), (0, 50)]
    assert not shorter_forms(slow.made.plan, slow.state.music)
    assert slow.press("take_form", entry=2).code == "entry-unknown"


def test_a_show_is_played_in_its_own_tempo_whatever_was_rehearsed(slow):
    slow.press("slower", percent=50)
    slow.press("go")
    slow.after(3).press("stop")
    assert slow.press("rehearse", on=False).accepted
    slow.events.clear()
    assert slow.press("resume").accepted
    slow.after(7)
    assert gaps(slow)[-1] == BAR
    assert slow.state.music.tonight.order == ()
