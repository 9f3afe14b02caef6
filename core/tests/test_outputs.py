"""Feeds in feeds, trims, delays and guides on sockets: every socket against a sum worked out source by source."""

import math

import numpy as np
import pytest
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st
from material import RATE, ready, show, song, write_wav
from test_sound import bounced, first_sound

from upbeat.errors import Refused
from upbeat.mix.gains import feed_blocks, kept_out_of_house, socket_rows
from upbeat.mix.routing import Column, Feed, Patch, Routing, Send, Socket, guided, routing_problems
from upbeat.show.document import read_routing, read_show

FEEDS, SOCKETS = 32, 8
STEMS = (
    {"id": "a", "group": "rhythm", "pan": 0.3, "channels": 1},
    {"id": "b", "group": "tonal", "pan": -0.5, "channels": 2, "width": 0.4},
    {"id": "c", "group": "voices", "channels": 2, "invert": True},
    {"id": "d", "group": "tonal", "channels": 2, "mono": True, "gain_db": -3.0},
    {"id": "e", "group": "rhythm", "channels": 1, "feeds": [{"feed": "f1", "gain_db": -2.0}, {"feed": "f30"}]},
    {"id": "t", "group": "timecode", "channels": 1},
)
LENGTH = 4 * RATE
SOURCES = ["click", "cues", *(f"stem:{s['id']}" for s in STEMS), "group:rhythm", "group:tonal", "group:timecode"]

db = st.sampled_from([-120.0, -20.0, -6.0, -1.5, 0.0])


@st.composite
def routings(draw, sources=SOURCES, feeds=FEEDS):
    """Any routing of ``feeds`` feeds, each of which may take from those before it."""
    made = []
    for i in range(feeds):
        sends = {s: {"source": s, "gain_db": draw(db)} for s in draw(st.lists(st.sampled_from(sources), max_size=3))}
        for j in draw(st.lists(st.integers(0, i - 1), max_size=2)) if i else ():
            sends[f"feed:f{j}"] = {"source": f"feed:f{j}", "gain_db": draw(db), "before": draw(st.booleans())}
        kind = draw(st.sampled_from(["house", "monitor", "monitor"]))
        made.append(
            {
                "id": f"f{i}",
                "name": f"F{i}",
                "kind": kind,
                "channels": draw(st.integers(1, 2)),
                "gain_db": draw(db),
                "sends": list(sends.values()),
            }
        )
    patch, delays = {}, [draw(st.sampled_from([0.0, 0.5, 11.0])) for _ in range(SOCKETS)]
    for _ in range(draw(st.integers(1, 24))):
        feed, socket = draw(st.integers(0, feeds - 1)), draw(st.integers(1, SOCKETS))
        side = draw(st.sampled_from(["left", "right", "mono"]))
        patch[feed, side, socket] = {
            "feed": f"f{feed}",
            "side": side,
            "socket": socket,
            "trim_db": draw(db),
            "invert": draw(st.booleans()),
            "delay_ms": delays[socket - 1],
        }
    rig = {"sockets": [{"number": n} for n in range(1, SOCKETS + 1)]}
    return {"feeds": made, "rig": rig, "patch": list(patch.values())}


def factor(decibels):
    return 10 ** (decibels / 20)


def in_a_feed(stem, channel, channels):
    """What one channel of a stem gives to the sides of a feed, written down from rule M1's laws."""
    turn = (stem.get("pan", 0.0) + 1) * math.pi / 4
    if stem["channels"] == 1:
        return [1.0] if channels == 1 else [math.cos(turn), math.sin(turn)]
    if channels == 1:
        return [0.5]
    loudest = max(math.cos(turn), math.sin(turn))
    law = [math.cos(turn) / loudest, math.sin(turn) / loudest]
    width = 0.0 if stem.get("mono") else stem.get("width", 1.0)
    return [law[side] * ((1 + width) / 2 if side == channel else (1 - width) / 2) for side in (0, 1)]


def sides_of(document, number, stem, channel, before=False):
    """How loud a stem's channel is in each side of a feed: every send, one by one."""
    feed = document["feeds"][number]
    total = [0.0] * feed["channels"]
    own = stem.get("feeds")
    for send in feed["sends"]:
        kind, _, name = send["source"].partition(":")
        if kind == "feed":
            taken = sides_of(document, int(name[1:]), stem, channel, send["before"])
            if len(taken) > len(total):
                taken = [sum(taken) / 2]
            elif len(taken) < len(total):
                taken = [taken[0] * factor(-3.0103)] * 2
        elif send["source"] == f"stem:{stem['id']}" or (own is None and send["source"] == f"group:{stem['group']}"):
            taken = in_a_feed(stem, channel, feed["channels"])
        else:
            continue
        total = [t + factor(send["gain_db"]) * x for t, x in zip(total, taken, strict=True)]
    for way in own or ():
        if way["feed"] == feed["id"]:
            taken = in_a_feed(stem, channel, feed["channels"])
            total = [t + factor(way.get("gain_db", 0.0)) * x for t, x in zip(total, taken, strict=True)]
    if feed["kind"] == "house" and stem["group"] == "timecode":
        total = [0.0] * len(total)
    return total if before else [factor(feed["gain_db"]) * t for t in total]


def on_socket(document, socket, stem, channel):
    """The factor of a stem's channel on a socket."""
    wires = [p for p in document["patch"] if p["socket"] == socket]
    house = any(document["feeds"][int(p["feed"][1:])]["kind"] == "house" for p in wires)
    if house and stem["group"] == "timecode":
        return 0.0
    total = 0.0
    for p in wires:
        sides = sides_of(document, int(p["feed"][1:]), stem, channel)
        one = sum(sides) / len(sides) if p["side"] == "mono" or len(sides) == 1 else sides[p["side"] == "right"]
        total += one * factor(p["trim_db"]) * (-1 if p["invert"] else 1)
    return total * factor(stem.get("gain_db", 0.0)) * (-1 if stem.get("invert") else 1)


@pytest.fixture(scope="module")
def sounds(tmp_path_factory):
    folder, rng = tmp_path_factory.mktemp("stems"), np.random.default_rng(7)
    made = {s["id"]: rng.uniform(-0.1, 0.1, (LENGTH, s["channels"])).astype(np.float32) for s in STEMS}
    for name, sound in made.items():
        write_wav(folder / f"{name}.wav", sound)
    return folder, made


@settings(max_examples=10, suppress_health_check=list(HealthCheck))
@given(routings(sources=[s for s in SOURCES if s not in ("click", "cues", "group:timecode")]))
def test_every_socket_is_the_sum_of_its_sources_within_120_db(sounds, document):
    folder, made = sounds
    assume(not routing_problems(read_routing(document)))
    stems = [
        {"name": s["id"], "file": f"{s['id']}.wav", **{k: v for k, v in s.items() if k != "channels"}} for s in STEMS
    ]
    played = show(song(stems=stems, sections=[{"id": "v", "name": "Verse", "bars": 2}]), **document)
    sound, events = bounced(ready(played, folder))
    begin = first_sound(events)
    for socket in range(1, SOCKETS + 1):
        late = max((round(p["delay_ms"] * RATE / 1000) for p in document["patch"] if p["socket"] == socket), default=0)
        first, last = begin + late + RATE, begin + late + 2 * RATE
        wanted, loudest = np.zeros(RATE), 1e-3
        for stem in STEMS:
            for channel in range(stem["channels"]):
                own = on_socket(document, socket, stem, channel)
                wanted += own * made[stem["id"]][RATE : 2 * RATE, channel].astype(np.float64)
                loudest = max(loudest, 0.1 * abs(own))
        wrong = np.abs(sound[socket - 1, first:last] - wanted).max()
        assert wrong <= 1e-6 * max(1.0, loudest / 0.1), f"socket {socket}"


# --- no click in the house, by any road (rules M3 and M10) ---------------------------------------------


@settings(max_examples=150)
@given(routings(feeds=8))
def test_m3_no_guide_reaches_a_socket_with_a_house_feed_even_where_the_routing_is_refused(document):
    routing = read_routing(document)
    columns = (
        Column(source="click"),
        Column(source="cues"),
        Column(source="stem:t", group="timecode"),
        Column(source="stem:k", group="click", feeds=tuple((f"f{i}", 0.0) for i in range(8))),
        Column(source="stem:a", group="rhythm"),
    )
    heard = feed_blocks(routing, columns, [1.0] * len(columns)).heard
    rows = socket_rows(routing, heard, kept_out_of_house(columns))
    house = {f.id for f in routing.feeds if f.kind == "house"}
    for row, socket in zip(rows, routing.sockets, strict=True):
        if house & {p.feed for p in routing.patches if p.socket == socket.number}:
            assert not row[:4].any()
    for feed in house:
        assert not heard[feed][:, :4].any()


@pytest.mark.parametrize("source", ["click", "cues", "group:click", "group:cues", "group:timecode"])
@pytest.mark.parametrize("before", [False, True])
def test_m3_a_guide_is_refused_in_the_house_by_its_group_and_by_a_feed_before_its_level(source, before):
    hidden = Feed(id="x", name="Mix", kind="monitor", gain_db=-120, sends=(Send(source),))
    for house in (
        Feed(id="h", name="House", kind="house", sends=(Send(source),)),
        Feed(id="h", name="House", kind="house", sends=(Send("feed:x", before=before),)),
    ):
        routing = Routing((hidden, house), (Socket(1),), (Patch(feed="h", side="left", socket=1),))
        assert "click-in-house" in [p.code for p in routing_problems(routing)]
        assert guided(routing.feeds)["h"] == {source.removeprefix("group:")}


def test_m3_a_stem_that_is_a_click_stays_out_of_a_house_it_is_sent_to_by_its_song(tmp_path):
    write_wav(tmp_path / "k.wav", np.full(LENGTH, 0.25, np.float32))
    stem = {
        "id": "k",
        "name": "Click",
        "file": "k.wav",
        "group": "click",
        "feeds": [{"feed": "house"}, {"feed": "cues"}],
    }
    sound, _ = bounced(ready(show(song(stems=[stem])), tmp_path))
    assert not sound[:2].any()
    assert sound[3].any()


def test_a_stem_with_feeds_of_its_own_leaves_those_of_its_group(tmp_path):
    write_wav(tmp_path / "s.wav", np.full(LENGTH, 0.25, np.float32))
    stem = {"id": "s", "name": "S", "file": "s.wav", "group": "tonal", "feeds": [{"feed": "cues", "gain_db": -6.0206}]}
    sound, _ = bounced(ready(show(song(stems=[stem])), tmp_path))
    assert not sound[:2].any()
    assert np.abs(sound[3]).max() == pytest.approx(0.125, abs=1e-5)


def test_a_stem_may_not_go_to_more_feeds_than_there_are_in_a_show():
    stem = {"id": "s", "name": "S", "file": "s.wav", "feeds": [{"feed": f"f{i}"} for i in range(65)]}
    with pytest.raises(Refused):
        read_show(show(song(stems=[stem])))
