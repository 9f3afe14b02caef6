"""MIDI clock: its ticks lie on the tempo map, and it says where a jump goes (rule S3)."""

from fractions import Fraction
from pathlib import Path

import pytest
from material import RATE, ready, show, song
from test_messages import BAR, FILM, KEYS

from upbeat.errors import Refused
from upbeat.show.bounce import TimedPress, rehearse


def clocked(made, presses=None):
    """(frame from the first bar line on, bytes) of what the keyboard's clock was sent."""
    _, events = rehearse(made, presses, 0)
    first = next(e["frame"] for e in events if e["kind"] == "bar")
    return [(e["frame"] - first, e["data"]) for e in events if e["kind"] == "message" and e["why"] == "clock"]


def with_clock(**changes):
    return ready(show(song(**changes), devices=[{**KEYS, "clock": True}]), Path("."))


def test_midi_clock_has_24_ticks_to_the_quarter_of_the_tempo_map():
    tempo = [{"bar": 1, "bpm": "120", "ramp": True}, {"bar": 5, "bpm": "90.5"}, {"bar": 6, "bpm": "171"}]
    made = with_clock(tempo=tempo)
    found = clocked(made)
    assert found[0] == (0, [0xFA])
    assert found[-1][1] == [0xFC]
    ticks = [frame for frame, data in found if data == [0xF8]]
    grid = made.show.songs["song"].grid
    assert ticks == [grid.frame(Fraction(n, 24), RATE) for n in range(8 * 4 * 24)]


def test_midi_clock_stops_says_where_it_goes_and_goes_on_at_a_jump():
    steps = [{"section": s} for s in "abc"]
    made = with_clock(forms=[{"id": "f", "name": "F", "steps": steps}])
    half = made.plan.entries[0].half
    jump = [{"at_s": 0, "press": "go"}, {"at_s": 2.5, "press": "go_to", "step": 2, "when": "next_bar"}]
    found = clocked(
        made,
        [
            TimedPress(round(j["at_s"] * RATE), j["press"], {k: v for k, v in j.items() if k in ("step", "when")})
            for j in jump
        ],
    )
    at = 2 * BAR
    near = [(frame - at, data) for frame, data in found if -half <= frame - at <= 0]
    # Bar 7 is the 97th sixteenth note: 96 lie before it.
    assert near == [(-half, [0xFC]), (-half, [0xF2, 96, 0]), (0, [0xFB]), (0, [0xF8])]
    assert sum(data == [0xF8] for _, data in found) == (2 + 2) * 4 * 24


def test_clock_is_for_midi_alone():
    with pytest.raises(Refused, match="clock"):
        ready(show(song(), devices=[{**FILM, "clock": True}]), Path("."))
