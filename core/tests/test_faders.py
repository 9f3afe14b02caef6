"""Faders, knobs and places of a bank: what a control that moves sets, and when it does (rules K1 and K3)."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace
from test_controls import FADER, NOW, PAD, bound, down

from upbeat.controls.bindings import (
    BankDoes,
    LevelDoes,
)
from upbeat.controls.faders import level_at, place_of
from upbeat.controls.guards import Guards
from upbeat.controls.lights import lights
from upbeat.controls.signals import Signal
from upbeat.limits import HAND_DB


def moved(guards, *values, db=0.0, control=FADER):
    """The levels that a fader sets while the part stands where the last of them put it."""
    found, levels = [], {"click": db}
    for value in values:
        for act in guards.hit(Signal(control, value), 0, NOW._replace(levels=levels)):
            levels["click"] = None if act.args.get("off") else act.args["db"]
            found.append(levels["click"])
    return found


def level(**more):
    return Guards([bound(LevelDoes("click"), FADER, **more)])


def test_a_fader_does_nothing_until_it_has_met_the_level():
    assert moved(level(), 0, 20, 60, 80) == []
    assert moved(level(), 0, 60, 100, 110) == [level_at(100 / 127), level_at(110 / 127)]
    assert moved(level(), 89, 0) == [0.0, None]


def test_a_fader_whose_level_was_set_by_another_hand_has_to_meet_it_again():
    guards = level()
    assert moved(guards, 89, 100) != []
    assert moved(guards, 101, 102, db=-20.0) == []
    assert moved(guards, 60, 10, db=-20.0)[-1] == level_at(10 / 127)


def test_a_fader_keeps_its_level_while_the_engine_has_not_told_it_yet():
    guards, told = level(), NOW._replace(levels={"click": 0.0})
    acts = [guards.hit(Signal(FADER, v), 40.0 * i, told) for i, v in enumerate(range(40, 127, 8))]
    assert [bool(a) for a in acts] == [v >= 88 for v in range(40, 127, 8)]


@given(values=st.lists(st.integers(0, 127), min_size=1, max_size=30), db=st.floats(-60, 12))
def test_a_fader_never_leaps_to_a_level_it_has_not_met(values, db):
    first, *rest = moved(level(), *values, db=db) or [None]
    met = [i for i, v in enumerate(values) if abs(v / 127 - place_of(db)) <= 1 / 64 + 1e-9]
    crossed = [
        i for i in range(1, len(values)) if (values[i - 1] / 127 - place_of(db)) * (values[i] / 127 - place_of(db)) <= 0
    ]
    if not met and not crossed:
        assert (first, rest) == (None, [])


@given(st.floats(0, 1))
def test_a_place_and_its_level_are_one(place):
    db = level_at(place)
    assert db is None or HAND_DB.low <= db <= HAND_DB.high
    assert place_of(db) == pytest.approx(place if db is not None else 0, abs=0.013)


def test_knobs_that_count_steps_and_controllers_in_two_parts():
    signed, offset = level(encoding="signed"), level(encoding="offset")
    assert [a.args["by"] for v in (1, 3, 127) for a in signed.hit(Signal(FADER, v), 0, NOW)] == [0.5, 1.5, -0.5]
    assert [a.args["by"] for v in (65, 64, 60) for a in offset.hit(Signal(FADER, v), 0, NOW)] == [0.5, -2.0]
    fine, low = level(encoding="fine"), replace(FADER, number=39)
    now = NOW._replace(levels={"click": level_at(64 / 128)})
    assert fine.hit(Signal(FADER, 64), 0, now)
    [act] = fine.hit(Signal(low, 127), 0, now)
    assert act.args["db"] == level_at((64 << 7 | 127) / 16383)


def test_a_knob_sweeps_the_stem_in_its_place_where_that_is_treated():
    now = NOW._replace(
        stems=("organ", "choir"), through={"choir": ("low_sweep",)}, levels={"low_sweep:stem:choir": 0.0}
    )
    sweep = lambda place, **more: Guards([bound(BankDoes("stems", place, of="low_sweep"), FADER, **more)])
    assert sweep(0).hit(Signal(FADER, 0), 0, now) == []
    [act] = sweep(1, encoding="signed").hit(Signal(FADER, 3), 0, now)
    assert (act.press, act.args) == ("level", {"part": "low_sweep:stem:choir", "by": 6.0})
    knob = sweep(1)
    knob.hit(Signal(FADER, 0), 0, now)
    [act] = knob.hit(Signal(FADER, 64), 10, now)
    assert act.args == {"part": "low_sweep:stem:choir", "db": 50.0}


@pytest.mark.parametrize(
    ("of", "out", "resting", "made", "lit"),
    [
        ("in_out", (), (), {"part": "stem:choir", "on": False, "when": "next_bar"}, "on"),
        ("in_out", ("stem:choir",), (), {"part": "stem:choir", "when": "next_bar"}, "ready"),
        ("in_out", ("stem:choir",), ("stem:choir",), {"part": "stem:choir", "on": True, "when": "next_bar"}, "ready"),
        ("in_out", (), ("stem:choir",), {"part": "stem:choir", "when": "next_bar"}, "on"),
        ("gate", (), (), {"part": "gate:stem:choir", "on": False, "when": "at_once"}, "on"),
        ("gate", ("gate:stem:choir",), (), {"part": "gate:stem:choir", "when": "at_once"}, "ready"),
        ("drive", (), (), None, "off"),
    ],
)
def test_a_pad_turns_the_stem_in_its_place_over_and_its_light_says_so(of, out, resting, made, lit):
    now = NOW._replace(
        stems=("organ", "choir"), through={"choir": ("gate",)}, out=frozenset(out), resting=frozenset(resting)
    )
    binding = bound(BankDoes("stems", 1, of=of))
    acts = Guards([binding]).hit(down(), 0, now)
    assert [(a.press, a.args) for a in acts] == ([] if made is None else [("in_out", made)])
    assert lights({PAD: binding}, now) == {PAD: lit}
