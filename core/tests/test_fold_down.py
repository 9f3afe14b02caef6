"""A show on another rig (rule M4): by the stated rules, with nothing of the house lost and no click in it."""

import json
import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from material import RATE, ready, show, song, write_wav
from test_sound import bounced

from upbeat.cli import main
from upbeat.errors import Refused
from upbeat.mix.routing import Feed, Patch, Routing, Send, Socket, routing_problems
from upbeat.outputs.fold_down import fold_down
from upbeat.outputs.lost import lost
from upbeat.show.bundle import open_bundle
from upbeat.show.document import read_show
from upbeat.show.other_rig import powers_in, stem_sides_of

FEEDS = (
    Feed(id="rhythm", name="House rhythm", kind="house", sends=(Send("group:rhythm"),)),
    Feed(id="tonal", name="House tonal", kind="house", sends=(Send("group:tonal"),)),
    Feed(id="click", name="Click", kind="monitor", channels=1, sends=(Send("click"),)),
    Feed(id="cues", name="Cues", kind="monitor", channels=1, sends=(Send("cues"),)),
    Feed(id="riser", name="Riser", kind="monitor", sends=(Send("feed:click"), Send("feed:cues"), Send("group:rhythm"))),
)


def wired(*ways):
    """Patches from ``feed side socket`` words."""
    made = []
    for way in ways:
        feed, side, number = way.split()
        made.append(Patch(feed=feed, side=side, socket=int(number)))
    return tuple(made)


def ways(routing):
    return sorted(f"{p.feed} {p.side} {p.socket}" for p in routing.patches)


def sockets(count, **changes):
    return tuple(Socket(n, **changes) for n in range(1, count + 1))


EIGHT = Routing(
    FEEDS,
    sockets(8),
    wired(
        "rhythm left 1",
        "rhythm right 2",
        "tonal left 3",
        "tonal right 4",
        "click mono 5",
        "cues mono 6",
        "riser left 7",
        "riser right 8",
    ),
)


@pytest.mark.parametrize(
    ("count", "expected"),
    [
        (8, ways(EIGHT)),
        (7, [*[w for w in ways(EIGHT) if "riser" not in w], "riser mono 7"]),
        # Click and cues share a socket before a mix is left out.
        (
            6,
            [
                "click mono 5",
                "cues mono 5",
                "rhythm left 1",
                "rhythm right 2",
                "riser mono 6",
                "tonal left 3",
                "tonal right 4",
            ],
        ),
        (5, ["click mono 5", "cues mono 5", "rhythm left 1", "rhythm right 2", "tonal left 3", "tonal right 4"]),
        # The house joins, and the mix has a socket again.
        (
            4,
            [
                "click mono 3",
                "cues mono 3",
                "rhythm left 1",
                "rhythm right 2",
                "riser mono 4",
                "tonal left 1",
                "tonal right 2",
            ],
        ),
        (3, ["click mono 3", "cues mono 3", "rhythm left 1", "rhythm right 2", "tonal left 1", "tonal right 2"]),
        (2, ["click mono 1", "cues mono 1", "rhythm mono 2", "tonal mono 2"]),
        (1, ["rhythm mono 1", "tonal mono 1"]),
    ],
)
def test_m4_eight_six_four_two(count, expected):
    assert ways(fold_down(EIGHT, sockets(count))) == sorted(expected)


def test_m4_up_again_where_there_are_more():
    two = fold_down(EIGHT, sockets(2))
    up = fold_down(two, sockets(8))
    assert {w.rsplit(" ", 1)[0] for w in ways(up)} == {w.rsplit(" ", 1)[0] for w in ways(EIGHT)}
    assert not routing_problems(up)
    assert lost(two, up, (), {}) == []


def test_wires_made_by_hand_stay_and_trims_go_along():
    by_hand = (Patch(feed="click", side="mono", socket=4, trim_db=-9.0),)
    trimmed = Routing(
        FEEDS,
        EIGHT.sockets,
        tuple(
            Patch(feed=p.feed, side=p.side, socket=p.socket, trim_db=-3.0, invert=p.feed == "cues")
            for p in EIGHT.patches
        ),
    )
    folded = fold_down(trimmed, sockets(4), by_hand)
    assert by_hand[0] in folded.patches
    assert [p.feed for p in folded.patches if p.socket == 4] == ["click"]
    cues = next(p for p in folded.patches if p.feed == "cues")
    assert (cues.trim_db, cues.invert) == (-3.0, True)


def test_kept_and_headphone_sockets_are_respected():
    rig = (
        Socket(1, headphones=True),
        Socket(2, headphones=True),
        Socket(3, use="kept"),
        Socket(4),
        Socket(5),
        Socket(6),
    )
    folded = fold_down(EIGHT, rig)
    at = {p.feed: set() for p in folded.patches}
    for p in folded.patches:
        at[p.feed].add(p.socket)
    assert at["rhythm"] == at["tonal"] == {5, 6}
    assert (at["riser"], at["click"]) == ({1, 2}, {4})
    assert 3 not in set.union(*at.values())


def test_who_has_only_a_mix_keeps_click_to_the_last():
    feeds = (FEEDS[0], Feed(id="ears", name="Ears", kind="monitor", sends=(Send("click"), Send("group:rhythm"))))
    routing = Routing(feeds, sockets(4), wired("rhythm left 1", "rhythm right 2", "ears left 3", "ears right 4"))
    assert ways(fold_down(routing, sockets(2))) == ["ears mono 1", "rhythm mono 2"]


def test_a_rig_with_nothing_free_is_refused():
    with pytest.raises(Refused, match="no free socket"):
        fold_down(EIGHT, sockets(4, use="kept"))


@settings(max_examples=200)
@given(
    st.integers(0, 4), st.integers(0, 6), st.booleans(), st.booleans(),
    st.lists(st.sampled_from(["free", "free", "free", "kept"]), min_size=1, max_size=34),
    st.integers(1, 32),
)  # fmt: skip
def test_m4_on_any_rig_every_house_feed_is_heard_and_no_click_in_it(house, mixes, click, cues, uses, had):
    feeds = [
        Feed(id=f"h{i}", name=f"H{i}", kind="house", channels=1 + i % 2, sends=(Send("group:tonal"),))
        for i in range(house)
    ]
    guides = [g for g, on in (("click", click), ("cues", cues)) if on]
    feeds += [Feed(id=g, name=g, kind="monitor", channels=1, sends=(Send(g),)) for g in guides]
    taken = (*(Send(f"feed:{g}") for g in guides), Send("group:tonal"))
    feeds += [Feed(id=f"m{i}", name=f"M{i}", kind="monitor", channels=2 - i % 2, sends=taken) for i in range(mixes)]
    before = fold_down(Routing(tuple(feeds), sockets(64), ()), sockets(had))
    rig = tuple(Socket(n, use=use) for n, use in enumerate(uses, start=1))
    if "free" not in uses:
        return
    after = fold_down(before, rig)
    assert routing_problems(after) == []
    wired_feeds = {p.feed for p in after.patches}
    assert {f.id for f in feeds if f.kind == "house"} <= wired_feeds
    if uses.count("free") > (1 if house else 0):
        assert set(guides) <= wired_feeds
    lost_feeds = {one.what for one in lost(before, after, (), {}) if one.code in ("mix", "guide")}
    assert {p.feed for p in before.patches} - wired_feeds <= lost_feeds


# --- what is lost, against the sockets -----------------------------------------------------------------


def stereo(folder, name, left, right):
    write_wav(folder / name, np.stack([left, right], axis=1).astype(np.float32))


@pytest.fixture
def evening(tmp_path):
    rng = np.random.default_rng(3)
    a, b = rng.uniform(-0.2, 0.2, (2, 4 * RATE))
    stereo(tmp_path, "same.wav", a, a)
    stereo(tmp_path, "apart.wav", a, b)
    stereo(tmp_path, "against.wav", a, -0.6 * a)
    write_wav(tmp_path / "mono.wav", (0.5 * a).astype(np.float32))
    stems = [
        {"id": "same", "name": "Drums", "file": "same.wav", "group": "rhythm"},
        {"id": "apart", "name": "Choir", "file": "apart.wav", "group": "tonal", "pan": 0.4, "width": 1.5},
        {"id": "against", "name": "Organ", "file": "against.wav", "group": "tonal", "gain_db": -4.0},
        {"id": "mono", "name": "Bass", "file": "mono.wav", "group": "rhythm", "pan": -0.2},
        {"id": "rehearsed", "name": "Guide", "file": "same.wav", "group": "tonal", "purpose": "rehearsal"},
    ]
    feeds = [
        {
            "id": f.id,
            "name": f.name,
            "kind": f.kind,
            "channels": f.channels,
            "sends": [{"source": s.source} for s in f.sends],
        }
        for f in FEEDS
    ]
    patch = [{"feed": p.feed, "side": p.side, "socket": p.socket} for p in EIGHT.patches]
    rig = {"name": "Eight", "sockets": [{"number": n} for n in range(1, 9)]}
    return show(
        song(stems=stems, sections=[{"id": "v", "name": "Verse", "bars": 2}]), feeds=feeds, rig=rig, patch=patch
    )


def test_m4_the_losses_told_are_those_of_the_bounced_sockets(evening, tmp_path, capsys):
    folder, out = tmp_path, tmp_path / "two.zip"
    (folder / "show.json").write_text(json.dumps(evening))
    assert main(["fold-down", str(folder), "--sockets", "2", "--out", str(out), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert [p["socket"] for p in told["patch"] if p["feed"] == "click"] == [1]
    in_mono = {one["what"]: one["db"] for one in told["lost"] if one["code"] == "mono-loss"}
    for stem in ("same", "apart", "against", "mono", "rehearsed"):
        was, now = (heard_alone(document, stem, folder) for document in (evening, written(out)))
        wanted = 10 * math.log10(was / now) if was else 0.0
        assert in_mono.get(stem, 0.0) == pytest.approx(wanted, abs=0.05), stem
    assert in_mono["against"] > 10
    assert "same" not in in_mono
    assert {one["code"] for one in told["lost"]} == {"mono-loss", "mono", "mix", "joined"}
    assert [one["what"] for one in told["lost"] if one["code"] == "mix"] == ["riser"]


def heard_alone(document, stem, folder):
    """The mean power of the house sockets, with all other stems silent."""
    own = [s for s in document["songs"][0]["stems"] if s["id"] == stem]
    alone = {**document, "songs": [{**document["songs"][0], "stems": own}]}
    sound, _ = bounced(ready(alone, folder))
    house = {p["socket"] for p in document["patch"] if p["feed"] in ("rhythm", "tonal")}
    powers = [float(np.mean(np.square(sound[n - 1][RATE:-RATE].astype(np.float64)))) for n in sorted(house)]
    return sum(powers) / (2 if len(house) == 4 else 1)


def written(out):
    with open_bundle(out) as (_, folder):
        return json.loads((folder / "show.json").read_text())


def test_an_upside_down_side_that_was_mended_loses_nothing(evening, tmp_path):
    stems = evening["songs"][0]["stems"]
    stems[2]["flip_side"] = True
    shown = read_show(evening)
    losses = lost(
        shown.routing, fold_down(shown.routing, sockets(2)), stem_sides_of(shown, powers_in(tmp_path, RATE)), {}
    )
    assert "against" not in {one.what for one in losses if (one.db or 0) > 1}


@pytest.mark.parametrize("count", [0, -1, 65])
def test_a_rig_of_no_sockets_or_too_many_is_refused(evening, tmp_path, capsys, count):
    (tmp_path / "show.json").write_text(json.dumps(evening))
    assert main(["fold-down", str(tmp_path), "--sockets", str(count), "--out", str(tmp_path / "x.zip"), "--json"]) == 1
    assert json.loads(capsys.readouterr().out)["problems"][0]["code"] == "rig-sockets"
    assert not (tmp_path / "x.zip").exists()
