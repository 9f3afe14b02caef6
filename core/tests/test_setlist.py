"""What a setlist says of its entries: who is on in one, and what is heard from one to the next."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from material import LEVEL, RATE, ready, show, song, write_wav

from upbeat.play.advance import advance
from upbeat.play.presses import press
from upbeat.play.state import standing_by
from upbeat.show.differences import differences
from upbeat.show.document import read_show
from upbeat.show.dress_run.paper import line_up_faults
from upbeat.show.setlists_compared import setlist_differences
from upbeat.show.steps import Heard, step_between

PLAYERS = [{"id": "ana", "name": "Ana", "part": "bass"}, {"id": "bo", "name": "Bo", "part": ""}]


def twice(folder, players, on=("ana", "bo")):
    """One song twice, with a stem that covers Ana; ``players``: the exceptions of the second entry."""
    write_wav(folder / "one.wav", np.full(18 * RATE, LEVEL, np.float32))
    stem = {"id": "b", "name": "Bass", "file": "one.wav", "group": "tonal", "pan": -1}
    made = show(song(stems=[{**stem, "purpose": "covers", "covers": "ana"}]), players=PLAYERS, line_up={"on": list(on)})
    made["entries"] = [{"id": "e0", "song": "song"}, {"id": "e1", "song": "song", "players": players}]
    return made


def level_of(made, entry, *presses):
    """The gain in the middle of the first bar of an entry."""
    state, renderer = standing_by(entry), made.renderer()
    for name, args in (("go", {}), *presses):
        state, outcome = press(made.plan, state, name, args)
        assert outcome.accepted
    state, span = advance(made.plan, state, RATE)
    out = np.empty((renderer.rows, RATE), np.float32)
    renderer.render(span, out)
    return round(float(out[0, RATE // 2]) / LEVEL, 3)


@pytest.mark.parametrize(
    ("on", "players", "heard"),
    [
        (("ana", "bo"), [], (0.0, 0.0)),
        (("ana", "bo"), [{"player": "ana", "on": False}], (0.0, 1.0)),
        (("bo",), [{"player": "ana", "on": True}], (1.0, 0.0)),
        (("bo",), [{"player": "bo", "on": False}], (1.0, 1.0)),
    ],
)
def test_a_player_who_is_away_in_one_entry_is_covered_there_alone(tmp_path, on, players, heard):
    made = ready(twice(tmp_path, players, on), tmp_path)
    assert (level_of(made, 0), level_of(made, 1)) == heard


def test_what_is_said_on_the_spot_goes_before_what_an_entry_says(tmp_path):
    made = ready(twice(tmp_path, [{"player": "ana", "on": False}]), tmp_path)
    assert level_of(made, 1, ("player", {"player": "ana", "on": True})) == 0.0
    assert level_of(made, 0, ("player", {"player": "ana", "on": False})) == 1.0


def test_the_dress_run_says_where_nobody_plays_a_part(tmp_path):
    document = twice(tmp_path, [{"player": "bo", "on": False}])
    assert [(f.code, f.entry) for f in line_up_faults(read_show(document))] == [("nobody-plays", 2)]


def test_another_line_up_of_an_entry_is_a_difference(tmp_path):
    before, now = twice(tmp_path, []), twice(tmp_path, [{"player": "ana", "on": False}])
    assert [(d["kind"], d["song"]) for d in differences(before, now)] == [("entry_players", "Paper Boats")]


@pytest.mark.parametrize(
    ("before", "after", "semitones"),
    [
        ("C", "D", 2),
        ("D", "C", -2),
        ("C", "F#", 6),
        ("B", "C", 1),
        ("Am", "E minor", -5),
        ("Bb", "A#", 0),
        ("", "C", None),
    ],
)
def test_the_step_in_key_is_the_shorter_way_round(before, after, semitones):
    assert step_between(Heard(before, 100, None), Heard(after, 100, None))["semitones"] == semitones


def test_the_steps_in_tempo_and_loudness():
    step = step_between(Heard("C", 120, -18.04), Heard("C", 90, -15.0))
    assert (step["tempo_percent"], step["loudness_lu"]) == (-25.0, 3.0)
    assert step_between(Heard("C", 120, None), Heard("C", 90, -15.0))["loudness_lu"] is None


def kept(*entries, **changes):
    made = [
        {"id": f"id-{i}", "song": None, "form": "", "link": "wait", "link_seconds": 0.0, "note": "", **entry}
        for i, entry in enumerate(entries)
    ]
    return {"name": "Tour", "slot_minutes": 75, "starts_at": None, "entries": made, **changes}


def row(song, **changes):
    return {"id": f"e-{song}", "song": song, **changes}


def told(before, now):
    return [(d["kind"], d["entry"], d["place"], d["was"], d["now"]) for d in setlist_differences(before, now)]


def test_a_setlist_is_compared_by_what_came_went_moved_and_was_set():
    before = kept(row("a"), row("b"), row("c"), {"id": "i", "interval_minutes": 20}, row("d"))
    now = kept(
        row("c", form="short"),
        row("a"),
        {"id": "i", "interval_minutes": 15},
        row("b", link="after", link_seconds=4.0),
        row("e"),
        slot_minutes=60,
    )
    assert told(before, now) == [
        ("gone", "d", None, None, None),
        ("added", "e", 4, None, None),
        ("moved", "c", 1, None, None),
        ("moved", "", None, None, None),
        ("form", "c", 1, "", "short"),
        ("minutes", "", None, 20, 15),
        ("link", "b", 3, "wait", "after"),
        ("seconds", "b", 3, 0.0, 4.0),
        ("slot", "", None, 75, 60),
    ]


def test_two_setlists_are_compared_by_their_songs_where_they_share_no_entry():
    one = kept({"id": "1", "song": "a"}, {"id": "2", "song": "b"}, {"id": "3", "song": "a"})
    other = kept({"id": "4", "song": "b"}, {"id": "5", "song": "a", "note": "capo"})
    assert told(one, other) == [
        ("gone", "a", None, None, None),
        ("moved", "b", 1, None, None),
        ("note", "a", 2, "", "capo"),
    ]


def test_one_that_is_the_same_differs_in_nothing():
    assert told(kept(row("a"), row("b")), kept(row("a"), row("b"))) == []


@given(st.permutations(range(12)))
def test_the_fewest_moves_are_told(order):
    before = kept(*(row(f"s{i}") for i in range(12)))
    now = kept(*(row(f"s{i}") for i in order))
    moved = [d["entry"] for d in setlist_differences(before, now)]
    rest = [f"s{i}" for i in order if f"s{i}" not in moved]
    assert rest == sorted(rest, key=lambda s: int(s[1:]))
    # No longer run keeps its order.
    longest = [1] * 12
    for i in range(12):
        longest[i] = 1 + max((longest[k] for k in range(i) if order[k] < order[i]), default=0)
    assert len(rest) == max(longest)
