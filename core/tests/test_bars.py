"""Bar lines: pinned, evened out, turned into tempos and back; taps; offers on the grid's edge."""

from fractions import Fraction
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from upbeat.errors import Refused
from upbeat.listening.follow.align import Beats
from upbeat.listening.follow.bars import metre_doubt
from upbeat.listening.follow.grid import (
    advise,
    bars_before,
    bars_heard,
    evened,
    other_metre,
    pinned,
    tempo_of_bars,
    worst_bars,
)
from upbeat.listening.follow.tap import tapped
from upbeat.time.grid import Grid
from upbeat.time.meter import MeterMap, TimeSignature
from upbeat.time.tempo import TempoMap, TempoPoint, parse_bpm

LINES = st.lists(st.floats(0.4, 6.0), min_size=2, max_size=80).map(
    lambda gaps: [float(x) for x in 1.0 + np.cumsum([0.0, *gaps])]
)


@given(LINES)
@settings(max_examples=150)
def test_bars_become_tempos_that_put_the_same_bars_within_half_a_frame(lines):
    found = tempo_of_bars(lines, [4] * (len(lines) - 1))
    meters = MeterMap()
    points = [TempoPoint(meters.position(bar, Fraction(1)), parse_bpm(f"{bpm:.6f}")) for bar, bpm in found if bpm >= 1]
    grid = Grid(TempoMap(points), meters, Fraction(str(lines[0])))
    placed = [float(grid.bar_seconds(b + 1)) for b in range(len(lines))]
    assert placed == pytest.approx(lines, abs=0.5 / 48000 * len(lines))


@given(LINES, st.data())
@settings(max_examples=150)
def test_a_pin_holds_its_bar_and_moves_the_others_less(lines, data):
    at = data.draw(st.integers(0, len(lines) - 1))
    by = data.draw(st.floats(-0.1, 0.1))
    moved = pinned(lines, {at: lines[at] + by})
    assert moved[at] == pytest.approx(lines[at] + by)
    assert all(abs(m - b - by) < 1e-9 for m, b in zip(moved, lines, strict=True))
    other = data.draw(st.integers(0, len(lines) - 1))
    held = pinned(lines, {at: lines[at] + by, other: lines[other] + (by if other == at else 0.0)})
    assert held[other] == pytest.approx(lines[other] + (by if other == at else 0.0))
    assert all(abs(m - b) <= abs(by) + 1e-9 for m, b in zip(held, lines, strict=True))


def test_a_pin_past_its_neighbour_is_refused_and_one_outside_is_nothing():
    with pytest.raises(Refused, match="between its neighbours"):
        pinned([1.0, 3.0, 5.0], {0: 1.0, 1: 5.5, 2: 5.0})
    assert pinned([1.0, 3.0], {9: 4.0}) == [1.0, 3.0]


@given(LINES, st.floats(0, 1), st.lists(st.integers(-3, 90), max_size=6))
@settings(max_examples=150)
def test_evening_out_keeps_section_starts_and_never_leaves_the_players_further_than_one_tempo_does(
    lines, amount, starts
):
    full, part = evened(lines, starts, 1), evened(lines, starts, amount)
    for s in {0, len(lines) - 1, *(s for s in starts if 0 <= s < len(lines))}:
        assert part[s] == pytest.approx(lines[s])
    assert all(b > a for a, b in pairwise(part))
    assert all(abs(p - b) <= abs(f - b) + 1e-9 for p, b, f in zip(part, lines, full, strict=True))
    assert evened(lines, starts, 0) == pytest.approx(lines)


def heard(lines, bpm=120.0, steady=True, confidence=0.9, moments=None, per_bar=4):
    """What a recording with these bar lines gives; ``moments`` by bar, NaN where nothing is heard."""
    lines = np.asarray(lines, dtype=float)
    beats = np.concatenate([a + (b - a) * np.arange(per_bar) / per_bar for a, b in pairwise(lines)] + [lines[-1:]])
    near = beats.copy()
    if moments is not None:
        near[::per_bar] = moments
    return Beats(
        beats=beats,
        sure=np.full(len(beats), confidence),
        bar1=0,
        per_bar=per_bar,
        bpm=bpm,
        offset_s=float(beats[0]),
        spread_ms=1.0,
        steady=steady,
        confidence=confidence,
        bar_sure=1.0,
        typed_factor=1.0,
        drift_ms_per_min=0.0,
        heard=near,
    )


FOUR = TimeSignature(4, 4)
GRID = [1.0, 3.0, 5.0, 7.0, 9.0]


def test_what_is_heard_is_told_against_the_click_and_the_worst_bars_are_apart():
    answer = bars_heard(heard([1, 3, 5, 7], moments=[1.031, np.nan, 4.9, 7.0]), GRID, 120, 0)
    assert [b.off_ms for b in answer] == [31.0, None, -100.0, 0.0]
    assert [b.off_ms for b in bars_heard(heard([3, 5, 7]), GRID, 120, 1)] == [None, 0, 0, 0]
    assert {b.off_ms for b in bars_heard(heard([1, 3, 5, 7]), GRID, 60, 0)} == {None}
    assert worst_bars([31.0, None, -100.0, 0.0], 2, 1) == [0, 2]
    assert worst_bars([9.0, 8.0, 7.0, 1.0, 6.0], 2, 3) == [0, 4]
    assert worst_bars([None, None], 3, 1) == []


def test_drums_that_enter_late_are_counted_from_their_own_bar():
    late = heard([17.0, 19.0, 21.0])
    bars = [1.0 + 2 * i for i in range(14)]
    assert bars_before(late, bars, 120, None) == 8
    # Nobody placed bar 1: the pad begins at 1.2 s, eight bars before the drums.
    assert bars_before(late, [2.0 * i for i in range(14)], 120, 1.2) == 8
    assert bars_before(late, bars, 60, None) == 0


@pytest.mark.parametrize(
    ("lines", "more", "ways", "first"),
    [
        ([1, 3, 5, 7], {}, (), 0),
        ([1.0005, 3.0005, 5.0005, 7.0005], {}, (), 0.5),
        ([1.02, 3.02, 5.02, 7.02], {}, ("shift",), 20),
        ([1, 3.01, 5.02, 7.03], {}, ("both",), 0),
        ([1.02, 3.03, 5.04, 7.05], {}, ("both", "shift"), 20),
        ([1.02, 3.05, 5.0, 7.05], {"steady": False}, ("follow", "shift"), 20),
        ([1.5, 3.5, 5.5, 7.5], {"confidence": 0.2}, (), 500),
        ([1, 2, 3, 4], {"bpm": 240.0}, ("both",), 0),
    ],
)
def test_what_to_do_about_a_grid(lines, more, ways, first):
    advice = advise(heard(lines, **more), GRID, 120, 0, FOUR)
    assert (advice.ways, advice.first_ms) == (ways, pytest.approx(first))
    assert advice.unsure == (more.get("confidence") == 0.2)
    assert advice.factor == (2 if more.get("bpm") == 240 else 1)


def test_another_metre_is_named_in_the_beats_the_song_is_counted_in():
    assert [other_metre(TimeSignature.parse(m), n) for m, n in (("4/4", 3), ("6/8", 3), ("7/8", 4), ("4/4", None))] == [
        "3/4",
        "9/8",
        "4/8",
        None,
    ]


@given(st.floats(40, 220), st.integers(6, 24), st.integers(0, 2**31))
@settings(max_examples=150)
def test_taps_within_human_error_give_the_tempo_within_their_own_word(bpm, count, seed):
    rng = np.random.default_rng(seed)
    times = np.arange(count) * 60 / bpm + rng.normal(0, 0.012, count)
    answer, within = tapped(times)
    assert abs(answer - bpm) < 8 * within


def test_a_stray_a_doubled_and_a_missed_tap_do_not_matter_and_an_old_try_is_forgotten():
    beats = np.arange(12) * 0.5
    assert tapped(beats)[0] == pytest.approx(120, abs=0.01)
    assert tapped(np.append(beats, 2.71))[0] == pytest.approx(120, abs=0.5)
    assert tapped(np.delete(beats, 5))[0] == pytest.approx(120, abs=0.1)
    assert tapped(np.concatenate((np.arange(5) * 0.3, 60 + beats)))[0] == pytest.approx(120, abs=0.01)
    for taps, said in (
        ([], "three times"),
        ([1.0, 1.01, 1.02, 1.03], "too fast"),
        ([1.0, float("nan"), 2.0], "no number"),
    ):
        with pytest.raises(Refused, match=said):
            tapped(taps)


def test_a_metre_is_doubted_only_where_chords_say_another():
    rng = np.random.default_rng(1)
    noise = rng.uniform(0, 0.2, 96)
    threes, fours = noise + (np.arange(96) % 3 == 1) * 0.6, noise + (np.arange(96) % 4 == 2) * 0.6
    assert (metre_doubt(threes, 4), metre_doubt(fours, 4)) == (3, None)
    assert (metre_doubt(fours, 3), metre_doubt(noise, 4), metre_doubt(threes[:10], 4)) == (4, None, None)
