"""Dividing a song: sections cover its bars without gaps, whatever is done (rule F1); locked ones keep their length."""

from dataclasses import replace
from itertools import count

import pytest
from hypothesis import given
from hypothesis import strategies as st

from upbeat.errors import Refused
from upbeat.play.advance import advance
from upbeat.play.compile import compile_entry
from upbeat.play.events import BarLine
from upbeat.play.plan import Link
from upbeat.play.presses import press
from upbeat.play.state import Place, stopped_at
from upbeat.song.excerpt import joined, looped
from upbeat.song.sections import (
    BarSpan,
    duplicate,
    join_with_next,
    mark_section,
    move_boundary,
    nearest_bar_line,
    remarked,
    resize,
    split_section,
)
from upbeat.song.side_by_side import side_by_side
from upbeat.song.song import Section, Song
from upbeat.song.stems import Stem
from upbeat.time.grid import Grid
from upbeat.time.meter import MeterMap, TimeSignature
from upbeat.time.tempo import TempoMap


def divided(*bars, locked=()):
    return remarked(
        tuple(
            Section(id=str(i), name=f"S{i}", bars=n, locked=i in locked, words=f"words {i}") for i, n in enumerate(bars)
        )
    )


def ids():
    return (f"n{i}" for i in count())


def lengths(sections):
    return [s.bars for s in sections]


class TestBoundaries:
    def test_a_locked_section_moves_whole(self):
        assert lengths(move_boundary(divided(8, 8, 8, locked=[1]), "1", 11)) == [10, 8, 6]
        assert lengths(move_boundary(divided(8, 8, 8, locked=[1]), "2", 15)) == [6, 8, 10]
        assert lengths(move_boundary(divided(8, 4, 4, 8, locked=[1, 2]), "2", 11)) == [6, 4, 4, 10]

    @pytest.mark.parametrize(
        ("locked", "section", "bar", "sentence"),
        [
            ([0], "1", 11, "“S0” is locked to its length"),
            ([2], "2", 15, "“S2” is locked to its length"),
            ([], "1", 1, "can start at bars 2 to 16"),
            ([], "1", 17, "can start at bars 2 to 16"),
            ([], "0", 3, "starts at bar 1"),
            ([], "x", 3, "no longer there"),
        ],
    )
    def test_what_cannot_move_says_why(self, locked, section, bar, sentence):
        with pytest.raises(Refused, match=sentence):
            move_boundary(divided(8, 8, 8, locked=locked), section, bar)

    def test_locked_lengths_are_kept(self):
        sections = divided(8, 8, 8, locked=[1])
        span = BarSpan(12, 20)
        edits = (
            lambda: resize(sections, "1", 4),
            lambda: split_section(sections, 12, "", "n"),
            lambda: join_with_next(sections, "0"),
            lambda: mark_section(sections, span, "X", ids()),
        )
        for edit in edits:
            with pytest.raises(Refused, match="“S1” is locked to 8 bars: unlock it first"):
                edit()
        # Named anew, bar for bar, it is another section.
        assert lengths(mark_section(sections, BarSpan(9, 16), "X", ids())) == [8, 8, 8]


class TestDividing:
    def test_a_section_starts_where_it_is_heard(self):
        assert [nearest_bar_line(9, p) for p in (0, 0.49, 0.5, 1, 7, -3)] == [9, 9, 10, 10, 10, 9]
        made = split_section(divided(8, 8), 12, "Bridge", "n")
        assert [(s.name, s.bars, s.mark) for s in made] == [("S0", 8, "A"), ("S1", 3, "B"), ("Bridge", 5, "C")]
        assert [s.words for s in made] == ["words 0", "words 1", ""]
        with pytest.raises(Refused, match="starts at bar 9 already"):
            split_section(divided(8, 8), 9, "", "n")
        with pytest.raises(Refused, match="bars 1 to 16"):
            split_section(divided(8, 8), 17, "", "n")

    def test_words_go_with_what_is_joined_and_covered(self):
        assert join_with_next(divided(4, 4), "0")[0].words == "words 0\nwords 1"
        assert mark_section(divided(4, 4, 4), BarSpan(3, 8), "X", ids())[1].words == "words 1"

    def test_the_places_of_lines_stay_on_their_bars(self):
        first, second = (replace(s, words=f"@2.3 [C]one {i}\n@4\ntwo") for i, s in enumerate(divided(4, 4)))
        joined_one = join_with_next((first, second), "0")[0]
        assert joined_one.words == "@2.3 [C]one 0\n@4\ntwo\n@6.3 [C]one 1\n@8\ntwo"
        assert mark_section((first, second), BarSpan(3, 8), "X", ids())[1].words == "@4.3 [C]one 1\n@6\ntwo"

    def test_once_more_takes_the_bars_after_it(self):
        made, span = duplicate(divided(4, 6, 2), "0", ids())
        assert [(s.name, s.bars) for s in made] == [("S0", 4), ("S0", 4), ("S1", 2), ("S2", 2)]
        assert span == BarSpan(5, 8)
        assert lengths(duplicate(divided(8, 3), "0", ids())[0]) == [8, 3]
        with pytest.raises(Refused, match="no bars after “S1”"):
            duplicate(divided(8, 3), "1", ids())

    @given(st.data())
    def test_whatever_is_done_the_bars_are_covered_once(self, data):
        sections = divided(
            *data.draw(st.lists(st.integers(1, 12), min_size=1, max_size=8)),
            locked=data.draw(st.sets(st.integers(0, 7))),
        )
        total, new = sum(lengths(sections)), ids()
        for _ in range(data.draw(st.integers(1, 8))):
            pick = data.draw(st.sampled_from(sections)).id
            first = data.draw(st.integers(-1, total + 2))
            kept = {s.id: s.bars for s in sections if s.locked}
            edit = data.draw(st.sampled_from(["mark", "split", "move", "join", "duplicate"]))
            try:
                changed = {
                    "mark": lambda: mark_section(
                        sections, BarSpan(first, first + data.draw(st.integers(0, 9))), "New", new
                    ),
                    "split": lambda: split_section(sections, first, "", next(new)),
                    "move": lambda: move_boundary(sections, pick, first),
                    "join": lambda: join_with_next(sections, pick),
                    "duplicate": lambda: duplicate(sections, pick, new)[0],
                }[edit]()
            except Refused as refused:
                assert str(refused)
                continue
            assert sum(lengths(changed)) == total
            assert min(lengths(changed)) >= 1
            assert len({s.id for s in changed}) == len(changed)
            assert [s.mark for s in changed] == [s.mark for s in remarked(changed)]
            for s in changed:
                assert s.id not in kept or s.bars == kept[s.id]
            sections = changed


def song(*bars):
    sections = divided(*bars)
    stem = Stem(id="d", name="Drums", file="d.wav", tacet=frozenset({"1"}))
    return Song(
        id="s",
        title="Song",
        grid=Grid(TempoMap.steady("120"), MeterMap([(1, TimeSignature(4, 4))])),
        sections=sections,
        forms=(),
        stems=(stem,),
    )


def played(excerpt, bars):
    """The source bars that the transport plays, one by one."""
    plan = compile_entry("x", excerpt, excerpt.form(None), Link(), 48000)
    from upbeat.play.plan import ShowPlan

    show = ShowPlan(48000, (plan,))
    state, _ = press(show, stopped_at(Place(0, 0, plan.steps[0].first_bar)), "resume")
    heard = []
    for _ in range(bars * 20 + 40):
        state, span = advance(show, state, 4800)
        heard += [e.bar for e in span.only(BarLine)]
        if state.silent:
            break
    return heard[:bars]


class TestExcerpts:
    def test_a_seam_is_the_last_two_bars_into_the_first_two(self):
        assert played(joined(song(4, 4, 8), "0", "2"), 9) == [3, 4, 9, 10]
        assert played(joined(song(4, 1, 8), "1", "1"), 9) == [5, 5]
        assert played(joined(song(3, 4), "0", "0"), 9) == [2, 3, 1, 2]

    def test_bars_go_round_and_round_across_sections_too(self):
        assert played(looped(song(4, 4), BarSpan(5, 6)), 7) == [5, 6, 5, 6, 5, 6, 5]
        assert played(looped(song(2, 2, 4), BarSpan(2, 5)), 9) == [2, 3, 4, 5, 2, 3, 4, 5, 2]
        assert played(looped(song(4), BarSpan(-3, 99)), 6) == [1, 2, 3, 4, 1, 2]

    def test_what_is_tacet_in_a_section_is_tacet_in_its_parts(self):
        made = joined(song(4, 4, 8), "1", "2")
        silent = {s.id for s in made.sections if s.id.startswith("1:")}
        assert made.stems[0].tacet == silent


class TestSideBySide:
    def test_the_same_step_stands_in_one_row(self):
        assert side_by_side([list("ABCDE"), list("ABDDE"), list("CE")]) == [
            [0, 0, None],
            [1, 1, None],
            [2, None, 0],
            [None, 2, None],
            [3, 3, None],
            [4, 4, 1],
        ]

    @given(st.lists(st.lists(st.sampled_from("ABCD"), max_size=8), min_size=1, max_size=4))
    def test_every_step_stands_once_and_in_order(self, forms):
        rows = side_by_side(forms)
        for k, form in enumerate(forms):
            assert [row[k] for row in rows if row[k] is not None] == list(range(len(form)))
        for row in rows:
            assert len({forms[k][i] for k, i in enumerate(row) if i is not None}) == 1
