"""Parts by hand (rule M7), found in the samples."""

import random

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from material import LEVEL, RATE, gains, steady

from upbeat.play.advance import advance
from upbeat.play.presses import press
from upbeat.play.state import standing_by
from upbeat.play.view import parts_now
from upbeat.show.replay import LoggedPress, Night
from upbeat.show.report import report

BAR, RAMP = 2 * RATE, round(0.005 * RATE)
EARS = [
    {"id": "house", "name": "House", "kind": "house", "sends": [{"source": "group:tonal"}, {"source": "group:rhythm"}]},
    {
        "id": "ears",
        "name": "Ears",
        "kind": "monitor",
        "alone": True,
        "sends": [{"source": s} for s in ("group:tonal", "group:rhythm", "click", "cues")],
    },
]


class Player:
    """A show played span by span, with what is heard on each socket."""

    def __init__(self, made, block=4800):
        self.made, self.block = made, block
        self.state, self.renderer = standing_by(), made.renderer()
        self.heard = []

    def press(self, name, **args):
        self.state, outcome = press(self.made.plan, self.state, name, args)
        return outcome

    def to(self, frame):
        while self.state.head < frame:
            self.state, span = advance(self.made.plan, self.state, min(self.block, frame - self.state.head))
            out = np.empty((self.renderer.rows, span.end - span.start), dtype=np.float32)
            self.renderer.render(span, out)
            self.heard.append(out)
        return self

    @property
    def sound(self):
        return np.concatenate(self.heard, axis=1)

    @property
    def gain(self):
        return gains(self.sound)

    def go(self):
        """Start, and tell the frame of bar 1."""
        assert self.press("go").accepted
        return self.state.music.run.out_start


@pytest.fixture
def one(tmp_path):
    return Player(steady(tmp_path, {}, count_in={"bars": 0}))


def test_a_level_by_hand_is_a_ramp_of_five_milliseconds_and_adds_to_what_is_prepared(tmp_path):
    player = Player(steady(tmp_path, {"gain_db": -6}, count_in={"bars": 0}))
    begin = player.go()
    player.to(begin + BAR)
    assert player.press("level", part="stem:s0", db=-6).accepted
    at = player.state.head
    player.to(begin + 2 * BAR)
    gain = player.gain
    assert gain[at - 1] == pytest.approx(10 ** (-6 / 20), abs=1e-4)
    assert gain[at + RAMP :] == pytest.approx(10 ** (-12 / 20), abs=1e-4)
    assert np.abs(np.diff(gain[at - 1 : at + RAMP])).max() <= 0.26 / RAMP


@pytest.mark.parametrize(("by", "db"), [(-3, -3), (100, 12), (-100, -60)])
def test_a_level_moved_by_some_decibels_stays_in_its_range(one, by, db):
    assert one.press("level", part="stem:s0", by=by).accepted
    assert parts_now(one.made.plan, one.state)[0]["db"] == db


def test_off_is_silence_and_the_next_step_up_begins_at_the_lowest_level(one):
    begin = one.go()
    one.to(begin + BAR)
    one.press("level", part="stem:s0", off=True)
    one.to(begin + 2 * BAR)
    assert not one.gain[begin + BAR + RAMP :].any()
    one.press("level", part="stem:s0", by=1)
    assert parts_now(one.made.plan, one.state)[0]["db"] == -59


@pytest.mark.parametrize("block", [256, 4801, 200_000])
@pytest.mark.parametrize(("when", "bars"), [("next_bar", 2), ("section_end", 3)])
def test_out_and_in_are_at_the_frame_of_the_bar_line(tmp_path, block, when, bars):
    player = Player(steady(tmp_path, {}, count_in={"bars": 0}), block)
    begin = player.go()
    player.to(begin + BAR + 5000)
    outcome = player.press("in_out", part="stem:s0", on=False, when=when)
    line = begin + bars * BAR
    assert (outcome.accepted, outcome.bar) == (True, bars + 1)
    assert outcome.frame == (line if when == "next_bar" else None)
    player.to(begin + 4 * BAR)
    gain = player.gain
    # Nothing of the bar that begins there is heard of what goes out, and all of what comes in.
    assert gain[line - RAMP - 1] == pytest.approx(1, abs=1e-4)
    assert 0 < gain[line - 2] < 0.01
    assert not gain[line:].any()
    player.press("in_out", part="stem:s0", when="next_bar")
    player.to(begin + 7 * BAR)
    line = begin + 5 * BAR
    assert not player.gain[line - RAMP - 1]
    assert player.gain[line:] == pytest.approx(1, abs=1e-4)


def test_over_beats_is_a_line_from_the_bar_line_over_so_many_counted_beats(one):
    begin = one.go()
    one.to(begin + 100)
    one.press("in_out", part="stem:s0", on=False, when="next_bar", beats=4)
    one.to(begin + 4 * BAR)
    for beats in (0, 1, 2, 3):
        assert one.gain[begin + BAR + beats * BAR // 4] == pytest.approx(1 - beats / 4, abs=1e-4)
    assert not one.gain[begin + 2 * BAR :].any()


@pytest.mark.parametrize("more", [{}, {"treatment": {}}])
def test_a_feed_that_changes_over_beats_goes_on_where_a_section_is_at_another_level(tmp_path, more):
    player = Player(steady(tmp_path, {"levels": {"b": -6}, **more}, count_in={"bars": 0}))
    begin = player.go()
    at, line = begin + 3 * BAR - BAR // 2, begin + 3 * BAR
    player.to(at)
    player.press("level", part="feed:house", db=-60, beats=8)
    player.to(at + 3 * BAR)
    fade = 1 - (1 - 10 ** (-60 / 20)) * np.clip(np.arange(1, 3 * BAR + 1) / (2 * BAR), 0, 1)
    step = np.where(np.arange(3 * BAR) < line - at, 1, 10 ** (-6 / 20))
    off = np.abs(player.gain[at : at + 3 * BAR] - fade * step)
    assert off[: line - at - RAMP].max() < 1e-4
    assert off[line - at + 2 * RAMP :].max() < 1e-4
    assert np.abs(np.diff(player.gain[at:])).max() <= 1 / RAMP


@pytest.mark.parametrize("more", [{}, {"treatment": {}}])
def test_a_feed_that_changes_over_beats_goes_on_where_one_of_its_stems_is_touched(tmp_path, more):
    player = Player(steady(tmp_path, more, count_in={"bars": 0}))
    begin = player.go()
    player.to(begin + BAR)
    player.press("level", part="feed:house", db=-60, beats=4)
    player.to(begin + BAR + BAR // 4)
    player.press("level", part="stem:s0", db=-6)
    player.to(begin + 3 * BAR)
    for beats in (2, 3):
        left = 1 - (1 - 10 ** (-60 / 20)) * beats / 4
        assert player.gain[begin + BAR + beats * BAR // 4] == pytest.approx(left * 10 ** (-6 / 20), abs=1e-4)


@pytest.mark.parametrize("press", [("level", {"db": -60}), ("in_out", {"on": False})])
def test_a_section_that_begins_soon_after_a_press_is_the_same_however_spans_are_cut(tmp_path, press):
    name, args = press
    sounds = []
    for block in (256, 4801, 200_000):
        player = Player(steady(tmp_path, {"levels": {"b": -6}}, count_in={"bars": 0}), block)
        at = player.go() + 3 * BAR - RATE // 5
        player.to(at)
        assert player.press(name, part="feed:house", beats=2, **args).accepted
        sounds.append(player.to(at + 2 * BAR).sound)
    np.testing.assert_array_equal(sounds[0], sounds[1])
    np.testing.assert_array_equal(sounds[0], sounds[2])


@pytest.mark.parametrize("jumps", [False, True])
@pytest.mark.parametrize("more", [{}, {"treatment": {}}])
def test_a_change_of_mind_in_the_midst_of_a_fade_goes_on_where_a_section_begins(tmp_path, more, jumps):
    player = Player(steady(tmp_path, {"levels": {"b": -6}, **more}, count_in={"bars": 0}))
    line = player.go() + 3 * BAR
    player.to(line - 3 * BAR // 2)
    player.press("in_out", part="feed:house", on=False, beats=8)
    player.to(line - BAR // 2)
    player.press("in_out", part="feed:house", beats=8)
    if jumps:
        assert player.press("go_to", step=1, when="next_bar").accepted
    player.to(line + 2 * BAR)
    # It had come to a half, and goes on to the whole in two bars.
    fade = np.minimum(1, 0.5 + 0.5 * np.arange(BAR // 2, 5 * BAR // 2) / (2 * BAR)) * 10 ** (-6 / 20)
    seam = slice(500, None)  # a jump crossfades two equal sounds before that
    assert player.gain[line : line + 2 * BAR][seam] == pytest.approx(fade[seam], abs=1e-3)


def test_over_beats_long_before_the_first_beat_is_as_long_as_the_first_ones(tmp_path):
    player = Player(steady(tmp_path, {}, count_in={"bars": 8}))
    begin = player.go()
    assert begin > 14 * RATE
    player.press("in_out", part="click", on=False, beats=4)
    assert player.state.hand.moves[0].frames == BAR


def test_what_moves_over_beats_goes_on_across_a_jump(one):
    begin = one.go()
    one.to(begin + 100)
    one.press("in_out", part="stem:s0", on=False, beats=8)
    one.press("go_to", step=0, when="next_bar")
    one.to(begin + 3 * BAR)
    seam = begin + BAR
    # Under the crossfade both sides are one signal: +3 dB in its middle, nothing else.
    after = slice(seam + 500, seam + 4000)
    line = 1 - (np.arange(after.start, after.stop) - begin - 100) / (2 * BAR)
    assert one.gain[after] == pytest.approx(line, abs=1e-3)


def test_a_jump_before_its_bar_line_brings_it_with_the_bar_line_that_is_heard(one):
    begin = one.go()
    one.to(begin + 100)
    one.press("in_out", part="stem:s0", on=False, when="section_end")
    one.press("go_to", step=2, when="next_bar")
    one.to(begin + 2 * BAR)
    seam = begin + BAR
    assert one.gain[seam - 300] == pytest.approx(1, abs=1e-4)
    assert not one.gain[seam:].any()


def test_the_same_press_takes_back_what_waits(one):
    begin = one.go()
    one.to(begin + 100)
    for _ in range(2):
        assert one.press("in_out", part="stem:s0", on=False, when="next_bar").accepted
    assert parts_now(one.made.plan, one.state) == []
    one.to(begin + 2 * BAR)
    assert one.gain[begin + RAMP :] == pytest.approx(1, abs=1e-4)


def test_a_stem_whose_player_is_on_and_one_that_is_tacet_are_brought_in(tmp_path):
    stems = ({"purpose": "covers", "covers": "pia"}, {"tacet": ["a"]})
    player = Player(steady(tmp_path, *stems, count_in={"bars": 0}))
    begin = player.go()
    player.to(begin + BAR)
    assert not player.gain.any()
    for stem in ("stem:s0", "stem:s1"):
        assert player.press("in_out", part=stem, on=True).accepted
    player.to(begin + 2 * BAR)
    assert player.gain[-1] == pytest.approx(2, abs=1e-3)


def test_a_full_mix_is_not_brought_in_beside_the_stems_nor_a_rehearsal_stem_in_the_house(tmp_path):
    stems = ({"purpose": "full_mix"}, {"purpose": "rehearsal"})
    player = Player(steady(tmp_path, *stems, count_in={"bars": 0}))
    begin = player.go()
    for stem in ("stem:s0", "stem:s1"):
        player.press("in_out", part=stem, on=True)
    player.to(begin + BAR)
    assert not player.gain.any()


def test_as_prepared_takes_one_beat_and_is_then_bit_for_bit_the_prepared_show(tmp_path):
    made = steady(tmp_path, {}, {"group": "rhythm", "gain_db": -3})
    plain, by_hand = Player(made), Player(made)
    begin = plain.go()
    by_hand.go()
    by_hand.to(begin + BAR)
    for name, args in (
        ("level", {"part": "stem:s0", "db": 5}),
        ("level", {"part": "click", "db": -10}),
        ("level", {"part": "feed:house", "db": -10}),
        ("in_out", {"part": "stem:s1", "on": False}),
        ("in_out", {"part": "cues", "on": False, "when": "section_end"}),
        ("alone", {"part": "stem:s0", "in_house": True}),
    ):
        assert by_hand.press(name, **args).accepted, name
    by_hand.to(begin + 2 * BAR + 1234)
    at = by_hand.state.head
    assert by_hand.press("as_prepared").accepted
    plain.to(begin + 7 * BAR)
    by_hand.to(begin + 7 * BAR)
    a, b = plain.sound, by_hand.sound
    assert np.array_equal(a[:, : begin + BAR], b[:, : begin + BAR])
    assert not np.array_equal(a[:, at - 100 : at], b[:, at - 100 : at])
    beat = at + RATE // 2
    assert not np.array_equal(a[:, beat - 200 : beat - 100], b[:, beat - 200 : beat - 100])
    assert np.array_equal(a[:, beat:], b[:, beat:])
    assert parts_now(made.plan, by_hand.state) == []


def test_a_part_alone_is_heard_so_where_that_is_asked_for_and_never_in_the_house_unless_it_is(tmp_path):
    rig = {
        "feeds": EARS,
        "rig": {"name": "r", "sockets": [{"number": n} for n in (1, 2)]},
        "patch": [{"feed": "house", "side": "left", "socket": 1}, {"feed": "ears", "side": "left", "socket": 2}],
    }
    made = steady(tmp_path, {}, {"group": "rhythm"}, show=rig, count_in={"bars": 0})
    player = Player(made)
    player.renderer.set_taps(["house"])
    begin = player.go()

    def heard(name, **args):
        assert player.press(name, **args).accepted
        player.to(player.state.head + 9600)
        # Between two clicks.
        return (player.sound[:, begin + 12_000 :][:, -100] / LEVEL).round(3).tolist()

    player.to(begin + 4800)
    assert heard("mark")[:3] == [2, 2, 2]
    assert heard("alone", part="stem:s0")[:3] == [2, 1, 1]
    assert heard("alone", part="stem:s0", in_house=True)[:3] == [1, 1, 1]
    assert heard("alone", part="stem:s0", on=False)[:3] == [2, 2, 2]


def test_a_feed_by_hand_is_changed_for_the_room_and_not_for_who_takes_from_it(tmp_path):
    feeds = [EARS[0], {**EARS[1], "sends": [{"source": "feed:house"}]}]
    rig = {
        "feeds": feeds,
        "rig": {"name": "r", "sockets": [{"number": n} for n in (1, 2)]},
        "patch": [{"feed": "house", "side": "left", "socket": 1}, {"feed": "ears", "side": "left", "socket": 2}],
    }
    player = Player(steady(tmp_path, {}, show=rig, count_in={"bars": 0}))
    begin = player.go()
    player.press("in_out", part="feed:house", on=False)
    player.to(begin + BAR)
    assert (player.sound[:, -1] / LEVEL).round(4).tolist() == [0, 1]


@pytest.mark.parametrize(
    ("name", "args", "code"),
    [
        ("level", {"part": "stem:none", "db": 0}, "part-unknown"),
        ("level", {"part": "stem:s0", "db": 13}, "level-range"),
        ("level", {"part": "stem:s0", "db": float("nan")}, "level-range"),
        ("level", {"part": "stem:s0", "db": 0, "beats": 33}, "part-beats"),
        ("in_out", {"part": "feed:none"}, "part-unknown"),
        ("in_out", {"part": "stem:s0"}, "part-same"),
        ("alone", {"part": "feed:house"}, "alone-feed"),
        ("as_prepared", {"part": "x"}, "part-unknown"),
    ],
)
def test_what_cannot_be_done_is_said(one, name, args, code):
    before = one.state
    outcome = one.press(name, **args)
    assert (outcome.accepted, outcome.code, one.state) == (False, code, before)


@settings(max_examples=60)
@given(seed=st.integers(0, 1 << 32))
def test_no_step_is_larger_than_a_ramp_makes_whatever_is_pressed(tmp_path_factory, seed):
    draw = random.Random(seed)
    folder = tmp_path_factory.getbasetemp()
    stems = ({}, {"group": "rhythm", "tacet": ["a"]}, {"purpose": "covers", "covers": "pia"})
    # Jumps are of another test: here the song goes on.
    player = Player(steady(folder, *stems, count_in={"bars": 0}, click={"gain_db": -120}, calls=False))
    begin = player.go()
    player.to(begin + 4800)
    parts = ("stem:s0", "stem:s1", "stem:s2", "feed:house")
    for _ in range(30):
        part, beats = draw.choice(parts), draw.choice((0, 0, 1, 4))
        match draw.randrange(4):
            case 0:
                player.press("level", part=part, db=draw.uniform(-60, 6), beats=beats)
            case 1:
                player.press("level", part=part, off=True, beats=beats)
            case 2:
                on = draw.choice((True, False, None))
                player.press("in_out", part=part, on=on, when=draw.choice(("at_once", "next_bar")), beats=beats)
            case 3:
                player.press("as_prepared")
        player.to(player.state.head + draw.randrange(1, 12_000))
    # Three stems at +6 dB and the feed at +6 dB are the most that a ramp leads from and to.
    most = 3 * 2 * 2
    assert np.abs(np.diff(player.gain[begin + 4800 :])).max() <= 1.01 * most / RAMP


def test_p12_the_report_tells_what_was_other_than_prepared_at_the_end_of_a_song(tmp_path):
    made = steady(tmp_path, {"name": "Organ"}, {"name": "Drums"}, count_in={"bars": 0})
    start = standing_by()
    asked = [
        (0, "go", {}),
        (RATE, "level", {"part": "stem:s0", "db": -4}),
        (2 * RATE, "level", {"part": "stem:s1", "db": 3}),
        (3 * RATE, "in_out", {"part": "click", "on": False, "when": "next_bar"}),
        (4 * RATE, "as_prepared", {"part": "stem:s1"}),
        (20 * RATE, "level", {"part": "stem:s1", "db": -9}),
    ]
    presses = tuple(
        LoggedPress(n=n, frame=frame, heard=frame, press=name, args=args) for n, (frame, name, args) in enumerate(asked)
    )
    (played,) = report(made, Night(start, presses, (), 21 * RATE, ({},)))
    assert played["levels_changed"] == [
        {"part": "click", "name": "The click", "db": 0.0, "on": False, "becomes": None},
        {"part": "stem:s0", "name": "Organ", "db": -4, "on": None, "becomes": -4},
    ]
