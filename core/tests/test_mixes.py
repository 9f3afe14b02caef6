"""A player's own mix (rule B3), pairs of sockets, and what is softer in mono."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from upbeat.errors import Refused
from upbeat.mix.routing import Column, Feed, Patch, Routing, Send, Socket, gain
from upbeat.outputs.checks import routing_checks
from upbeat.outputs.fold_down import fold_down
from upbeat.outputs.lost import StemSides, mono_losses
from upbeat.outputs.mixes import more_me
from upbeat.outputs.pairs import pairs_of
from upbeat.play.presses import PRESSES
from upbeat.play.rights import RIGHTS, has, may_press

OWN = {"stem:bass": "tonal"}


def heard(sends, stem, group):
    """How loud a stem is in a mix: by its group and by itself."""
    return sum(gain(s.gain_db) for s in sends if s.source in (stem, f"group:{group}"))


@given(levels=st.lists(st.floats(-40, 10), min_size=3, max_size=3), singly=st.booleans(), presses=st.integers(1, 5))
def test_more_of_me_keeps_what_is_mine_and_click_and_cues_and_lowers_the_rest(levels, singly, presses):
    sends = [Send("click", 1.0), Send("cues", -2.0), Send("group:tonal", levels[0]), Send("group:rhythm", levels[1])]
    sends += [Send("stem:bass", levels[2])] if singly else []
    now = tuple(sends)
    for _ in range(presses):
        now = more_me(now, OWN, "Wren")
    assert heard(now, "stem:bass", "tonal") == pytest.approx(heard(sends, "stem:bass", "tonal"), rel=0.002 * presses)
    after = {s.source: s.gain_db for s in now}
    assert (after["click"], after["cues"]) == (1.0, -2.0)
    for group, level in (("tonal", levels[0]), ("rhythm", levels[1])):
        assert after[f"group:{group}"] == pytest.approx(level - 3 * presses, abs=0.05)


def test_more_of_me_needs_something_of_mine_and_something_else():
    with pytest.raises(Refused, match="Nothing that stands in for Wren"):
        more_me([Send("group:rhythm")], OWN, "Wren")
    with pytest.raises(Refused, match="nothing else left"):
        more_me([Send("stem:bass"), Send("click")], OWN, "Wren")


@pytest.mark.parametrize(
    ("said", "pairs"),
    [
        ({}, [(1, 2), (3, 4), (5, 6)]),
        ({1: 1}, [(3, 4), (5, 6)]),
        ({2: 3}, [(2, 3), (5, 6)]),
        ({3: 2, 5: 4}, [(2, 3), (4, 5)]),
        ({1: 6, 6: 1}, [(1, 6), (3, 4)]),
        ({1: 40}, [(1, 2), (3, 4), (5, 6)]),
    ],
)
def test_pairs_are_as_usual_or_as_it_was_said(said, pairs):
    assert pairs_of([Socket(n, pair=said.get(n, 0)) for n in range(1, 7)]) == pairs


HOUSE = Feed(id="h", name="House", kind="house", sends=(Send("group:tonal"),))


def on(left, right, sockets):
    return Routing(
        (HOUSE,), sockets, (Patch(feed="h", side="left", socket=left), Patch(feed="h", side="right", socket=right))
    )


def test_a_pair_that_was_said_is_a_pair_to_the_checks_and_to_the_fold_down():
    box = (Socket(1, pair=1), *(Socket(n, pair=3 if n == 2 else 0) for n in (2, 3, 4)))
    apart = {c.title for c in routing_checks(on(2, 3, box))}
    assert "“House” is not on a pair" not in apart
    assert "“House” is not on a pair" in {c.title for c in routing_checks(on(1, 2, box))}
    folded = fold_down(on(1, 2, (Socket(1), Socket(2))), box[:3] + (Socket(4, use="kept"),))
    assert {p.socket for p in folded.patches} in ({1, 2}, {2, 3})
    fresh = fold_down(on(7, 8, (Socket(7), Socket(8))), box)
    assert [p.socket for p in fresh.patches] == [2, 3]


def test_what_is_softer_in_mono_is_told_with_figures_and_nothing_is_in_stereo():
    wide = np.array([[1.0, -0.5], [-0.5, 1.0]])
    stem = StemSides(
        id="s", name="Choir", song="“Kites”", powers=wide,
        columns=tuple(Column(source="stem:s", group="tonal", channel=c, channels=2) for c in range(2)),
    )  # fmt: skip
    sockets = (Socket(1), Socket(2))
    assert mono_losses(on(1, 2, sockets), [stem]) == []
    mono = Routing((HOUSE,), sockets, (Patch(feed="h", side="mono", socket=1, trim_db=-4.0),))
    [lost] = mono_losses(mono, [stem])
    # In stereo a half of the power on each of two sockets: 1; in mono (1 + 1 − 2·0.5) / 4.
    assert lost.db == pytest.approx(10 * np.log10(1 / 0.25), abs=0.01)
    assert lost.message == "“Choir” of “Kites” is 6.0 dB softer in mono."


def test_every_press_needs_a_right_and_each_right_has_those_before_it():
    own = {"feed:mine"}
    for least, right in enumerate(RIGHTS):
        allowed = {p for p in PRESSES if may_press(right, p, {"part": "feed:mine"}, own) is None}
        before = {p for p in PRESSES if may_press(RIGHTS[max(0, least - 1)], p, {"part": "feed:mine"}, own) is None}
        assert before <= allowed
        assert ("go" in allowed) == (right == "everything") == ("stop" in allowed)
        assert ("level" in allowed) == has(right, "own_mix")
    assert may_press("own_mix", "level", {"part": "feed:other"}, own).code == "right-missing"
    assert may_press("own_mix", "level", {"part": ["feed:mine"]}, own).code == "right-missing"
    assert may_press("king", "go", {}, own).code == "right-missing"


def test_a_group_that_no_wired_feed_takes_is_told_and_reference_stems_are_said_to_stay_out():
    ears = Feed(id="e", name="Ears", kind="monitor", channels=1, sends=(Send("feed:h"), Send("group:voices")))
    routing = Routing((HOUSE, ears), (Socket(1),), (Patch(feed="e", side="mono", socket=1),))
    titles = {c.title for c in routing_checks(routing)}
    told = {f"The group {g} reaches nothing" for g in ("rhythm", "effects", "full mix")}
    assert told == {t for t in titles if t.endswith("reaches nothing")}
    assert "Reference stems stay out of the house" in titles
    assert not any(t.title.endswith("reaches nothing") for t in routing_checks(Routing((HOUSE,), (Socket(1),), ())))
