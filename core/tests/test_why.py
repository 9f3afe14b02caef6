"""Why a source is heard at a socket, or not: told as the samples have it, with the first thing that stops it."""

import copy
import json

import numpy as np
import pytest
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st
from material import RATE, ready, show, song, write_wav
from test_outputs import routings
from test_sound import bounced

from upbeat.cli import main
from upbeat.mix.routing import routing_problems
from upbeat.play.hand import Hand, PartByHand, PlayerTonight
from upbeat.show.document import read_routing, read_show
from upbeat.show.ready import make_ready
from upbeat.show.why import heard_at, place_at, why_at

BARS = 4
LATEST = 600  # frames that a socket is delayed by
SOURCES = ["click", "cues", "stem:a", "stem:b", "stem:c", "stem:d", "stem:t", "feed:f0", "feed:f3", "feed:f7"]
STEMS = [
    {"id": "a", "name": "Drums", "group": "rhythm", "pan": -1.0},
    {"id": "b", "name": "Choir", "group": "tonal", "tacet": ["two"]},
    {"id": "c", "name": "Guide", "group": "tonal", "purpose": "rehearsal"},
    {"id": "d", "name": "Bass", "group": "rhythm", "feeds": [{"feed": "f2"}, {"feed": "f5", "gain_db": -6.0}]},
    {"id": "t", "name": "Code", "group": "timecode"},
]


@pytest.fixture(scope="module")
def sounds(tmp_path_factory):
    """Stems of noise; that of the choir is silent from bar 4 on."""
    folder, rng = tmp_path_factory.mktemp("why"), np.random.default_rng(11)
    for stem in STEMS:
        sound = rng.uniform(-0.2, 0.2, (BARS * 2 * RATE, 2 if stem["id"] == "b" else 1)).astype(np.float32)
        if stem["id"] == "b":
            sound[6 * RATE :] = 0
        write_wav(folder / f"{stem['id']}.wav", sound)
    return folder


def a_show(document):
    stems = [{**s, "file": f"{s['id']}.wav"} for s in STEMS]
    sections = [{"id": "one", "name": "Verse", "bars": 2}, {"id": "two", "name": "Chorus", "bars": 2}]
    return show(song(stems=stems, sections=sections, calls=True), **document)


def silenced(document, source):
    """The show without a source."""
    made = copy.deepcopy(document)
    kind, _, name = source.partition(":")
    if kind == "stem":
        next(s for s in made["songs"][0]["stems"] if s["id"] == name)["muted"] = True
        return made
    for feed in made["feeds"]:
        feed["sends"] = [s for s in feed["sends"] if s["source"] != source]
    if kind == "feed":
        # Its wires stay: where a house feed is wired, guides stay away (M3).
        next(f for f in made["feeds"] if f["id"] == name)["gain_db"] = -120.0
    return made


def bar_of(document, folder, bar):
    """The sockets in a bar, from its second beat on: what came before has rung out. A word of the next bar begins before it."""
    shown = make_ready(read_show(document), folder, words_folder=folder / "words")
    sound, events = bounced(shown)
    begin = next(e["frame"] for e in events if e["kind"] == "bar" and e["bar"] == bar)
    return shown, sound[:, begin + RATE // 2 + LATEST : begin + 2 * RATE - RATE // 4]


def test_a_house_feed_that_carries_nothing_is_not_heard_though_a_guide_would_be_without_its_wire(sounds):
    guide = {"id": "mix", "name": "Mix", "kind": "monitor", "channels": 1, "sends": [{"source": "stem:c"}]}
    house = {"id": "house", "name": "House", "kind": "house", "channels": 1, "sends": []}
    wires = [{"feed": feed, "side": "left", "socket": 1} for feed in ("mix", "house")]
    document = a_show({"feeds": [guide, house], "rig": {"sockets": [{"number": 1}]}, "patch": wires})
    shown, _ = bar_of(document, sounds, 1)
    assert not why_at(shown, "feed:house", 1, place_at(shown, 0, 1)).heard


@settings(max_examples=12, suppress_health_check=list(HealthCheck))
@given(routings(feeds=8), st.integers(1, BARS), st.lists(st.sampled_from(SOURCES), min_size=2, max_size=3, unique=True))
def test_heard_is_true_exactly_where_the_socket_changes_without_the_source(sounds, document, bar, asked):
    assume(not routing_problems(read_routing(document)))
    document = a_show(document)
    shown, whole = bar_of(document, sounds, bar)
    place = place_at(shown, 0, bar)
    for source in asked:
        _, without = bar_of(silenced(document, source), sounds, bar)
        for row, socket in enumerate(document["rig"]["sockets"]):
            changes = float(np.abs(whole[row] - without[row]).max())
            told = why_at(shown, source, socket["number"], place)
            # Between -90 and -110 dB it is a matter of the source's own level.
            if changes > 3e-5 or changes < 1e-7:
                assert told.heard == (changes > 3e-5), (source, socket, told)
            assert told.heard == (told.stopped_by is None)
            stopped = [step.state for step in told.path].count("stopped")
            assert stopped <= (0 if told.heard else 1)


# --- each thing that can stop it, in words, with what mends it ------------------------------------------


EVERYDAY = {
    "players": [{"id": "p", "name": "Pilar", "part": "bass"}],
    "feeds": [
        {"id": "house", "name": "House", "kind": "house", "sends": [{"source": "group:rhythm"}, {"source": "group:tonal"}]},
        {"id": "click", "name": "Click", "kind": "monitor", "channels": 1, "sends": [{"source": "click"}]},
        {
            "id": "riser",
            "name": "Riser",
            "kind": "monitor",
            "channels": 1,
            "alone": True,
            "sends": [{"source": "feed:house", "gain_db": -6.0}, {"source": "feed:click"}],
        },
    ],
    "rig": {"sockets": [{"number": 1}, {"number": 2}, {"number": 3, "label": "Riser"}, {"number": 4, "use": "kept"}, {"number": 5}]},
    "patch": [
        {"feed": "house", "side": "left", "socket": 1},
        {"feed": "house", "side": "right", "socket": 2},
        {"feed": "riser", "socket": 3, "trim_db": -3.0},
    ],
}  # fmt: skip


def told(folder, source, socket, *, bar=1, hand=None, stem=None, line_up=None, **changes):
    stems = [{"id": "s", "name": "Bass", "file": "a.wav", "group": "rhythm", **(stem or {})}]
    stems += [{"id": "mix", "name": "Mix", "file": "a.wav", "group": "full_mix", "purpose": "full_mix"}]
    sections = [{"id": "one", "name": "Verse", "bars": 2}, {"id": "two", "name": "Chorus", "bars": 2}]
    document = show(song(stems=stems, sections=sections), **{**EVERYDAY, **changes})
    if line_up is not None:
        document["line_up"] = {"on": line_up}
    shown = ready(document, folder)
    return why_at(shown, source, socket, place_at(shown, 0, bar), hand)


def test_what_is_heard_is_told_with_its_way_and_its_gains(sounds):
    found = told(sounds, "stem:s", 3, stem={"gain_db": -2.0})
    assert found.heard
    assert [(s.what, s.gain_db, s.state) for s in found.path] == [
        ("stem:s", -2.0, "open"),
        ("feed:house", 0.0, "open"),
        ("feed:riser", -6.0, "open"),
        ("socket:3", -3.0, "open"),
    ]
    # The two sides of the house in one: -3 dB each, as their mean.
    assert found.db == pytest.approx(-2 - 3.01 - 6 - 3, abs=0.01)


def parts(*said, **more):
    return Hand(parts=tuple(PartByHand(part, db, on) for part, db, on in said), **more)


@pytest.mark.parametrize(
    ("code", "mend", "asked"),
    [
        ("muted", ("stem", {"muted": False}), {"stem": {"muted": True}}),
        ("tacet", ("in_out", {"part": "stem:s", "on": True}), {"stem": {"tacet": ["two"]}, "bar": 3}),
        ("rests", ("in_out", {"part": "stem:s", "on": True}), {"stem": {"purpose": "covers", "covers": "p"}}),
        ("nobody", ("in_out", {"part": "stem:s", "on": True}), {"stem": {"purpose": "covers", "covers": None}}),
        ("out", ("as_prepared", {"part": "stem:s"}), {"hand": parts(("stem:s", 0.0, False))}),
        ("out", ("as_prepared", {"part": "stem:s"}), {"hand": parts(("stem:s", None, None))}),
        ("replaced", ("fallback", {"on": False}), {"hand": Hand(fallback=True)}),
        ("house-pulled", ("bring_back", {}), {"hand": Hand(house_pulled=True)}),
        ("feed-out", ("as_prepared", {"part": "feed:house"}), {"hand": parts(("feed:house", 0.0, False))}),
        ("others-alone", ("alone", {"part": "click", "on": False}), {"hand": Hand(alone=("click",)), "socket": 3}),
        ("rehearsal-in-house", ("stem", {"purpose": "always"}), {"stem": {"purpose": "rehearsal"}}),
        ("guide-in-house", None, {"stem": {"group": "timecode", "feeds": [{"feed": "house"}]}}),
        ("guide-in-house", None, {"source": "click", "socket": 3, "patch": [{"feed": "riser", "socket": 3}, {"feed": "house", "socket": 3}]}),
        ("send-down", ("send", {"gain_db": 0.0}), {"stem": {"feeds": [{"feed": "house", "gain_db": -120.0}]}}),
        ("wire-down", ("patch", {"socket": 1, "side": "left", "trim_db": 0.0}), {"patch": [{"feed": "house", "side": "left", "socket": 1, "trim_db": -120.0}]}),
        ("other-side", None, {"stem": {"pan": 1.0}}),
        ("socket-kept", ("socket", {"use": "free"}), {"socket": 4}),
        ("socket-empty", ("wire", {}), {"socket": 5}),
        ("socket-unknown", None, {"socket": 9}),
        ("not-sent", ("send", {"gain_db": 0.0}), {"stem": {"feeds": []}, "socket": 3}),
        ("too-soft", None, {"stem": {"gain_db": -115.0}}),
        ("cancelled", None, {"patch": [{"feed": "house", "side": "left", "socket": 1}, {"feed": "house", "side": "right", "socket": 1, "invert": True}]}),
        ("silent-here", None, {"stem": {"end_s": 3.0}, "bar": 4}),
    ],
)  # fmt: skip
def test_the_first_thing_that_stops_it_is_named_with_its_mend(sounds, code, mend, asked):
    asked = {"source": "stem:s", "socket": 1, **asked}
    if "patch" in asked and asked["source"] == "click":
        # Such a show is refused when it is loaded; the matrix keeps it silent besides.
        with pytest.raises(Exception, match="click"):
            told(sounds, asked.pop("source"), asked.pop("socket"), **asked)
        return
    line_up = ["p"] if asked.get("stem", {}).get("purpose") == "covers" else None
    found = told(sounds, asked.pop("source"), asked.pop("socket"), line_up=line_up, **asked)
    assert not found.heard
    assert found.stopped_by.code == code
    own = found.stopped_by.mend
    assert (own and (own.name or own.kind, dict(own.args))) == mend
    assert found.stopped_by.message.endswith(".")


def test_a_player_who_goes_lets_the_stem_in(sounds):
    away = Hand(line_up=(PlayerTonight("p", False),))
    assert told(sounds, "stem:s", 1, stem={"purpose": "covers", "covers": "p"}, hand=away, line_up=["p"]).heard


def test_what_is_heard_at_a_socket_is_listed_with_the_loudest_first(sounds):
    stems = [
        {"id": "s", "name": "Bass", "file": "a.wav", "group": "rhythm", "gain_db": -6.0},
        {"id": "k", "name": "Keys", "file": "d.wav", "group": "tonal"},
        {"id": "m", "name": "Muted", "file": "d.wav", "group": "tonal", "muted": True},
    ]
    shown = ready(show(song(stems=stems), **EVERYDAY), sounds)
    assert [source for source, _ in heard_at(shown, 3, place_at(shown, 0, 1))] == ["click", "stem:k", "stem:s"]
    assert [source for source, _ in heard_at(shown, 1, place_at(shown, 0, 1))] == ["stem:k", "stem:s"]


def test_the_command_tells_it_and_refuses_what_is_not_there(sounds, tmp_path, capsys):
    document = show(
        song(stems=[{"id": "s", "name": "Bass", "file": "a.wav", "group": "rhythm", "muted": True}]), **EVERYDAY
    )
    (tmp_path / "show.json").write_text(json.dumps(document))
    (tmp_path / "a.wav").write_bytes((sounds / "a.wav").read_bytes())
    ask = ["why", str(tmp_path), "--socket", "1", "--json"]
    assert main([*ask, "--source", "stem:s"]) == 0
    answer = json.loads(capsys.readouterr().out)
    assert (answer["heard"], answer["stopped_by"]["code"]) == (False, "muted")
    assert [step["state"] for step in answer["path"]] == ["stopped", "beyond", "beyond"]
    for wrong, code in (
        (["--source", "stem:x"], "source-unknown"),
        (["--source", "drums"], "source-unknown"),
        (["--source", "click", "--bar", "99"], "bar-not-played"),
        (["--source", "click", "--entry", "7"], "entry-unknown"),
    ):
        assert main([*ask, *wrong]) == 1
        assert json.loads(capsys.readouterr().out)["problems"][0]["code"] == code
