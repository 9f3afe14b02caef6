"""Rules F1 to F3: sections cover the song, forms list steps, endings."""

from itertools import count

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from upbeat.errors import Refused
from upbeat.show.running import Lasting, running_times
from upbeat.song.forms import Ending
from upbeat.song.sections import (
    BarSpan,
    fit_to_bars,
    join_with_next,
    mark_section,
    move_boundary,
    rehearsal_mark,
    remarked,
    resize,
)
from upbeat.song.song import Section


def sections(*bars):
    return remarked(tuple(Section(id=str(i), name=f"S{i}", bars=n) for i, n in enumerate(bars)))


@settings(max_examples=150)
@given(st.lists(st.integers(1, 12), min_size=1, max_size=8), st.data())
def test_f1_marking_keeps_the_song_covered(bars, data):
    total = sum(bars)
    first = data.draw(st.integers(1, total))
    last = data.draw(st.integers(first, total))
    ids = count(100)
    after = mark_section(sections(*bars), BarSpan(first, last), "New", (str(next(ids)) for _ in iter(int, 1)))
    assert sum(s.bars for s in after) == total
    starts = [1 + sum(s.bars for s in after[:i]) for i in range(len(after))]
    assert (first, last - first + 1, "New") in [(a, s.bars, s.name) for a, s in zip(starts, after, strict=True)]
    assert len({s.id for s in after}) == len(after)
    assert [s.mark for s in after] == [rehearsal_mark(i) for i in range(len(after))]


@settings(max_examples=80)
@given(st.lists(st.integers(1, 9), min_size=2, max_size=6), st.data())
def test_f1_a_moved_start_moves_the_neighbours_end(bars, data):
    before = sections(*bars)
    i = data.draw(st.integers(1, len(bars) - 1))
    to = data.draw(st.integers(-2, sum(bars) + 3))
    low = 1 + sum(bars[: i - 1])
    if not low < to < low + bars[i - 1] + bars[i]:
        with pytest.raises(Refused):
            move_boundary(before, str(i), to)
        return
    after = move_boundary(before, str(i), to)
    assert [s.bars for j, s in enumerate(after) if j not in (i - 1, i)] == [
        b for j, b in enumerate(bars) if j not in (i - 1, i)
    ]
    assert (after[i - 1].bars, after[i].bars) == (to - low, low + bars[i - 1] + bars[i] - to)


def test_joining_and_fitting():
    assert [s.bars for s in join_with_next(sections(4, 3, 2), "0")] == [7, 2]
    assert [s.bars for s in fit_to_bars(sections(4, 3, 2), 6)] == [4, 2]
    assert [s.bars for s in fit_to_bars(sections(4, 3, 2), 20)] == [4, 3, 13]


@pytest.mark.parametrize(
    "bad",
    [
        lambda: Section(id="a", name="Empty", bars=0),
        lambda: Ending("da capo"),
        lambda: Ending("repeat", 1),
        lambda: join_with_next(sections(4), "0"),
    ],
)
def test_f3_what_cannot_be_is_refused(bad):
    with pytest.raises(Refused):
        bad()


def test_rehearsal_marks_go_on_past_z():
    assert [rehearsal_mark(i) for i in (0, 25, 26, 27, 52)] == ["A", "Z", "AA", "BB", "AAA"]


def test_running_times_count_in_only_out_of_silence():
    starts, whole = running_times(
        [Lasting(100, 4), Lasting(60, 5, "attacca"), Lasting(30, 3, "after", 12), Lasting(10, 2)]
    )
    assert starts == [0, 104, 169, 211]
    assert whole == 223


def test_running_times_have_the_talk_that_is_expected_between_songs_and_none_after_the_last():
    starts, whole = running_times(
        [Lasting(100, 4, "wait", 90), Lasting(60, 5, "attacca", 30), Lasting(30, 3, "wait", 60)]
    )
    assert (starts, whole) == ([0, 194, 259], 289)


def test_a_section_is_resized_and_its_neighbour_or_the_song_gives_way():
    sections = tuple(Section(id=i, name=i, bars=n) for i, n in (("a", 4), ("b", 4), ("c", 4)))
    assert [s.bars for s in resize(sections, "a", 6)] == [6, 2, 4]
    assert [s.bars for s in resize(sections, "b", 1)] == [4, 1, 7]
    assert [s.bars for s in resize(sections, "c", 9)] == [4, 4, 9]
    for bars, said in ((0, "at least one"), (8, "both sections keep")):
        with pytest.raises(Refused, match=said):
            resize(sections, "a", bars)
