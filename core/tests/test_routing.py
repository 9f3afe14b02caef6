"""Rules M1 to M5 on matrices; product of a matrix with sources as they lie."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from upbeat.mix.gains import feed_blocks, socket_rows
from upbeat.mix.matrix import Ramped, add_mixed, lane_weights, lanes_of
from upbeat.mix.routing import (
    Column,
    Feed,
    Patch,
    Routing,
    Send,
    Socket,
    routing_problems,
)
from upbeat.mix.sounding import sounds
from upbeat.outputs.checks import Delays, routing_checks
from upbeat.song.stems import Stem

HOUSE = Feed(id="h", name="House", kind="house", channels=2, gain_db=0, sends=(Send("group:rhythm"),))
CLICK = Feed(id="c", name="Click", kind="monitor", channels=1, gain_db=0, sends=(Send("click"),))
RIG = tuple(Socket(n) for n in (1, 2, 3))


@settings(max_examples=80)
@given(
    st.lists(st.integers(1, 4), min_size=1, max_size=7),
    st.integers(1, 9),
    st.integers(1, 50),
    st.randoms(use_true_random=False),
)
def test_m1_the_product_is_the_matrix_times_the_sources(channels, rows, frames, random):
    rng = np.random.default_rng(random.randint(0, 1 << 30))
    matrix = rng.standard_normal((rows, sum(channels))).astype(np.float32)
    starts = [sum(channels[:i]) for i in range(len(channels))]
    silent = [random.random() < 0.3 for _ in channels]
    for s, c, off in zip(starts, channels, silent, strict=True):
        if off:
            matrix[:, s : s + c] = 0
    stems = [rng.standard_normal((frames, c)).astype(np.float32) for c in channels]
    lanes = lanes_of(channels, [not off for off in silent])
    blocks = [np.ascontiguousarray(np.hstack([stems[i] for i in lane.stems]).T) for lane in lanes]
    made, loud = np.zeros((rows, frames), np.float32), [np.zeros(len(lane.stems), np.float32) for lane in lanes]
    add_mixed(lane_weights(matrix, lanes, starts), blocks, 0, made, slice(0, frames), loud)
    for lane, peaks in zip(lanes, loud, strict=True):
        assert peaks.tolist() == [abs(stems[i]).max() for i in lane.stems]
    assert np.allclose(made, matrix @ np.concatenate([s.T for s in stems]), atol=1e-4)


@settings(max_examples=40)
@given(st.integers(1, 9), st.integers(1, 9), st.integers(1, 1300), st.integers(0, 40), st.integers(0, 1 << 30))
def test_m1_stereo_of_int16_is_mixed_as_it_lies_in_its_file(stems, rows, frames, at, seed):
    rng = np.random.default_rng(seed)
    sound = rng.integers(-32768, 32768, (stems, at + frames, 2)).astype(np.int16)
    matrix = rng.standard_normal((rows, 2 * stems)).astype(np.float32) * (rng.random((rows, 2 * stems)) < 0.5)
    [lane] = lanes_of([2] * stems, [True] * stems)
    [weights] = lane_weights(matrix, [lane], range(0, 2 * stems, 2))
    before = rng.standard_normal((rows, frames + 8)).astype(np.float32)
    made, peaks = before.copy(), np.zeros(stems, np.float32)
    add_mixed([weights], [sound.view(np.int32)[:, :, 0]], at, made, slice(3, 3 + frames), [peaks])
    heard = sound[:, at:].astype(np.float64)
    wanted = before.astype(np.float64)
    wanted[:, 3 : 3 + frames] += matrix.astype(np.float64) @ heard.transpose(0, 2, 1).reshape(2 * stems, frames)
    assert np.abs(made - wanted).max() <= 1e-6 * 32768 * 2 * stems
    assert np.array_equal(made[:, :3], before[:, :3])
    assert np.array_equal(made[:, 3 + frames :], before[:, 3 + frames :])
    assert peaks.tolist() == np.abs(heard).max(axis=(1, 2)).tolist()


def test_m1_a_ramp_interrupted_goes_on_from_where_it_is():
    ramped = Ramped(np.ones((1, 1), np.float32), (1,))
    ramped.to(np.zeros((1, 1), np.float32), 100)
    first = ramped.mix([np.ones((1, 50), np.float32)], 50)[0]
    ramped.to(np.ones((1, 1), np.float32), 100)
    second = ramped.mix([np.ones((1, 150), np.float32)], 150)[0]
    assert np.allclose(first, 1 - np.arange(1, 51) / 100)
    assert np.allclose(second[:100], 0.5 + 0.5 * np.arange(1, 101) / 100)
    assert np.all(second[100:] == 1)


def test_a_mono_stem_is_panned_with_equal_power_and_a_stereo_one_balanced():
    columns = [
        Column(source="stem:a", group="rhythm", channel=0, channels=1, pan=0.0),
        Column(source="stem:b", group="rhythm", channel=0, channels=2, pan=1.0),
        Column(source="stem:b", group="rhythm", channel=1, channels=2, pan=1.0),
    ]
    left, right = feed_blocks(Routing((HOUSE,)), columns, [1, 1, 1]).heard["h"]
    assert left.tolist() == pytest.approx([np.sqrt(0.5), 0, 0], abs=1e-9)
    assert right.tolist() == pytest.approx([np.sqrt(0.5), 0, 1], abs=1e-9)


def test_m5_a_monitor_keeps_what_it_takes_from_a_pulled_house():
    riser = Feed(id="r", name="Riser", kind="monitor", channels=1, gain_db=0, sends=(Send("feed:h", -6),))
    rows = feed_blocks(Routing((HOUSE, riser)), [Column(source="stem:a", group="rhythm")], [1.0], house_on=False).heard
    assert not rows["h"].any()
    assert rows["r"].any()


def test_m2_rehearsal_only_never_reaches_the_house_by_any_way():
    both = Feed(id="m", name="Mix", kind="house", channels=1, gain_db=0, sends=(Send("feed:h"), Send("group:rhythm")))
    rows = feed_blocks(
        Routing((HOUSE, both)), [Column(source="stem:a", group="rhythm")], [1.0], barred=frozenset({"stem:a"})
    ).heard
    assert not rows["h"].any()
    assert not rows["m"].any()


# Purpose, its player away, tacet, muted, fallback -> sounds. Written down by hand from rule M2 and M6.
TRUTH = [
    ("always", False, False, False, False, True),
    ("always", False, True, False, False, False),
    ("always", False, False, True, False, False),
    ("always", True, False, False, True, False),
    ("covers", True, False, False, False, True),
    ("covers", False, False, False, False, False),
    ("covers", True, True, False, False, False),
    ("rehearsal", False, False, False, False, True),
    ("rehearsal", False, False, False, True, False),
    ("full_mix", False, False, False, False, False),
    ("full_mix", False, False, False, True, True),
    ("full_mix", False, True, False, True, True),
    ("full_mix", False, False, True, True, False),
    ("pad", False, False, False, False, False),
    ("pad", False, False, False, True, False),
]


@pytest.mark.parametrize(("purpose", "away", "tacet", "muted", "fallback", "expected"), TRUTH)
def test_m2_who_sounds(purpose, away, tacet, muted, fallback, expected):
    stem = Stem(id="s", name="S", file="s.wav", purpose=purpose, covers="p", muted=muted)
    assert sounds(stem, {"p"} if away else set(), {"s"} if tacet else set(), fallback) is expected


@pytest.mark.parametrize(
    ("feeds", "patches", "code"),
    [
        ((Feed(id="h", name="H", kind="house", channels=2, gain_db=0, sends=(Send("click"),)),), (), "click-in-house"),
        (
            (
                Feed(id="h", name="H", kind="house", channels=2, gain_db=0, sends=(Send("feed:x"),)),
                Feed(id="x", name="X", kind="monitor", channels=1, gain_db=0, sends=(Send("feed:c"),)),
                CLICK,
            ),
            (),
            "click-in-house",
        ),
        (
            (HOUSE, CLICK),
            (Patch(feed="h", side="left", socket=1), Patch(feed="c", side="mono", socket=1)),
            "click-in-house",
        ),
        (
            (
                Feed(id="a", name="A", kind="monitor", channels=1, gain_db=0, sends=(Send("feed:b"),)),
                Feed(id="b", name="B", kind="monitor", channels=1, gain_db=0, sends=(Send("feed:a"),)),
            ),
            (),
            "feed-loop",
        ),
        ((HOUSE,), (Patch(feed="h", side="left", socket=9),), "patch-socket-unknown"),
        ((HOUSE,), (Patch(feed="gone", side="left", socket=1),), "patch-feed-unknown"),
        (
            (HOUSE, CLICK),
            (Patch(feed="h", side="left", socket=1, delay_ms=1), Patch(feed="h", side="right", socket=1)),
            "socket-delays",
        ),
    ],
)
def test_m3_what_may_not_be_is_named(feeds, patches, code):
    assert code in [p.code for p in routing_problems(Routing(feeds, RIG, patches))]
    assert routing_checks(Routing(feeds, RIG, patches))[0].state == "wrong"


def test_checks_say_what_is_well_and_what_to_look_at():
    routing = Routing(
        (HOUSE, CLICK),
        (Socket(1, balanced=False), Socket(2), Socket(3, use="kept")),
        (Patch(feed="h", side="left", socket=1), Patch(feed="c", side="mono", socket=2)),
    )
    answer = {c.title: c.state for c in routing_checks(routing)}
    assert answer["Click stays out of the house"] == "ok"
    assert answer["Socket 1 is not balanced"] == "look"
    assert answer["One side of “House” is missing"] == "look"
    assert answer["Nobody hears the cues"] == "look"
    assert answer["Socket 3 left alone"] == "ok"


def test_the_patch_sums_trims_and_flips():
    routing = Routing(
        (HOUSE,),
        RIG,
        (
            Patch(feed="h", side="mono", socket=1),
            Patch(feed="h", side="left", socket=2, trim_db=-6.0206),
            Patch(feed="h", side="right", socket=3, invert=True),
        ),
    )
    rows = socket_rows(
        routing,
        feed_blocks(
            routing,
            [
                Column(source="stem:a", group="rhythm", channel=0, channels=2),
                Column(source="stem:a", group="rhythm", channel=1, channels=2),
            ],
            [1, 1],
        ).heard,
        np.zeros(2, dtype=bool),
    )
    assert np.allclose(rows, [[0.5, 0.5], [0.5, 0], [0, -1]], atol=1e-4)


MIX = Feed(id="m", name="Mix", kind="monitor", channels=2, sends=(Send("feed:c"), Send("group:tonal")))


def wire(feed, side, socket):
    return Patch(feed=feed, side=side, socket=socket)


@pytest.mark.parametrize(
    ("feeds", "sockets", "patches", "title", "after"),
    [
        ((HOUSE,), (1, 2), [("h", "left", 1)], "One side of “House” is missing", [("h", "mono", 1)]),
        ((HOUSE,), (1, 2), [("h", "left", 1), ("h", "right", 1)], "“House” meets itself", [("h", "mono", 1)]),
        ((HOUSE,), (1, 2, 3), [("h", "left", 2), ("h", "right", 3)], "“House” is not on a pair", None),
        ((HOUSE,), (1, 3, 4), [], "“House” goes nowhere", [("h", "left", 3), ("h", "right", 4)]),
        ((HOUSE,), (2,), [], "“House” goes nowhere", [("h", "mono", 2)]),
        ((HOUSE,), (), [], "“House” goes nowhere", None),
        ((CLICK, MIX), (1, 2), [("c", "mono", 1), ("m", "mono", 1)], "Socket 1 is shared", None),
    ],
)
def test_a_look_is_told_and_a_press_mends_it(feeds, sockets, patches, title, after):
    rig = tuple(Socket(n) for n in sockets)
    routing = Routing(feeds, rig, tuple(wire(*p) for p in patches))
    check = next(c for c in routing_checks(routing) if c.title == title)
    assert check.state == "look"
    assert (check.mend and [(p.feed, p.side, p.socket) for p in check.mend.patches]) == after
    if check.mend:
        mended = Routing(feeds, rig, check.mend.patches)
        assert routing_problems(mended) == []
        assert title not in [c.title for c in routing_checks(mended)]


@pytest.mark.parametrize(
    ("balanced", "metres", "told"),
    [(True, 40.0, None), (False, 2.0, None), (False, 16.0, "16 m"), (False, 0.0, "say how long")],
)
def test_a_di_box_is_asked_for_where_the_cable_is_long(balanced, metres, told):
    sockets = (Socket(1, balanced=balanced, cable_m=metres),)
    found = [c for c in routing_checks(Routing((CLICK,), sockets, (wire("c", "mono", 1),))) if "balanced" in c.title]
    assert [told in c.detail for c in found] == ([True] if told else [])


def test_the_interface_in_use_says_what_is_too_late_and_what_is_not_there():
    routing = Routing((CLICK,), (Socket(1), Socket(9)), (wire("c", "mono", 9),))
    found = {c.title: c for c in routing_checks(routing, Delays(out_ms=5.3, block_ms=5.3, outputs=8))}
    assert found["The interface is too small"].state == "wrong"
    assert "5 ms out, 16 ms for a microphone" in found["Delay through the computer"].detail
    assert "Too late for a voice" in found["Delay through the computer"].detail
    fast = {c.title: c.detail for c in routing_checks(routing, Delays(out_ms=4.0, block_ms=1.3, outputs=9))}
    assert "Too late" not in fast["Delay through the computer"]
    assert "The interface is too small" not in fast
