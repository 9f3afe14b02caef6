"""Setlists, outputs, shows: what is stored, what is refused, what the engine gets."""

import io
import json
import zipfile

import pytest

from shows.build import place_for_engine
from shows.models import Show
from upbeat.show.document import read_show
from upbeat.show.ready import make_ready


@pytest.fixture
def feeds(ines):
    return {f["name"]: f for f in ines.post("feeds/usual/").json()}


@pytest.fixture
def rig(ines, feeds):
    wires = [("House rhythm", "left", 1), ("House rhythm", "right", 2), ("Click", "mono", 3), ("Cues", "mono", 4)]
    patches = [{"feed": feeds[f]["id"], "side": side, "socket": n} for f, side, n in wires]
    return ines.post(
        "rigs/", {"name": "Rig", "sockets": [{"number": n} for n in range(1, 9)], "patches": patches}
    ).json()


def test_the_usual_feeds_are_made_once(ines, feeds):
    assert list(feeds) == ["House rhythm", "House tonal", "Click", "Cues"]
    assert len(ines.post("feeds/usual/").json()) == 4


def test_click_is_kept_out_of_the_house_whichever_way_it_is_tried(ines, feeds, rig):
    tries = [
        ines.patch(f"feeds/{feeds['House rhythm']['id']}/", {"sends": [{"source": "click"}]}),
        ines.patch(f"feeds/{feeds['House tonal']['id']}/", {"sends": [{"source": f"feed:{feeds['Cues']['id']}"}]}),
        ines.patch(f"feeds/{feeds['Click']['id']}/", {"kind": "house"}),
        ines.patch(
            f"rigs/{rig['id']}/",
            {"patches": [*rig["patches"], {"feed": feeds["Click"]["id"], "side": "mono", "socket": 1}]},
        ),
    ]
    assert {t.status_code for t in tries} == {400}
    assert {t.json()["problems"][0]["code"] for t in tries} == {"click-in-house"}
    assert ines.get(f"rigs/{rig['id']}/").json()["patches"] == rig["patches"]
    assert ines.get("feeds/").json() == list(feeds.values())


@pytest.mark.parametrize(
    "change",
    [
        lambda r: {"sockets": [{"number": 1}, {"number": 1}]},
        lambda r: {"sockets": [{"number": 0}]},
        lambda r: {"sockets": [{"number": 99}]},
        lambda r: {"name": ""},
        lambda r: {"patches": [*r["patches"], r["patches"][0]]},
        lambda r: {"patches": [{**r["patches"][0], "socket": 40}]},
        lambda r: {"patches": [{**r["patches"][0], "delay_ms": -1}]},
        lambda r: {"sockets": r["sockets"][:2]},
    ],
)
def test_a_rig_that_cannot_be_is_refused_whole(ines, rig, change):
    answer = ines.patch(f"rigs/{rig['id']}/", change(rig))
    assert answer.status_code == 400
    assert answer.json()["problems"][0]["message"]
    assert ines.get(f"rigs/{rig['id']}/").json() == rig


def test_a_feed_that_goes_takes_its_wires_and_sends_along(ines, feeds, rig):
    riser = ines.post(
        "feeds/",
        {"name": "Riser", "kind": "monitor", "channels": 1, "sends": [{"source": f"feed:{feeds['Click']['id']}"}]},
    ).json()
    assert ines.delete(f"feeds/{feeds['Click']['id']}/").status_code == 204
    assert ines.get(f"feeds/{riser['id']}/").json()["sends"] == []
    assert len(ines.get(f"rigs/{rig['id']}/").json()["patches"]) == 3


def test_the_running_order_is_kept_and_timed(ines):
    one, two = ines.song(title="One"), ines.song(title="Two", bpm="60")
    entries = [{"song": one["id"]}, {"song": None, "interval_minutes": 20}, {"song": two["id"]}]
    setlist = ines.post("setlists/", {"name": "L", "starts_at": "20:15", "entries": entries}).json()
    assert [round(e["starts_s"]) for e in setlist["entries"]] == [0, 68, 1268]
    entries = [
        {"id": e["id"], "song": e["song"], "interval_minutes": e["interval_minutes"]}
        for e in reversed(setlist["entries"])
    ]
    turned = ines.patch(f"setlists/{setlist['id']}/", {"entries": entries}).json()
    assert [e["id"] for e in turned["entries"]] == [e["id"] for e in reversed(setlist["entries"])]
    assert turned["entries"][0]["link"] == "wait"


def test_an_attacca_into_an_interval_is_refused_and_nothing_is_changed(ines):
    one, two = ines.song(title="One"), ines.song(title="Two")
    entries = [{"song": one["id"], "link": "attacca"}, {"song": two["id"]}, {"song": None, "interval_minutes": 20}]
    setlist = ines.post("setlists/", {"name": "L", "entries": entries}).json()
    moved = [{"id": setlist["entries"][i]["id"]} for i in (0, 2, 1)]
    for row, i in zip(moved, (0, 2, 1), strict=True):
        row |= {k: setlist["entries"][i][k] for k in ("song", "link", "interval_minutes")}
    answer = ines.patch(f"setlists/{setlist['id']}/", {"entries": moved, "revision": setlist["revision"]})
    assert "“One” goes on attacca, and an interval comes after it" in answer.json()["problems"][0]["message"]
    assert ines.get(f"setlists/{setlist['id']}/").json()["entries"] == setlist["entries"]


def test_an_entry_of_nothing_is_refused(ines):
    answer = ines.post("setlists/", {"name": "L", "entries": [{"song": None}]})
    assert "neither a song nor an interval" in answer.json()["problems"][0]["message"]


@pytest.fixture
def show(ines, rig, wav):
    song = ines.song()
    ines.imported(song, "Drums.wav", wav())
    ines.imported(song, "Bass.wav", wav(seed=2))
    player = ines.post("players/", {"name": "Pilar"}).json()
    bass = next(s for s in ines.get(f"songs/{song['id']}/").json()["stems"] if s["name"] == "Bass")
    ines.edit(song, "set_stem", stem=bass["id"], covers=player["id"])
    setlist = ines.post(
        "setlists/",
        {"name": "L", "entries": [{"song": song["id"]}, {"song": None, "interval_minutes": 5}, {"song": song["id"]}]},
    ).json()
    line_up = ines.post("line-ups/", {"name": "Without her", "away": [player["id"]]}).json()
    return ines.post(
        "shows/", {"title": "Thursday", "setlist": setlist["id"], "rig": rig["id"], "line_up": line_up["id"]}
    ).json()


def test_the_engine_gets_a_folder_that_outlives_what_is_deleted(ines, show):
    folder = place_for_engine(Show.objects.get(pk=show["id"]))
    song = ines.get("songs/").json()[0]
    assert ines.delete(f"songs/{song['id']}/").status_code == 204
    ready = make_ready(read_show(json.loads((folder / "show.json").read_text())), folder, speak=False)
    assert len(ready.plan.entries) == 2
    assert ready.audio.entries[0].stems[0].pcm.any()
    assert len(ready.show.away) == 1
    assert ready.show.intervals == {1: 5}


def test_the_bundle_holds_all_it_needs(ines, show, tmp_path):
    answer = ines.get(f"shows/{show['id']}/bundle/")
    archive = zipfile.ZipFile(io.BytesIO(b"".join(answer.streaming_content)))
    archive.extractall(tmp_path / "b")
    document = json.loads((tmp_path / "b" / "show.json").read_text())
    ready = make_ready(read_show(document), tmp_path / "b", speak=False)
    assert {w["text"] for w in document["words"]} >= {"one", "two", "three", "four"}
    assert {f["file"] for s in document["songs"] for f in s["stems"]} <= set(archive.namelist())
    assert ready.audio.words


def test_a_show_without_songs_says_so(ines, rig):
    setlist = ines.post("setlists/", {"name": "Empty"}).json()
    show = ines.post("shows/", {"title": "X", "setlist": setlist["id"], "rig": rig["id"]}).json()
    for answer in (ines.get(f"shows/{show['id']}/bundle/"), ines.get(f"shows/{show['id']}/document/")):
        assert "no songs" in answer.json()["problems"][0]["message"]


def test_an_engine_that_is_not_there_is_said(ines, show, settings):
    settings.ENGINE_CONTROL_PORT = settings.ENGINE_STATE_PORT = 9
    for answer in (ines.post(f"shows/{show['id']}/load/"), ines.get("engine/"), ines.post("engine/", {"press": "go"})):
        assert "engine does not answer" in answer.json()["problems"][0]["message"]
