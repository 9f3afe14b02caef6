"""Messages by presses (rule S1): a message of a device, programs stepped through by a pedal, and what the song makes of it after."""

import random

import pytest
from devices_known import Devices, as_known, expected
from hypothesis import given, settings
from hypothesis import strategies as st
from material import RATE
from test_messages import (
    MESSAGES,
    STEPS,
    bar,
    controller,
    message,
    playing,
    program,
    section,
)

from upbeat.play.advance import advance, passed
from upbeat.play.devices import devices_ahead, program_now
from upbeat.play.events import Message, NoteOff, record
from upbeat.play.presses import press
from upbeat.play.state import State, standing_by

SONG = [
    message("keys", {"place": "start"}, program(3)),
    message("keys", section("b"), program(31, 2)),
    message("keys", section("c"), program(7)),
    message("lights", section("b"), {"kind": "named", "message": "warm"}),
]


def pressed(made, state, name, **args):
    state, outcome = press(made.plan, state, name, args)
    assert outcome.accepted, outcome
    return state


def gone(made, state, frames, block=3001):
    """The state so many frames later, and what went out until then."""
    events = []
    while frames > 0:
        state, span = advance(made.plan, state, min(frames, block))
        frames -= block
        events += [e for e in span.events if isinstance(e, Message | NoteOff)]
    return state, events


def bytes_of(events):
    return [record(e)["data"] for e in events]


def test_a_message_by_its_name_goes_out_on_the_next_frame_and_its_note_ends():
    made = playing(SONG)
    state, _ = gone(made, State(), 5000)
    state = pressed(made, state, "send", device="lights", message="warm")
    state, events = gone(made, state, 3 * RATE)
    assert [(e.frame, record(e)["data"]) for e in events] == [
        (5000, [144, 62, 100]),
        (5000 + RATE, [128, 62, 0]),
    ]
    assert record(events[0])["why"] == "press"


@pytest.mark.parametrize("args", [{"device": "lights", "message": "cold"}, {"device": "organ", "message": "warm"}, {}])
def test_a_message_that_no_device_has_is_refused(args):
    _, outcome = press(playing(SONG).plan, State(), "send", args)
    assert not outcome.accepted
    assert len(outcome.message) > 20


def test_a_pedal_steps_through_the_programs_of_a_song_that_stands_by():
    made = playing(SONG)
    state, found = State(), []
    for by in (1, 1, 1, -1):
        state = pressed(made, state, "program", by=by)
        state, events = gone(made, state, 100)
        found += bytes_of(events)
    assert found == [
        [0xC2, 2],
        [0xB2, 0, 0, 0xB2, 32, 2, 0xC2, 30],
        [0xB2, 0, 0, 0xB2, 32, 2, 0xC2, 6],
        [0xB2, 0, 0, 0xB2, 32, 2, 0xC2, 30],
    ]
    _, outcome = press(made.plan, pressed(made, state, "program"), "program", {})
    assert outcome.message == "That was the last program of “Paper Boats”."
    _, outcome = press(made.plan, state, "program", {"device": "lights"})
    assert outcome.message == "“Paper Boats” sends no programs to Lighting desk."


def test_back_to_where_the_song_is_and_the_song_goes_on_from_there():
    made = playing(SONG)
    state = pressed(made, State(), "go")
    while state.status != "playing":
        state, _ = gone(made, state, 100)
    state, _ = gone(made, state, 2000)
    state = pressed(made, state, "program")
    state = pressed(made, state, "program")
    assert program_now(made.plan, state, "keys", state.head) == 2
    state, events = gone(made, pressed(made, state, "program_here"), 2000)
    assert bytes_of(events)[-1] == [0xC2, 2]
    assert program_now(made.plan, state, "keys", state.head) == 0
    # The song's own next one comes whatever was stepped to, and stepping goes on from it.
    state = pressed(made, state, "program", by=1)
    state, events = gone(made, state, 8 * RATE)
    assert [0xB2, 0, 0, 0xB2, 32, 2, 0xC2, 30] in bytes_of(events)[1:]
    assert program_now(made.plan, state, "keys", state.head) == 1


def test_what_comes_is_told_of_this_pass_and_the_one_that_follows():
    made = playing([*SONG, message("keys", bar(2, 3), controller(7, 90))])
    standing = {d["device"]: d for d in devices_ahead(made.plan, State(), 0)}
    assert [(m["message"], m["bar"]) for m in standing["keys"]["coming"]] == [("program", 1), ("controller", 2)]
    state = pressed(made, State(), "go")
    while state.status != "playing":
        state, _ = gone(made, state, 100)
    ahead = {d["device"]: d for d in devices_ahead(made.plan, state, state.head)}
    assert [m["bar"] for m in ahead["keys"]["coming"]] == [2, 4]
    assert ahead["lights"]["coming"] == [{"bar": 4, "message": "note", "name": "Warm wash", "data": "90 3e 64"}]
    assert (ahead["keys"]["program"], ahead["keys"]["programs"]) == (1, 3)


HAND = st.sampled_from(
    [("send", {"device": "lights", "message": "warm"}), ("program", {}), ("program", {"by": -1}), ("program_here", {})]
)


@settings(max_examples=40)
@given(MESSAGES, STEPS, st.lists(HAND, min_size=1, max_size=12), st.integers(0, 2**32 - 1))
def test_a_jump_brings_devices_to_its_place_whatever_was_set_by_hand(messages, steps, hand, seed):
    rng = random.Random(seed)
    made = playing([message(d, at, send, chase=chase or None) for at, (d, send), chase in messages], steps)
    plan, devices = made.plan, Devices()
    home = dict(devices.held)
    state, _ = press(plan, standing_by(), "go", {})
    touched = set()

    def on(frames):
        nonlocal state
        paper, runs = passed(plan, state, frames), state.music.runs
        state, span = advance(plan, state, frames)
        assert paper == state
        for event in (e for e in span.events if isinstance(e, Message | NoteOff)):
            devices.take(event)
            if isinstance(event, Message) and event.why == "press":
                touched.add((event.out.device, "program"))
        run = state.music.run
        if run is not None and state.music.runs > runs and not run.joined and run.out_start - run.half >= span.start:
            touched.clear()
        if run is not None and run.out_start - run.half < state.head:
            wanted = expected(plan, run, run.src(max(state.head, run.out_start)), home)
            wanted = {k: v for k, v in wanted.items() if k not in touched}
            assert {k: as_known(devices.held.get(k), v) for k, v in wanted.items()} == wanted

    for name, args in hand:
        state, _ = press(plan, state, name, args)
        for _ in range(rng.randrange(1, 4)):
            on(rng.choice([257, 4000, 30_011]))
        state, _ = press(
            plan,
            state,
            "go_to",
            {"step": rng.choice(plan.entries[0].playable), "when": rng.choice(["at_once", "next_bar"])},
        )
        for _ in range(rng.randrange(1, 5)):
            on(rng.choice([4000, 30_011, 96_000]))
    state, _ = press(plan, state, "stop", {})
    for _ in range(40):
        state, span = advance(plan, state, 48_000)
        for event in (e for e in span.events if isinstance(e, Message | NoteOff)):
            devices.take(event)
    assert devices.notes == set()
