"""Rules S1 to S3: what devices are sent, and that a jump leaves them as if the form had been played straight to it."""

import json
import random
from pathlib import Path

import numpy as np
import pytest
from devices_known import Devices, as_known, expected
from hypothesis import example, given, settings
from hypothesis import strategies as st
from material import RATE, ready, show, song

from upbeat.cli import main as cli
from upbeat.errors import Refused
from upbeat.play.advance import advance, passed
from upbeat.play.events import Message, NoteOff, Seam, record
from upbeat.play.presses import press
from upbeat.play.state import standing_by
from upbeat.show.bounce import rehearse

BAR = 2 * RATE
KEYS = {"id": "keys", "name": "Keyboard rig", "kind": "midi", "port": "Keys", "channel": 3}
LIGHTS = {
    "id": "lights",
    "name": "Lighting desk",
    "kind": "midi",
    "port": "Desk",
    "messages": [{"id": "warm", "name": "Warm wash", "send": {"kind": "note", "note": 62, "beats": 2}}],
}
FILM = {"id": "film", "name": "Film", "kind": "osc", "host": "127.0.0.1", "udp_port": 9000}


def message(device, at, send, **more):
    return {"id": f"m{random.randrange(10**9)}", "device": device, "at": at, "send": send, **more}


def program(number, bank=None):
    return {"kind": "program", "program": number, **({} if bank is None else {"bank": bank})}


def controller(number, value, over=None):
    return {
        "kind": "controller",
        "controller": number,
        "value": value,
        **({} if over is None else {"over_beats": over}),
    }


def bar(n, beat=1, **more):
    return {"place": "bar", "bar": n, "beat": beat, **more}


def section(of, **more):
    return {"place": "section", "section": of, **more}


def playing(messages, steps=None, **changes):
    forms = [{"id": "f", "name": "F", "steps": steps}] if steps else []
    document = show(song(messages=messages, forms=forms, **changes), devices=[KEYS, LIGHTS, FILM])
    return ready(document, Path("."))


def sent(made, presses=None):
    """(frame, device, kind, data, why) of every message of the show."""
    _, events = rehearse(made, presses, 0)
    found = [e for e in events if e["kind"] == "message"]
    first = next(e["frame"] for e in events if e["kind"] == "bar")
    return [(e["frame"] - first, e["device"], e["message"], e["data"], e["why"]) for e in found]


def test_every_place_has_its_frame_and_its_bytes():
    made = playing(
        [
            message("keys", {"place": "start"}, program(31, bank=130)),
            message("lights", section("b"), {"kind": "named", "message": "warm"}),
            message("keys", bar(2, 3), controller(11, 99)),
            message("film", {"place": "end"}, {"kind": "osc", "address": "/film/stop", "args": [1, "now", 0.5]}),
        ]
    )
    assert sent(made) == [
        (0, "keys", "program", [0xB2, 0, 1, 0xB2, 32, 2, 0xC2, 30], "place"),
        (BAR + RATE, "keys", "controller", [0xB2, 11, 99], "place"),
        (3 * BAR, "lights", "note", [0x90, 62, 100], "place"),
        (3 * BAR + RATE, "lights", "note_off", [0x80, 62, 0], "place"),
        (8 * BAR, "film", "osc", {"address": "/film/stop", "args": [1, "now", 0.5]}, "place"),
    ]


def test_passes_are_those_of_the_form():
    steps = [{"section": "a", "ending": {"kind": "repeat", "times": 2}}, {"section": "b"}, {"section": "a"}]
    at = {1: 40, 2: 41, 3: 42, "last": 43}
    made = playing(
        [message("lights", section("a", **{"pass": n}), {"kind": "note", "note": k}) for n, k in at.items()], steps
    )
    notes = [(frame / BAR, data[1]) for frame, _, kind, data, _ in sent(made) if kind == "note"]
    assert notes == [(0, 40), (3, 41), (9, 42), (9, 43)]


def test_a_line_goes_from_what_is_held_to_its_value_over_its_beats():
    made = playing(
        [message("keys", {"place": "start"}, controller(7, 20)), message("keys", bar(2), controller(7, 80, 4))]
    )
    line = [(frame, data[2]) for frame, _, _, data, _ in sent(made)]
    assert line[0] == (0, 20)
    values = [value for _, value in line[1:]]
    assert values == sorted(values)
    assert (values[0], values[-1]) == (21, 80)
    straight = [20 + 60 * (frame - BAR) / BAR for frame, _ in line[1:]]
    assert np.abs(np.array(straight) - values).max() <= 1
    assert all(BAR <= frame < 2 * BAR for frame, _ in line[1:])


def test_a_lead_sends_before_the_place(tmp_path, capsys):
    document = show(song(messages=[message("keys", bar(2), program(5))]), devices=[{**KEYS, "lead_ms": 120}])
    (tmp_path / "show.json").write_text(json.dumps(document))
    assert cli(["messages", str(tmp_path), "--entry", "1", "--json"]) == 0
    [one] = json.loads(capsys.readouterr().out)["messages"]
    assert one["place_frame"] - one["frame"] == 0.12 * RATE
    assert (one["device"], one["kind"], one["data"], one["why"]) == ("keys", "program", [0xC2, 4], "place")


def test_a_jump_brings_the_devices_there_before_it_sounds_and_ends_what_rings():
    steps = [{"section": "a"}, {"section": "b"}, {"section": "c"}]
    made = playing(
        [
            message("keys", section("a"), program(1)),
            message("keys", section("b"), program(2)),
            message("keys", bar(6), controller(1, 64)),
            message("lights", section("a"), {"kind": "note", "note": 50, "beats": 40}),
            message("lights", section("b"), {"kind": "named", "message": "warm"}, chase=True),
            message("lights", section("b"), {"kind": "note", "note": 70}),
        ],
        steps,
    )
    plan = made.plan
    state, _ = press(plan, standing_by(), "go", {})
    state, _ = advance(plan, state, BAR)
    state, _ = press(plan, state, "go_to", {"step": 2, "when": "next_bar"})
    events = []
    while not any(isinstance(e, Seam) for e in events):
        state, span = advance(plan, state, 1000)
        events += span.events
    [jump] = [e.frame for e in events if isinstance(e, Seam)]
    half = plan.entries[0].half
    chased = [record(e) for e in events if isinstance(e, Message) and e.why == "chase"]
    assert [(e["frame"], e["data"]) for e in chased] == [
        (jump - half, [0xC2, 1]),
        (jump - half, [0xB2, 1, 64]),
        (jump - half, [0x90, 62, 100]),
    ]
    assert [(e.frame, e.note) for e in events if isinstance(e, NoteOff)] == [(jump - half, 50)]


SENDS = st.one_of(
    st.tuples(st.just("keys"), st.builds(program, st.integers(1, 128), st.none() | st.integers(0, 16383))),
    st.tuples(st.just("keys"), st.builds(controller, st.integers(1, 3), st.integers(0, 127))),
    st.tuples(st.just("keys"), st.builds(controller, st.integers(1, 3), st.integers(0, 127), st.integers(1, 9))),
    st.tuples(
        st.just("lights"),
        st.builds(lambda n, b: {"kind": "note", "note": n, "beats": b}, st.integers(60, 63), st.integers(1, 20)),
    ),
    st.tuples(st.just("film"), st.builds(lambda n: {"kind": "osc", "address": "/at", "args": [n]}, st.integers(0, 9))),
)
PASS = st.none() | st.just("last") | st.integers(1, 3)
PLACES = st.one_of(
    st.just({"place": "start"}),
    st.builds(lambda s, n: section(s, **({} if n is None else {"pass": n})), st.sampled_from("abc"), PASS),
    st.builds(
        lambda b, k, n: bar(b, k, **({} if n is None else {"pass": n})), st.integers(1, 8), st.integers(1, 4), PASS
    ),
)
MESSAGES = st.lists(st.tuples(PLACES, SENDS, st.booleans()), max_size=12)
ENDINGS = st.sampled_from([{"kind": "attacca"}, {"kind": "attacca"}, {"kind": "repeat", "times": 3}, {"kind": "vamp"}])
STEPS = st.lists(
    st.builds(lambda s, e: {"section": s, "ending": e}, st.sampled_from("abc"), ENDINGS), min_size=1, max_size=6
)


def _struck(note, holds):
    return {"place": "start"}, ("lights", {"kind": "note", "note": note, "beats": 1}), holds


#: What a song before may leave the devices at; a message at its end is sent in the frames in which the next one begins.
LEFT = [
    ("keys", program(99, 3), "start"),
    ("keys", controller(1, 77), "start"),
    ("keys", controller(2, 78), "end"),
    ("lights", {"kind": "note", "note": 40, "beats": 1}, "start"),
    ("film", {"kind": "osc", "address": "/at", "args": [42]}, "end"),
]


def after_another(messages, steps, left, link):
    """The song of :func:`playing` behind a short one that leaves some of :data:`LEFT`."""
    opening = song(
        id="opening",
        sections=[{"id": "o", "name": "Opening", "bars": 1}],
        messages=[message(d, {"place": place}, send, chase=True) for d, send, place in left],
    )
    own = song(messages=messages, forms=[{"id": "f", "name": "F", "steps": steps}])
    return ready(show(opening, own, links=({"kind": link},), devices=[KEYS, LIGHTS, FILM]), Path("."))


@settings(max_examples=60)
@given(
    MESSAGES,
    STEPS,
    st.integers(0, 2**32 - 1),
    st.lists(st.sampled_from(LEFT), unique_by=str),
    st.sampled_from(["wait", "attacca"]),
)
@example(
    [_struck(61, True), _struck(60, True), _struck(61, False)],
    [{"section": "a", "ending": {"kind": "attacca"}}],
    0,
    [],
    "wait",
)
def test_after_every_jump_the_devices_are_as_if_the_form_had_been_played_straight_to_it(
    messages, steps, seed, left, link
):
    rng = random.Random(seed)
    own = [message(d, at, send, chase=chase or None) for at, (d, send), chase in messages]
    plan = after_another(own, steps, left, link).plan
    state, _ = press(plan, standing_by(), "go", {})
    devices, blocks, home = Devices(), [257, 4000, 30_011], None
    for _ in range(80):
        roll = rng.random() if home is not None else 0.9
        if roll < 0.25:
            step = rng.choice(plan.entries[1].playable)
            state, _ = press(
                plan, state, "go_to", {"step": step, "when": rng.choice(["at_once", "next_bar", "section_end"])}
            )
        elif roll < 0.35:
            state, _ = press(plan, state, rng.choice(["release", "once_more"]), {})
        elif roll < 0.42:
            state, _ = press(plan, state, "stop", {})
        elif roll < 0.46:
            state, _ = press(plan, state, "begin_again", {})
        elif state.music.run is None and state.status != "finished":
            state, _ = press(plan, state, "resume" if state.status == "stopped" else "go", {})
        for _ in range(rng.randrange(1, 6)):
            frames = rng.choice(blocks)
            paper = passed(plan, state, frames)
            state, span = advance(plan, state, frames)
            assert paper == state
            for event in span.events:
                if isinstance(event, Message | NoteOff):
                    assert span.start <= event.frame < span.end
                    if home is None and isinstance(event, Message) and event.entry == 1:
                        home = dict(devices.held)
                    devices.take(event)
            run = state.music.run
            if run is None or run.entry == 0:
                continue
            home = dict(devices.held) if home is None else home
            # The place is what sounds at the end of the span, also within the first half of a crossfade.
            if run.out_start - run.half < state.head:
                wanted = expected(plan, run, run.src(max(state.head, run.out_start)), home)
                assert {k: as_known(devices.held.get(k), v) for k, v in wanted.items()} == wanted
    state, _ = press(plan, state, "stop", {})
    for _ in range(40):
        state, span = advance(plan, state, 48_000)
        for event in (e for e in span.events if isinstance(e, Message | NoteOff)):
            devices.take(event)
    if state.music.run is None:
        assert devices.notes == set()


@settings(max_examples=30)
@given(MESSAGES, STEPS, st.integers(1, 40_000))
def test_the_spans_that_a_form_is_played_in_change_nothing(messages, steps, frames):
    made = playing([message(d, at, send, chase=chase or None) for at, (d, send), chase in messages], steps)

    def played(size):
        state, _ = press(made.plan, standing_by(), "go", {})
        state, _ = press(
            made.plan, advance(made.plan, state, BAR)[0], "go_to", {"step": made.plan.entries[0].playable[-1]}
        )
        found, end = [], 14 * BAR
        while state.head < end:
            state, span = advance(made.plan, state, min(size, end - state.head))
            found += [record(e) for e in span.events if isinstance(e, Message | NoteOff)]
        return found

    assert played(max(frames, 97)) == played(BAR)


WRONG = {
    "a program 129": (message("keys", bar(1), program(129)), "128"),
    "a bank without a program": (message("keys", bar(1), {"kind": "program", "bank": 3}), "program"),
    "a line that ends before it begins": (message("keys", bar(1), controller(7, 1, -4)), "over_beats"),
    "an address without a slash": (message("film", bar(1), {"kind": "osc", "address": "go"}), "slash"),
    "a device that is not there": (message("choir", bar(1), program(1)), "not in the show"),
    "a program for what speaks OSC": (message("film", bar(1), program(1)), "OSC"),
    "a name that the device does not have": (
        message("lights", bar(1), {"kind": "named", "message": "x"}),
        "Lighting desk",
    ),
    "a section without its name": (message("keys", {"place": "section"}, program(1)), "section"),
    "a pass 0": (message("keys", section("a", **{"pass": 0}), program(1)), "pass"),
}


@pytest.mark.parametrize("wrong", WRONG)
def test_what_cannot_be_sent_is_refused_in_a_sentence(wrong):
    raw, part = WRONG[wrong]
    with pytest.raises(Refused) as refused:
        playing([raw])
    [problem] = refused.value.problems
    assert part in problem.message


def test_a_bar_or_a_section_that_the_song_has_no_more_sends_nothing():
    made = playing([message("keys", bar(99), program(1)), message("keys", section("gone"), program(2))])
    assert sent(made) == []


def test_a_show_without_messages_has_none_to_think_of():
    made = ready(show(song()), Path("."))
    state, _ = press(made.plan, standing_by(), "go", {})
    state, span = advance(made.plan, state, BAR)
    assert not made.plan.sends
    assert not span.only(Message)
    assert state.messages == standing_by().messages
