"""Rule P8: a changed show takes the place of the loaded one, and nothing that sounds is interrupted."""

import copy
import random
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from material import LEVEL, RATE, onsets, ready, show, song, write_wav
from nights import PRESSES_OF_A_NIGHT, a_press, a_song

from upbeat.play.advance import advance
from upbeat.play.presses import press
from upbeat.play.runs import fits, tonights_order
from upbeat.play.state import standing_by
from upbeat.show.taking_in import ChangedShow, gone_on

BAR = 2 * RATE
RAMP = RATE // 200


class Playing:
    """A show that plays, with changes taken in as the engine does."""

    def __init__(self, made):
        self.show = ChangedShow(made)
        self.state, self.renderer = standing_by(), made.renderer()
        self.sound, self.events, self.changes = [], [], 0

    @property
    def made(self):
        return self.show.ready

    def press(self, name, **args):
        self.state, outcome = press(self.made.plan, self.state, name, args)
        return outcome

    def play(self, frames, block=4096):
        until = self.state.head + frames
        while self.state.head < until:
            self.state, span = advance(self.made.plan, self.state, min(block, until - self.state.head))
            out = np.empty((self.renderer.rows, span.end - span.start), np.float32)
            self.renderer.render(span, out)
            self.sound.append(out)
            self.events += span.events
        return self

    def take_in(self, now):
        self.changes += 1
        change = gone_on(self.show, self.state, now, str(self.changes))
        self.show, self.state, self.renderer = change.show, change.state, change.renderer(self.renderer)
        return self

    def heard(self):
        """The sound of sockets 1 to 4."""
        return np.concatenate([s[:4] for s in self.sound], axis=1)

    def title(self):
        return self.made.plan.entries[self.state.music.entry].title


def stems(**changes):
    return [
        {"id": "s", "name": "S", "file": "one.wav", "group": "tonal", "pan": -1, **changes},
        {"id": "n", "name": "N", "file": "noise.wav", "group": "tonal", "pan": 1},
    ]


def songs(*more, **changes):
    first = song(stems=stems(), **changes)
    second = song(id="two", title="Second", stems=[{"id": "t", "name": "T", "file": "one.wav", "group": "tonal"}])
    return [first, second, *more]


@pytest.fixture
def folder(tmp_path):
    write_wav(tmp_path / "one.wav", np.full(18 * RATE, LEVEL, np.float32))
    write_wav(tmp_path / "noise.wav", np.random.default_rng(5).uniform(-0.3, 0.3, 18 * RATE).astype(np.float32))
    return tmp_path


def edited(document, edit):
    document = copy.deepcopy(document)
    edit(document)
    return document


def both(folder, document, edit, before, after, **presses):
    """The sound with changes taken in after ``before`` frames, and without."""
    made = ready(document, folder)
    changed, plain = Playing(made), Playing(made)
    for one in (changed, plain):
        one.press("go")
        one.play(before)
    changed.take_in(ready(edited(document, edit), folder)).play(after)
    plain.play(after)
    return changed, plain


def of_other_songs(document):
    document["songs"][1].update(tempo=[{"bar": 1, "bpm": "140"}], title="Other")
    document["songs"][1]["stems"][0]["gain_db"] = -12
    document["palette"] = ["Hold"]
    document["feeds"].append({"id": "new", "name": "New", "kind": "monitor", "sends": [{"source": "click"}]})
    document["rig"]["sockets"].insert(0, {"number": 9})
    document["entries"].insert(0, {"id": "e9", "song": "two"})


def socket_rows(playing):
    return [s.number for s in playing.renderer.routing.sockets]


@pytest.mark.parametrize("frame", [1, 4 * RATE + 7, 3 * BAR, 5 * BAR + 100])
def test_what_sounds_is_the_same_bit_for_bit_where_nothing_of_it_was_changed(folder, frame):
    document = show(*songs(click={"accent": "beep", "beat": "rim"}))
    changed, plain = both(folder, document, of_other_songs, frame, 8 * BAR - frame)
    rows = [socket_rows(changed).index(n) for n in (1, 2, 3, 4)]
    late = np.concatenate([s[rows] if len(s) == 5 else s for s in changed.sound], axis=1)
    assert np.array_equal(late, plain.heard())
    assert plain.heard()[0].max() > 0.1
    assert changed.press("go").message == "Show is over" or changed.play(RATE).title() == "Other"


def test_a_level_of_what_sounds_is_there_after_the_ramp_and_nothing_else_moves(folder):
    document = show(*songs())
    changed, plain = both(folder, document, lambda d: d["songs"][0]["stems"][0].update(gain_db=-6), BAR, BAR)
    heard, was = changed.heard(), plain.heard()
    assert np.array_equal(heard[1:], was[1:])
    assert np.array_equal(heard[0, :BAR], was[0, :BAR])
    assert np.allclose(heard[0, BAR + RAMP :] / was[0, BAR + RAMP :], 10 ** (-6 / 20), rtol=1e-5)
    assert np.abs(np.diff(heard[0, BAR - 9 :])).max() <= LEVEL * (1 - 10 ** (-6 / 20)) / RAMP * 1.01


def test_a_level_by_hand_that_was_kept_in_the_song_is_not_heard_twice(folder):
    document = show(*songs())
    made = ready(document, folder)
    playing = Playing(made)
    playing.press("go")
    playing.press("level", part="stem:s", db=-6)
    playing.play(BAR)
    playing.take_in(ready(edited(document, lambda d: d["songs"][0]["stems"][0].update(gain_db=-6)), folder)).play(BAR)
    assert playing.state.hand.parts == ()
    after = playing.heard()[0, BAR:]
    assert np.allclose(after, after[0], rtol=1e-6)


def test_levels_of_a_section_and_tacet_come_at_once_also_in_the_sections_to_come(folder):
    document = show(*songs())
    made = ready(document, folder)
    playing = Playing(made)
    playing.press("go")
    playing.play(BAR)
    edit = lambda d: d["songs"][0]["stems"][0].update(levels={"b": -12.0}, tacet=["c"])
    playing.take_in(ready(edited(document, edit), folder)).play(7 * BAR)
    at = [playing.heard()[0, int(b * BAR)] for b in (2.5, 4.5, 7.5)]
    assert at[1] == pytest.approx(at[0] * 10 ** (-12 / 20), rel=1e-4)
    assert at[2] == pytest.approx(0, abs=1e-9)


def test_another_tempo_waits_until_the_song_is_over(folder):
    fast = lambda d: d["songs"][0].update(tempo=[{"bar": 1, "bpm": "240"}])
    changed, plain = both(folder, show(*songs()), fast, BAR, 7 * BAR + RATE)
    assert np.array_equal(changed.heard(), plain.heard())
    assert changed.title() == "Second"
    changed.press("stand_by", entry=0)
    begun = changed.state.head
    changed.press("go")
    changed.play(BAR)
    clicks = [f - begun for f in onsets(changed.heard()[2, begun:], apart=3000)]
    assert np.diff(clicks[:8]).tolist() == [RATE // 4] * 7


def test_a_song_that_is_stopped_goes_on_in_the_changed_one_at_its_section(folder):
    document = show(*songs())
    playing = Playing(ready(document, folder))
    playing.press("go")
    playing.play(4 * BAR + 1000)
    playing.press("stop")
    playing.play(RATE)
    assert playing.state.music.place.bar == 5
    longer = lambda d: d["songs"][0]["sections"].insert(0, {"id": "i", "name": "Intro", "bars": 4})
    playing.take_in(ready(edited(document, longer), folder))
    assert (playing.state.music.place.entry, playing.state.music.place.bar) == (0, 9)
    assert playing.press("resume").bar == 9


def test_where_its_section_is_gone_the_song_stands_by_from_its_top(folder):
    document = show(*songs())
    playing = Playing(ready(document, folder))
    playing.press("go")
    playing.play(4 * BAR + 1000)
    playing.press("stop")
    playing.play(RATE)
    shorter = lambda d: d["songs"][0]["sections"].pop(1)
    playing.take_in(ready(edited(document, shorter), folder))
    assert (playing.state.status, playing.state.music.entry) == ("standby", 0)


def test_stopped_after_changes_were_taken_in_it_goes_on_in_the_changed_one(folder):
    document = show(*songs())
    playing = Playing(ready(document, folder))
    playing.press("go")
    playing.play(4 * BAR + 1000)
    longer = lambda d: d["songs"][0]["sections"].insert(0, {"id": "i", "name": "Intro", "bars": 4})
    playing.take_in(ready(edited(document, longer), folder))
    playing.play(100)
    playing.press("stop")
    playing.play(RATE)
    assert playing.press("resume").bar == 9


def test_an_entry_that_is_deleted_plays_to_its_end_then_comes_what_followed_it(folder):
    third = song(id="three", title="Third", stems=[])
    changed, plain = both(folder, show(*songs(third)), lambda d: d["entries"].pop(0), BAR, 7 * BAR + 4 * RATE)
    assert np.array_equal(changed.heard(), plain.heard())
    assert changed.title() == "Second"
    titles = [changed.made.plan.entries[e].title for e in tonights_order(changed.made.plan, changed.state.music)]
    assert titles == ["Paper Boats", "Second", "Third"]
    # With the next change it is not in the order any more.
    changed.take_in(ready(edited(show(*songs(third)), lambda d: d["entries"].pop(0)), folder))
    assert changed.state.music.tonight.order == ()
    assert changed.title() == "Second"


def test_what_stands_by_and_is_deleted_gives_way_to_the_next(folder):
    document = show(*songs(song(id="three", title="Third", stems=[])))
    playing = Playing(ready(document, folder))
    playing.press("stand_by", entry=1)
    playing.take_in(ready(edited(document, lambda d: d["entries"].pop(1)), folder))
    assert playing.title() == "Third"


def test_tonights_order_is_kept_and_what_is_new_comes_where_it_is_listed(folder):
    document = show(*songs(song(id="three", title="Third", stems=[])))
    playing = Playing(ready(document, folder))
    playing.press("move", entry=2, to=0)
    playing.press("go")
    playing.play(BAR)

    def edit(d):
        d["songs"].append(song(id="four", title="Fourth", stems=[]))
        d["entries"].insert(2, {"id": "e4", "song": "four"})

    playing.take_in(ready(edited(document, edit), folder))
    titles = [playing.made.plan.entries[e].title for e in tonights_order(playing.made.plan, playing.state.music)]
    assert titles == ["Third", "Paper Boats", "Second", "Fourth"]


def test_another_socket_is_reached_by_a_ramp(folder):
    def edit(d):
        d["patch"][0]["socket"] = 4
        d["patch"].pop()

    changed, plain = both(folder, show(*songs()), edit, BAR, BAR)
    heard, was = changed.heard(), plain.heard()
    assert not heard[0, BAR + RAMP :].any()
    assert np.array_equal(heard[3, BAR + RAMP :], was[0, BAR + RAMP :])
    assert np.abs(np.diff(heard[3])).max() <= LEVEL / RAMP * 1.01


@pytest.mark.parametrize(("before_ms", "now_ms"), [(0, 20), (20, 0), (30, 10), (10, 30)])
def test_a_delay_changes_by_a_ramp(folder, before_ms, now_ms):
    delay = lambda ms: lambda d: d["patch"][1].update(delay_ms=ms)
    document = edited(show(*songs()), delay(before_ms))
    changed, plain = both(folder, document, delay(now_ms), BAR, BAR)
    _, at_once = both(folder, edited(show(*songs()), delay(now_ms)), lambda d: None, BAR, BAR)
    heard, there = changed.heard()[1], at_once.heard()[1]
    settled = BAR + RAMP + max(0, now_ms - before_ms) * 48
    assert np.array_equal(heard[:BAR], plain.heard()[1, :BAR])
    assert np.array_equal(heard[settled:], there[settled:])
    # On the way there is sound all the time: no more of it than in both together.
    assert np.abs(heard).max() <= 0.61
    assert np.abs(heard[BAR:settled]).reshape(-1, 40)[:4].max(axis=1).min() > 0.01


def test_a_player_who_is_not_on_any_more_is_covered_at_once(folder):
    document = show(*songs(), players=[{"id": "pia", "name": "Pia"}], line_up={"on": ["pia"]})
    document["songs"][0]["stems"][0] |= {"purpose": "covers", "covers": "pia"}
    changed, _ = both(folder, document, lambda d: d["line_up"].update(on=[]), BAR, BAR)
    assert np.abs(changed.heard()[0, :BAR]).max() < 1e-9
    assert changed.heard()[0, BAR + RAMP :].min() > 0.1


def test_a_sound_by_hand_that_rings_and_is_gone_rings_to_its_end_and_is_ended_with_its_group(folder):
    gong = {"id": "gong", "name": "Gong", "file": "noise.wav", "group": "tonal", "only": "g"}
    other = {"id": "bell", "name": "Bell", "file": "one.wav", "group": "tonal", "only": "g"}
    document = show(*songs(), hand_sounds=[gong, other])
    made = ready(document, folder)
    changed, plain = Playing(made), Playing(made)
    for one in (changed, plain):
        one.press("fire", sound="gong")
        one.play(RATE)
    gone = ready(edited(document, lambda d: d["hand_sounds"].pop(0)), folder)
    for one in (changed.take_in(gone), plain):
        one.play(RATE)
    changed.take_in(gone)
    for one in (changed, plain):
        one.play(RATE)
    assert np.array_equal(changed.heard(), plain.heard())
    assert changed.heard()[0].any()
    assert not changed.press("fire", sound="gong").accepted
    changed.press("fire", sound="bell")
    changed.play(RAMP + 10)
    assert [s.sound for s in changed.state.shots] == ["bell"]


def a_change(draw: random.Random, document):
    """A show that was edited somehow."""
    document = copy.deepcopy(document)
    edits = draw.randint(0, 3)
    for _ in range(edits):
        kind, entries = draw.choice(["delete", "add", "move", "section", "tempo", "link"]), document["entries"]
        one = draw.choice(document["songs"])
        if kind == "delete" and len(entries) > 1:
            entries.pop(draw.randrange(len(entries)))
        elif kind == "add":
            entries.insert(draw.randint(0, len(entries)), {"id": f"n{draw.random()}", "song": one["id"]})
        elif kind == "move":
            draw.shuffle(entries)
        elif kind == "section":
            one["sections"].append({"id": f"x{draw.random()}", "name": "More", "bars": 2})
        elif kind == "tempo":
            one["tempo"] = [{"bar": 1, "bpm": str(draw.randint(60, 190))}]
        else:
            draw.choice(entries)["link"] = {"kind": draw.choice(("attacca", "wait"))}
    return document


@settings(max_examples=25)
@given(st.integers(0, 1 << 30))
def test_random_nights_go_on_over_random_changes(tmp_path_factory, seed):
    draw, folder = random.Random(seed), tmp_path_factory.mktemp("night")
    document = show(*(a_song(draw, n) for n in range(draw.randint(1, 4))))
    playing = Playing(ready(document, folder))
    state = playing.state
    for _ in range(PRESSES_OF_A_NIGHT):
        name, args = a_press(draw, playing.made.plan)
        state, _ = press(playing.made.plan, state, name, args)
        if draw.random() < 0.15:
            document = a_change(draw, document)
            before = state
            playing.state = state
            playing.take_in(ready(document, folder))
            state = playing.state
            assert fits(playing.made.plan, state.music.tonight)
            assert (state.music.run is None) == (before.music.run is None)
            if before.music.run is not None:
                same = {"entry": 0, "step": 0}
                assert replace(state.music.run, **same) == replace(before.music.run, **same)
        for _ in range(draw.randint(1, 4)):
            state, _ = advance(playing.made.plan, state, draw.randint(1, RATE))
