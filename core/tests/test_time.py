"""Rules T1 to T4: positions, tempo, metres, grid."""

import math
from fractions import Fraction

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from upbeat.errors import Refused
from upbeat.time.grid import Grid
from upbeat.time.meter import MeterMap, TimeSignature, counted
from upbeat.time.tempo import TempoMap, TempoPoint, parse_bpm, to_frame

bpms = st.decimals(min_value=20, max_value=400, places=2).map(Fraction)


@st.composite
def tempo_maps(draw, most=40):
    count = draw(st.integers(1, most))
    gaps = draw(st.lists(st.integers(1, 64), min_size=count - 1, max_size=count - 1))
    points, at = [], Fraction(0)
    for i in range(count):
        points.append(TempoPoint(at, draw(bpms), Fraction(1), draw(st.booleans())))
        at += gaps[i] if i < len(gaps) else 0
    return TempoMap(points)


def integrated(tempo: TempoMap, position: Fraction, steps: int = 4000) -> float:
    """The time of a position by adding up small pieces: slow, and owing nothing to the closed form."""
    total, h = 0.0, float(position) / steps
    edges = sorted({float(p.position) for p in tempo.points if 0 < p.position < position} | {0.0, float(position)})
    for a, b in zip(edges, edges[1:], strict=False):
        # From 20 to 400 bpm within a quarter note, 200 pieces are 3e-8 s off; 60 would be 3e-6.
        n = max(200, int((b - a) / h))
        width = (b - a) / n
        for i in range(n):
            # Simpson's rule inside one segment, where the tempo is a straight line.
            x = [a + width * (i + k) for k in (1e-12, 0.5, 1 - 1e-12)]
            f = [60 / float(tempo.bpm_at(Fraction(v))) for v in x]
            total += width / 6 * (f[0] + 4 * f[1] + f[2])
    return total


@settings(max_examples=25)
@given(tempo_maps(8), st.integers(1, 200))
def test_t2_a_ramp_lasts_what_its_integral_says(tempo, quarters):
    assert float(tempo.seconds_at(Fraction(quarters))) == pytest.approx(integrated(tempo, Fraction(quarters)), abs=2e-6)


@settings(max_examples=80)
@given(tempo_maps(), st.fractions(min_value=-8, max_value=3000, max_denominator=960))
def test_t2_seconds_and_back(tempo, position):
    assert tempo.position_at(tempo.seconds_at(position)) == pytest.approx(float(position), abs=1e-8)


@settings(max_examples=50)
@given(tempo_maps(), st.lists(st.fractions(min_value=-4, max_value=2000, max_denominator=48), min_size=2, max_size=30))
def test_t2_time_never_goes_back(tempo, positions):
    times = [tempo.seconds_at(p) for p in sorted(set(positions))]
    assert all(a < b for a, b in zip(times, times[1:], strict=False))


@settings(max_examples=40)
@given(bpms)
def test_t2_half_a_frame_after_three_hours(bpm):
    tempo = TempoMap.steady(bpm)
    beats = int(bpm * 180)
    exact = Fraction(beats) * 60 / bpm * 48000
    assert abs(to_frame(tempo.seconds_at(Fraction(beats)), 48000) - exact) <= Fraction(1, 2)


@settings(max_examples=100)
@given(
    tempo_maps(),
    st.lists(st.fractions(min_value=-8, max_value=3000, max_denominator=960), max_size=30),
    st.fractions(min_value=-5, max_value=600, max_denominator=44100),
    st.sampled_from([44100, 48000, 96000]),
)
def test_t2_many_frames_at_once_are_each_the_nearest(tempo, positions, offset, rate):
    assert tempo.frames_at(positions, rate, offset) == [to_frame(tempo.seconds_at(p) + offset, rate) for p in positions]


def test_t2_thousands_of_changes_gather_no_error():
    points = [TempoPoint(Fraction(i), Fraction(90 + i % 7)) for i in range(12_000)]
    exact = sum(Fraction(60) / (90 + i % 7) for i in range(11_999))
    assert abs(TempoMap(points).seconds_at(Fraction(11_999)) - exact) < Fraction(1, 2 * 48000)


def test_t2_a_ramp_is_the_logarithm():
    tempo = TempoMap([TempoPoint(Fraction(0), Fraction(60), ramp=True), TempoPoint(Fraction(8), Fraction(120))])
    assert float(tempo.seconds_at(Fraction(8))) == pytest.approx(8 * math.log(2), abs=1e-12)


def test_t2_a_bpm_names_its_unit():
    tempo = TempoMap.steady("64", Fraction(3, 2))
    assert tempo.seconds_at(Fraction(3)) == Fraction(120, 64)


def test_t1_felt_beats_follow_the_grouping():
    assert TimeSignature.parse("7/8", "2+2+3").felt_beats == (0, 1, 2)
    assert counted(TimeSignature.parse("6/8")).felt_beats == (0, Fraction(3, 2))
    assert TimeSignature.parse("3/4").felt_beats == (0, 1, 2)


def test_t1_bars_through_changes_of_metre():
    meters = MeterMap([(1, TimeSignature(4, 4)), (3, TimeSignature(7, 8)), (5, TimeSignature(3, 4))])
    assert [meters.bar_start(b) for b in (0, 1, 3, 4, 5, 6)] == [-4, 0, 8, Fraction(23, 2), 15, 18]
    assert [meters.bar_at(Fraction(p)) for p in (-1, 0, 8, 11.4, 11.5, 15)] == [0, 1, 3, 3, 4, 5]


@settings(max_examples=60)
@given(
    st.lists(
        st.tuples(st.integers(2, 300), st.integers(1, 16), st.sampled_from([2, 4, 8, 16])),
        max_size=12,
        unique_by=lambda c: c[0],
    ),
    st.integers(-3, 400),
)
def test_t1_a_bar_line_lies_in_the_bar_it_opens(changes, bar):
    meters = MeterMap([(1, TimeSignature(4, 4)), *((b, TimeSignature(n, d)) for b, n, d in changes)])
    assert meters.bar_at(meters.bar_start(bar)) == bar
    assert meters.bar_at(meters.bar_start(bar + 1) - Fraction(1, 1000)) == bar


def test_t3_moving_bar_1_moves_every_bar_alike():
    grid = Grid(TempoMap.steady("126.5"), MeterMap(), Fraction("1.25"))
    moved = Grid(grid.tempo, grid.meters, Fraction("1.281"))
    assert {moved.bar_seconds(b) - grid.bar_seconds(b) for b in (1, 40, 400)} == {Fraction("0.031")}


@pytest.mark.parametrize("value", ["", "fast", "0", "-3", "1e9", "nan", "1/0", None])
def test_a_tempo_that_is_none_gets_a_sentence(value):
    with pytest.raises(Refused, match=r"tempo"):
        parse_bpm(value)


@pytest.mark.parametrize(
    ("meter", "grouping"),
    [("0/4", None), ("4/3", None), ("seven", None), ("7/8", "2+2+2"), ("7/8", "2++3"), ("65/4", None)],
)
def test_a_metre_that_is_none_gets_a_sentence(meter, grouping):
    with pytest.raises(Refused):
        TimeSignature.parse(meter, grouping)
