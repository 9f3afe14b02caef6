"""Random nights: whatever is pressed when, time holds, and what is offered is what is taken (rules J1 to J7, C1, P7)."""

import random

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from material import RATE, gains, ready, show, song, steady
from nights import a_show, in_time, nights, run

from upbeat.play.advance import advance
from upbeat.play.events import record
from upbeat.play.presses import press, reasons
from upbeat.play.state import standing_by
from upbeat.play.view import coming, still_coming, tonight_now
from upbeat.show.left import after_s, own_left_s, shorter_forms


@settings(max_examples=100)
@given(seed=st.integers(0, 1 << 32))
def test_a_hundred_random_presses_of_a_random_show(tmp_path_factory, seed):
    draw = random.Random(seed)
    made = a_show(draw, tmp_path_factory.getbasetemp())
    night = nights(made, draw)

    def agrees(before, after, name, outcome):
        offered = reasons(made.plan, before)
        if name in offered:
            assert (outcome.accepted, outcome.code, outcome.message) == (
                False,
                offered[name].code,
                offered[name].message,
            )
        if not outcome.accepted:
            assert after == before
            assert outcome.message.endswith((".", "?"))
        now = coming(made.plan, after)
        if after.music.next_up is not None:
            assert (now["step"], now["frame"]) == (after.music.next_up.step, after.music.next_up.seam)
        if after.music.run is not None and now["frame"] is not None:
            assert now["frame"] >= after.head

    state, events = run(made, night, 4096, agrees)
    in_time(made, sorted(events, key=lambda e: e["frame"]))
    clicks_lie_on_the_grid(made, events)
    # However it is cut into blocks, it is the same night.
    again, same = run(made, night, 1000)
    assert sorted(map(repr, same)) == sorted(map(repr, events))
    assert again == state


def clicks_lie_on_the_grid(made, events):
    """C1: between two bar lines of the output, clicks are where the bar has its beats."""
    bars = [e for e in events if e["kind"] == "bar"]
    clicks = [e for e in events if e["kind"] == "click" and e["voice"] != "count_in"]
    for bar in bars:
        frames = made.plan.entries[bar["entry"]].bar_frames
        start, end = int(frames[bar["bar"] - 1]), int(frames[bar["bar"]])
        beats = {int(f) - start for f in made.plan.entries[bar["entry"]].click_frames if start <= f < end}
        # Its first beat is heard on its bar line, whatever comes then.
        if 0 in beats:
            assert any(c["frame"] == bar["frame"] and c["entry"] == bar["entry"] for c in clicks), bar


@pytest.fixture
def three(tmp_path):
    """Three songs of three sections."""
    songs = [song(id=f"s{i}", title=title) for i, title in enumerate(("One", "Two", "Three"))]
    return ready(show(*songs), tmp_path)


BAR = 2 * RATE


def played(made, *presses, seconds=60):
    """Bars as (entry, bar), with presses at seconds after go."""
    state, events = standing_by(), []
    timed = [(0, "go", {}), *presses]
    for at, name, args in timed:
        while state.head < round(at * RATE):
            state, span = advance(made.plan, state, min(RATE // 10, round(at * RATE) - state.head))
            events += map(record, span.events)
        state, outcome = press(made.plan, state, name, args)
        assert outcome.accepted, outcome
    until = state.head + seconds * RATE
    while state.head < until:
        state, span = advance(made.plan, state, RATE // 10)
        events += map(record, span.events)
    return [(e["entry"], e["bar"]) for e in events if e["kind"] == "bar"], state


def test_j6_a_vamp_by_hand_goes_round_and_the_same_press_takes_it_back(three):
    bars, _ = played(three, (1, "ending_tonight", {"ending": "vamp"}), (13, "ending_tonight", {"ending": "vamp"}))
    assert [b for _, b in bars] == [1, 2, 3, 1, 2, 3, 1, 2, 3, 4, 5, 6, 7, 8]


def test_j6_rounds_more_are_counted_from_the_one_that_plays(three):
    bars, _ = played(three, (7, "more", {"rounds": 2}))
    assert [b for _, b in bars] == [1, 2, 3, 4, 5, 6, 4, 5, 6, 4, 5, 6, 7, 8]


def test_j6_end_after_it_ends_the_song_and_the_next_one_stands_by(three):
    bars, state = played(three, (1, "ending_tonight", {"ending": "fine"}))
    assert [b for _, b in bars] == [1, 2, 3]
    assert (state.status, state.music.entry) == ("standby", 1)


def test_j6_an_ending_of_a_step_to_come_and_the_release_of_a_vamp_by_hand(three):
    bars, _ = played(three, (1, "ending_tonight", {"ending": "vamp", "step": 1}), (20, "release", {}))
    assert [b for _, b in bars] == [1, 2, 3, 4, 5, 6, 4, 5, 6, 4, 5, 6, 7, 8]


def test_j6_too_late_for_a_section_whose_end_is_rendered_is_told(three):
    state, _ = press(three.plan, standing_by(), "go")
    state, span = advance(three.plan, state, round(6.2 * RATE))
    begin = next(e["frame"] for e in map(record, span.events) if e["kind"] == "bar")
    heard = begin + 3 * BAR - 100
    for name, args in (("ending_tonight", {"ending": "vamp"}), ("more", {})):
        changed, outcome = press(three.plan, state, name, args, heard=heard)
        assert (outcome.accepted, outcome.code, changed) == (False, "ending-late", state)
        assert outcome.message == "Too late for Verse: its end is on its way already."


def test_j7_two_presses_go_anywhere(three):
    state, _ = press(three.plan, standing_by(), "go")
    state, _ = advance(three.plan, state, RATE)
    steps = []
    for by in (1, 1, 1, -1, -1):
        state, outcome = press(three.plan, state, "choose", {"by": by})
        steps.append(state.music.next_up.step)
        assert outcome.accepted
    # From the chorus that comes: coda, verse (the one that plays), chorus; back to verse, to coda.
    assert steps == [2, 0, 1, 0, 2]


def test_p7_the_song_after_is_chosen_while_one_plays(three):
    _, state = played(three, (1, "play_after", {"entry": 2}), seconds=20)
    assert (state.status, state.music.entry) == ("standby", 2)
    bars, _ = played(three, (1, "play_after", {"entry": 2, "straight_on": True}), seconds=40)
    assert bars == [*((0, b) for b in range(1, 9)), *((2, b) for b in range(1, 9))]
    _, state = played(three, (1, "play_after", {"entry": 2}), (2, "play_after", {"entry": 2}), seconds=20)
    assert (state.status, state.music.entry) == ("standby", 1)


def test_p7_straight_on_falls_on_the_frame_where_the_last_bar_ends(three):
    state, _ = press(three.plan, standing_by(), "go")
    state, _ = press(three.plan, state, "play_after", {"entry": 1, "straight_on": True})
    state, span = advance(three.plan, state, 40 * RATE)
    bars = [e for e in map(record, span.events) if e["kind"] == "bar"]
    assert bars[8]["frame"] - bars[0]["frame"] == 8 * BAR
    assert bars[8]["entry"] == 1


def test_what_is_told_to_come_is_what_follows_the_step_that_is_heard(three):
    state, _ = press(three.plan, standing_by(), "go")
    seam = state.music.run.out_start + 3 * BAR
    state, _ = advance(three.plan, state, seam + 100)
    assert coming(three.plan, state)["step"] == 2
    late = still_coming(three.plan, state, seam - 1)
    assert (late["step"], late["frame"], late["bar"]) == (1, seam, 4)
    assert still_coming(three.plan, state, seam) is None


def test_p3_the_order_of_the_night_is_changed_and_followed(three):
    _, state = played(three, (1, "move", {"entry": 2, "to": 1}), seconds=20)
    assert (state.status, state.music.entry) == ("standby", 2)
    assert tonight_now(three.plan, state.music, 0)["following"] == 1
    state, outcome = press(three.plan, state, "stand_by")
    assert (outcome.accepted, state.music.entry) == (True, 1)


def test_next_song_skips_one_song_however_often_it_is_pressed(three):
    state, outcome = press(three.plan, standing_by(), "stand_by")
    assert (outcome.accepted, state.music.entry) == (True, 1)
    again, outcome = press(three.plan, state, "stand_by")
    assert (outcome.accepted, outcome.code, again) == (False, "stand-by-again", state)
    state, outcome = press(three.plan, state, "stand_by", {"entry": 0})
    assert (outcome.accepted, state.music.entry) == (True, 0)
    _, outcome = press(three.plan, state, "stand_by")
    assert outcome.accepted


def test_go_after_a_stop_is_not_taken_and_beginning_again_is_another_press(three):
    state, _ = press(three.plan, standing_by(), "go")
    state, _ = advance(three.plan, state, 3 * RATE)
    state, _ = press(three.plan, state, "stop")
    still, outcome = press(three.plan, state, "go")
    assert (outcome.accepted, outcome.code, still) == (False, "go-stopped", state)
    begun, outcome = press(three.plan, state, "begin_again")
    assert (outcome.accepted, outcome.bar, begun.music.run.step) == (True, 1, 0)


def test_go_that_comes_as_the_song_ends_does_not_start_the_next(three):
    state, _ = press(three.plan, standing_by(), "go")
    while state.music.run is not None:
        state, _ = advance(three.plan, state, 480)
    _, outcome = press(three.plan, state, "go")
    assert (outcome.accepted, outcome.code) == (False, "go-just-ended")
    state, _ = advance(three.plan, state, RATE)
    _, outcome = press(three.plan, state, "go")
    assert outcome.accepted


def test_the_time_that_is_left_is_the_time_it_takes(three):
    """Of every state of a night without presses: what is left is what is played until the end, less the waiting for go."""
    state, _ = press(three.plan, standing_by(), "go")
    ends = 0
    while not (state.music.run is None and state.music.ended is not None):
        left = left_of(three.plan, state)
        state, span = advance(three.plan, state, RATE // 2)
        ends = max([ends, *(e["frame"] for e in map(record, span.events) if e["kind"] == "end")])
        assert ends == 0 or ends - span.start == pytest.approx((left - 32) * RATE, abs=1)
    # Two songs of 16 s are to come.
    assert left_of(three.plan, state) == pytest.approx(32)
    state, _ = press(three.plan, state, "move", {"entry": 0, "to": 2})
    assert left_of(three.plan, state) == pytest.approx(48)


def test_another_form_is_taken_for_tonight_and_saves_its_time(tmp_path):
    steps = [{"section": "a", "ending": {"kind": "attacca"}}, {"section": "c", "ending": {"kind": "fine"}}]
    full = [{"section": s} for s in "ab"] + [{"section": "c", "ending": {"kind": "fine"}}]
    forms = [{"id": "full", "name": "Full", "steps": full}, {"id": "short", "name": "Short", "steps": steps}]
    made = ready(show(song(id="one", title="One"), song(id="two", title="Two", forms=forms)), tmp_path)
    assert [e.of for e in made.plan.entries] == [None, None, 1]
    state, _ = press(made.plan, standing_by(), "go")
    # Three bars of 2 s are left out.
    assert shorter_forms(made.plan, state.music) == [{"entry": 1, "instead": 2, "form": "Short", "saves_s": 6.0}]
    before = left_of(made.plan, state)
    state, outcome = press(made.plan, state, "take_form", {"entry": 2})
    assert outcome.message == "Two is played in the form “Short” tonight."
    assert left_of(made.plan, state) == pytest.approx(before - 6)
    assert shorter_forms(made.plan, state.music) == []
    assert tonight_now(made.plan, state.music, 0)["order"] == [0, 2]
    for entry, code in ((2, "form-same"), (9, "entry-unknown")):
        assert press(made.plan, state, "take_form", {"entry": entry})[1].code == code
    while state.music.run is not None:
        state, _ = advance(made.plan, state, RATE)
    state, _ = advance(made.plan, state, 2 * RATE)
    assert state.music.entry == 2
    state, _ = press(made.plan, state, "go")
    assert press(made.plan, state, "take_form", {"entry": 1})[1].code == "form-begun"
    state, span = advance(made.plan, state, 20 * RATE)
    assert [e["bar"] for e in map(record, span.events) if e["kind"] == "bar"] == [1, 2, 3, 7, 8]
    assert state.status == "finished"


def left_of(plan, state):
    entry, own = own_left_s(plan, state)
    return own + after_s(plan, state.music, entry)


@pytest.mark.parametrize(
    ("presses", "seconds"),
    [
        ([("ending_tonight", {"ending": "repeat", "times": 3})], 16 + 12),
        ([("ending_tonight", {"ending": "vamp"})], 16),
        ([("ending_tonight", {"ending": "fine"})], 6),
        ([("go_to", {"step": 2})], 10),
        ([("play_after", {"entry": 2})], 16 - 16),
    ],
)
def test_what_is_asked_for_changes_the_time_that_is_left(three, presses, seconds):
    state, span = advance(three.plan, press(three.plan, standing_by(), "go")[0], RATE)
    begin = next(e["frame"] for e in map(record, span.events) if e["kind"] == "bar")
    for name, args in presses:
        state, outcome = press(three.plan, state, name, args)
        assert outcome.accepted
    assert left_of(three.plan, state) == pytest.approx(seconds + 32 - (RATE - begin) / RATE, abs=0.001)


def test_m2_a_player_who_goes_in_the_song_is_covered_from_then_on(tmp_path):
    made = steady(tmp_path, {"purpose": "covers", "covers": "pia"})
    renderer, state = made.renderer(), press(made.plan, standing_by(), "go")[0]

    def heard(seconds):
        nonlocal state
        state, span = advance(made.plan, state, round(seconds * RATE))
        out = np.empty((renderer.rows, span.end - span.start), dtype=np.float32)
        renderer.render(span, out)
        return gains(out)

    assert not heard(3).any()
    for on, level in ((False, 1), (True, 0), (False, 1)):
        state, outcome = press(made.plan, state, "player", {"player": "pia", "on": on})
        assert outcome.accepted
        sound = heard(1)
        # A ramp of 5 ms, and nothing else (rule M1).
        assert np.abs(np.diff(sound)).max() <= 1.01 / (0.005 * RATE)
        assert sound[240:] == pytest.approx(level)
    same, outcome = press(made.plan, state, "player", {"player": "nobody", "on": True})
    assert (outcome.code, same) == ("player-unknown", state)


def test_over_an_interval_nothing_begins_by_itself_and_it_counts_in_what_is_left(tmp_path):
    songs = [song(id=f"s{i}", title=f"S{i}") for i in range(3)]
    attacca = ({"kind": "attacca"},) * 2
    plain = ready(show(*songs, links=attacca), tmp_path)
    with_one = ready(show(*songs, links=attacca, intervals=[{"after": 2, "minutes": 20}]), tmp_path)

    def played(made):
        state, _ = press(made.plan, standing_by(), "go", {})
        return advance(made.plan, state, 40 * RATE)[0]

    assert played(plain).music.entry == 2
    assert played(plain).music.run is not None
    waiting = played(with_one)
    assert (waiting.status, waiting.music.entry) == ("standby", 2)
    left = [after_s(one.plan, standing_by().music, 0) for one in (plain, with_one)]
    assert left[1] - left[0] == pytest.approx(20 * 60)
    # It stays in its place whatever is moved over it.
    moved, _ = press(with_one.plan, standing_by(), "move", {"entry": 2, "to": 0})
    assert after_s(with_one.plan, moved.music, 2) == pytest.approx(left[1])
    last, _ = press(with_one.plan, moved, "stand_by", {"entry": 1})
    assert after_s(with_one.plan, last.music, 1) == 0
