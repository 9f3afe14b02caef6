"""Echo of a stem: its repeats are in time, ring on over jumps and are let out by hand."""

import numpy as np
import pytest
from material import RATE
from test_treatment import BAR, BEAT, ECHO, GO, START, heard, made

from upbeat.show.bounce import TimedPress


def struck(*bars):
    sound = np.zeros(16 * RATE, np.float32)
    for bar in bars:
        sound[(bar - 1) * BAR] = 0.5
    return sound


def hits(out):
    return {int(i) - START: round(float(out[i]), 3) for i in np.flatnonzero(np.abs(out) > 1e-4)}


def test_an_echo_falls_on_the_beats_and_rings_on_over_a_jump_and_out_of_a_tacet_section(tmp_path):
    lands = {3 * BAR - BEAT: 0.5}
    sound = np.zeros(16 * RATE, np.float32)
    sound[3 * BAR - BEAT] = 0.5  # the last beat before "b"
    for k, db in enumerate((-6, -12, -18), 1):
        lands[3 * BAR - BEAT + k * BEAT] = round(0.5 * 10 ** (db / 20), 3)
    assert hits(heard(made(tmp_path, sound, {"treatment": ECHO, "tacet": ["b"]}))[0]) == lands
    jump = (GO, TimedPress(2 * BAR, "go_to", {"step": 2, "when": "section_end"}))
    assert hits(heard(made(tmp_path, sound, {"treatment": ECHO}), jump)[0]) == lands


@pytest.mark.parametrize(
    ("meter", "bpm", "beats", "every"),
    [
        ("6/8", "90", "1", 48_000),
        ("6/8", "90", "1/2", 24_000),
        ("7/8", "120", "1", 12_000),
        ("4/4", "93.7", "3/4", None),
    ],
)
def test_it_is_in_time_with_the_counted_beat_of_the_metre(tmp_path, meter, bpm, beats, every):
    shown = made(
        tmp_path,
        struck(1),
        {"treatment": {"echo": {"beats": beats, "db": 0, "repeats": 2, "fall_db": 0}}},
        meters=[{"bar": 1, "meter": meter}],
        tempo=[{"bar": 1, "bpm": bpm}],
    )
    every = every or round(0.75 * 60 / float(bpm) * RATE)
    assert sorted(hits(heard(shown)[0])) == [0, every, 2 * every]


def test_at_another_tempo_repeats_come_at_that_one(tmp_path):
    shown = made(
        tmp_path,
        struck(1, 4),
        {"treatment": {"echo": {"beats": "1", "db": 0, "repeats": 1, "fall_db": 0}}},
        tempo=[{"bar": 1, "bpm": "120"}, {"bar": 4, "bpm": "96"}],
    )
    assert sorted(hits(heard(shown)[0])) == [0, BEAT, 3 * BAR, 3 * BAR + 30_000]


def test_it_is_let_out_by_hand_and_what_rings_goes_on(tmp_path):
    shown = made(tmp_path, struck(1, 2, 3), {"treatment": ECHO})
    out = TimedPress(BAR - 2000, "in_out", {"part": "echo:stem:s0", "on": False})
    back = TimedPress(2 * BAR - 2000, "as_prepared", {})
    found = hits(heard(shown, (GO, out, back))[0])
    assert sorted(found) == [
        0,
        BEAT,
        2 * BEAT,
        3 * BEAT,
        BAR,
        2 * BAR,
        2 * BAR + BEAT,
        2 * BAR + 2 * BEAT,
        2 * BAR + 3 * BEAT,
    ]
