"""Why something is heard at a socket now, of the show that is loaded, with the mix by hand."""

import pytest
from test_stage import engine, load  # noqa: F401 - a fixture


@pytest.fixture
def loaded(ines, wav, engine):  # noqa: F811
    feeds = {f["name"]: f["id"] for f in ines.post("feeds/usual/").json()}
    song = ines.song()
    assert ines.imported(song, "Bass.wav", wav(40.0))["status"] == "done"
    wires = [
        ("House rhythm", "left", 1),
        ("House rhythm", "right", 2),
        ("House tonal", "left", 3),
        ("Click", "mono", 4),
    ]
    patches = [{"feed": feeds[name], "side": side, "socket": n} for name, side, n in wires]
    rig = ines.post("rigs/", {"name": "Four", "sockets": [{"number": n} for n in (1, 2, 3, 4)], "patches": patches})
    setlist = ines.post("setlists/", {"name": "Evening", "entries": [{"song": song["id"]}]}).json()
    show = ines.post("shows/", {"title": "Thursday", "setlist": setlist["id"], "rig": rig.json()["id"]}).json()
    assert load(ines, show).status_code == 200
    return ines


def asked(member, of="", socket=1):
    answer = member.get(f"engine/why/?of={of}&socket={socket}")
    assert answer.status_code == 200, answer.content
    return answer.json()


def hand(member, name, **args):
    answer = member.post("engine/", {"press": name, "args": args}).json()
    assert answer.get("accepted"), answer


def bass(member):
    return f"stem:{member.get('engine/show/').json()['entries'][0]['stems'][0]['id']}"


def test_levels_by_hand_and_the_house_are_in_the_answer_and_the_press_mends_it(loaded):
    stem = bass(loaded)
    first = asked(loaded, stem)
    assert (first["title"], first["bar"]) == ("Paper Boats", 1)
    [heard] = first["found"]
    assert heard["heard"]
    hand(loaded, "level", part=stem, db=-7)
    assert asked(loaded, stem)["found"][0]["db"] == pytest.approx(heard["db"] - 7, abs=0.01)
    hand(loaded, "in_out", part=stem, on=False)
    stop = asked(loaded, stem)["found"][0]["stopped_by"]
    assert (stop["code"], stop["mend"]["name"]) == ("out", "as_prepared")
    hand(loaded, stop["mend"]["name"], **stop["mend"]["args"])
    assert asked(loaded, stem)["found"][0]["db"] == heard["db"]
    hand(loaded, "pull_house")
    stop = asked(loaded, stem)["found"][0]["stopped_by"]
    assert (stop["code"], stop["mend"]["name"]) == ("house-pulled", "bring_back")


def test_what_is_heard_at_a_socket_follows_the_levels_by_hand(loaded):
    stem = bass(loaded)
    assert [w["source"] for w in asked(loaded, socket=1)["found"]] == [stem]
    hand(loaded, "alone", part="click", in_house=True)
    assert asked(loaded, socket=1)["found"] == []


def test_it_is_of_the_show_as_it_was_loaded(loaded):
    song = loaded.get("songs/").json()[0]
    stem = bass(loaded)
    assert loaded.edit(song, "set_stem", stem=stem[5:], muted=True).status_code == 200
    assert asked(loaded, stem)["found"][0]["heard"]


def test_another_bands_show_is_not_told(loaded, other):
    assert other.get("engine/why/?socket=1").json()["problems"][0]["code"] == "no-show"


@pytest.mark.parametrize(
    ("query", "code"), [("of=stem:none&socket=1", "source-unknown"), ("of=piano&socket=1", "source-unknown")]
)
def test_what_is_not_there_is_said(loaded, query, code):
    assert loaded.get(f"engine/why/?{query}").json()["problems"][0]["code"] == code
