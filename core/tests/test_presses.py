"""Presses: where they land, when they are late, and that what is offered is what is taken (rules J1, J4, J5, P1, P2)."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from material import RATE, ramp_stem, ready, show, song, write_wav

from upbeat.play.advance import advance, passed, passed_alike
from upbeat.play.events import record
from upbeat.play.presses import PRESSES, press, reasons
from upbeat.play.state import standing_by
from upbeat.show.bounce import TimedPress, rehearse

BAR = 2 * RATE  # 4/4 at 120
LONG = [{"id": "a", "name": "Verse", "bars": 8}, {"id": "b", "name": "Chorus", "bars": 4}]


@pytest.fixture(scope="module")
def long(tmp_path_factory):
    """Twelve bars, whose one stem tells its own frame."""
    folder = tmp_path_factory.mktemp("long")
    write_wav(folder / "ramp.wav", ramp_stem(13 * BAR))
    stem = {"id": "r", "name": "Ramp", "file": "ramp.wav", "group": "rhythm", "pan": -1, "covers": "pia"}
    return ready(show(song(stems=[stem], sections=LONG, crossfade_ms=0)), folder)


def playing(made, seconds):
    """A state in which ``seconds`` of the show are rendered, and the frame of bar 1."""
    state, outcome = press(made.plan, standing_by(), "go")
    assert outcome.accepted
    state, span = advance(made.plan, state, round(seconds * RATE))
    return state, next(e["frame"] for e in map(record, span.events) if e["kind"] == "bar")


def at(seconds, name, **args):
    return TimedPress(round(seconds * RATE), name, args)


def jump_of(made, *presses):
    _, events = rehearse(made, [at(0, "go"), *presses])
    begin = next(e["frame"] for e in events if e["kind"] == "bar")
    return next(e["frame"] for e in events if e["kind"] == "jump") - begin


@pytest.mark.parametrize(("when", "bars"), [("next_bar", 1), ("in_2_bars", 2), ("in_4_bars", 4), ("section_end", 8)])
def test_j1_a_jump_lands_as_many_bars_into_its_section_as_was_asked(long, when, bars):
    # Bars are counted from the section's start, wherever in the first of them the press falls.
    for seconds in (0.1, 1.0, 1.8):
        assert jump_of(long, at(seconds, "go_to", step=1, when=when)) == bars * BAR


def test_j1_four_bars_are_counted_on_from_the_fourth(long):
    assert jump_of(long, at(9, "go_to", step=1, when="in_4_bars")) == 8 * BAR


def test_j1_at_once_leaves_on_the_frame_of_the_press(long):
    sounds = []
    spans, events = rehearse(long, [at(0, "go"), at(3.3, "go_to", step=1, when="at_once")])
    renderer = long.renderer()
    for span in spans:
        block = np.empty((renderer.rows, span.end - span.start), dtype=np.float32)
        renderer.render(span, block)
        sounds.append(block[0].copy())
    heard = np.round(np.concatenate(sounds) * np.float64(1 << 22)).astype(int) - 1
    begin = next(e["frame"] for e in events if e["kind"] == "bar")
    jump = next(e["frame"] for e in events if e["kind"] == "jump")
    assert jump - round(3.3 * RATE) < 0.05 * RATE
    assert heard[jump - 1] == jump - 1 - begin
    assert heard[jump] == 8 * BAR


def test_j5_once_more_plays_the_section_from_its_top(long):
    _, events = rehearse(long, [at(0, "go"), at(1, "once_more", when="next_bar")])
    assert [e["bar"] for e in events if e["kind"] == "bar"][:3] == [1, 1, 2]
    _, events = rehearse(long, [at(0, "go"), at(1, "once_more")])
    bars = [e["bar"] for e in events if e["kind"] == "bar"]
    assert bars == [*range(1, 9), *range(1, 13)]


def test_p4_a_press_just_after_a_bar_line_that_is_rendered_says_that_it_is_late(long):
    state, begin = playing(long, 2.5)
    # Bar 2 is rendered but not audible yet: the bar line that was meant has gone.
    changed, outcome = press(long.plan, state, "go_to", {"step": 1, "when": "next_bar"}, heard=begin + BAR - 100)
    assert (outcome.accepted, outcome.late) == (True, True)
    assert outcome.message.startswith("Too late for the bar line just passed")
    assert changed.music.next_up.seam == outcome.frame == begin + 2 * BAR
    _, outcome = press(long.plan, state, "go_to", {"step": 1, "when": "next_bar"}, heard=begin + BAR + 100)
    assert (outcome.late, outcome.frame, outcome.bar) == (False, begin + 2 * BAR, 3)


def test_p2_a_song_begins_its_seconds_after_the_one_before(tmp_path):
    two = song(id="two", title="Second")
    _, events = rehearse(ready(show(song(), two, links=({"kind": "after", "seconds": 1.5},)), tmp_path), [at(0, "go")])
    bars = [e for e in events if e["kind"] == "bar"]
    first_ends = bars[0]["frame"] + 8 * BAR
    assert [e["entry"] for e in bars] == [0] * 8 + [1] * 8
    assert bars[8]["frame"] - first_ends == pytest.approx(1.5 * RATE, abs=0.05 * RATE)


@pytest.mark.parametrize(
    ("name", "args", "code"),
    [
        ("go_to", {"step": 9}, "step-unknown"),
        ("go_to", {"step": "1"}, "step-unknown"),
        ("go_to", {}, "arguments-incomplete"),
        ("go_to", {"step": 1, "when": "soon"}, "when-unknown"),
        ("go_to", {"step": 1, "what": 2}, None),
        ("stand_by", {"entry": 4}, "stand-by-playing"),
        ("dance", {}, "press-unknown"),
    ],
)
def test_a_press_that_cannot_be_is_answered_and_changes_nothing(long, name, args, code):
    state, _ = playing(long, 1)
    changed, outcome = press(long.plan, state, name, args)
    if code is None:
        assert outcome.accepted
        return
    assert (outcome.accepted, outcome.code) == (False, code)
    assert outcome.message.endswith(".")
    assert changed == state


ARGUMENTS = {
    "go_to": {"step": 1},
    "stand_by": {"entry": 0},
    "move": {"entry": 0, "to": 0},
    "player": {"player": "pia", "on": True},
    "play_after": {"entry": 0},
    "ending_tonight": {"ending": "repeat", "step": 1},
    "level": {"part": "click", "db": -3},
    "in_out": {"part": "cues", "on": False, "when": "next_bar"},
    "alone": {"part": "click"},
    "say": {"word": "Hold"},
    "fire": {"sound": "gong"},
    "send": {"device": "lights", "message": "warm"},
    "take_form": {"entry": 0},
    "from_bar": {"bar": 1},
    "slower": {"percent": 100},
    "check_level": {"db": -40},
}


@settings(max_examples=60)
@given(done=st.lists(st.tuples(st.sampled_from(sorted(PRESSES)), st.integers(1, 3 * RATE)), max_size=6))
def test_what_is_offered_is_what_is_taken(long, done):
    state = standing_by()
    for name, frames in done:
        state, _ = press(long.plan, state, name, ARGUMENTS.get(name))
        state, _ = advance(long.plan, state, frames)
    refused = reasons(long.plan, state)
    for name in PRESSES:
        _, outcome = press(long.plan, state, name, ARGUMENTS.get(name))
        # What is out already cannot be taken out; this show has neither palette nor sounds by hand.
        if outcome.code in ("part-same", "say-unknown", "sound-unknown", "form-same", "slower-same"):
            continue
        assert outcome.accepted == (name not in refused)
        if name in refused:
            assert (outcome.code, outcome.message) == (refused[name].code, refused[name].message)


def test_between_two_states_that_are_alike_nothing_is_worked_out(long):
    state, _ = playing(long, 3)
    later, _ = advance(long.plan, state, RATE // 2)
    assert passed_alike(state, later, RATE // 4) == passed(long.plan, state, RATE // 4)
    jumped, _ = press(long.plan, state, "go_to", {"step": 1, "when": "at_once"})
    later, _ = advance(long.plan, jumped, RATE // 2)
    assert passed_alike(jumped, later, RATE // 4) is None


@settings(max_examples=60)
@given(
    done=st.lists(st.tuples(st.sampled_from(sorted(PRESSES)), st.integers(1, 3 * RATE)), max_size=6),
    frames=st.integers(2, RATE),
    share=st.floats(0, 1),
)
def test_a_state_between_two_that_are_alike_is_like_them(long, done, frames, share):
    state = standing_by()
    for name, until in done:
        state, _ = press(long.plan, state, name, ARGUMENTS.get(name))
        state, _ = advance(long.plan, state, until)
    later, _ = advance(long.plan, state, frames)
    at = 1 + round(share * (frames - 2))
    assert passed_alike(state, later, at) in (None, passed(long.plan, state, at))
