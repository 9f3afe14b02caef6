"""Outputs: every change taken back and done again, starter sets, the rig's facts, a show on another rig, why."""

import pytest

from outputs.models import Feed, Rig
from shows.build import show_document
from shows.models import Show
from upbeat.song.tone import CURVE_HZ


@pytest.fixture
def feeds(ines):
    return {f["name"]: f for f in ines.post("feeds/usual/").json()}


def rig_of(ines, feeds, count=8, **changes):
    sockets = [{"number": n} for n in range(1, count + 1)]
    patches = [
        {"feed": feeds["House rhythm"]["id"], "side": "left", "socket": 1},
        {"feed": feeds["House rhythm"]["id"], "side": "right", "socket": 2},
        {"feed": feeds["House tonal"]["id"], "side": "left", "socket": 3},
        {"feed": feeds["House tonal"]["id"], "side": "right", "socket": 4},
        {"feed": feeds["Click"]["id"], "side": "mono", "socket": 5},
        {"feed": feeds["Cues"]["id"], "side": "mono", "socket": 6},
    ]
    made = ines.post("rigs/", {"name": "Eight", "sockets": sockets, "patches": patches, **changes})
    assert made.status_code == 201, made.content
    return made.json()


def make_show(ines, wav):
    feeds = {f["name"]: f for f in ines.post("feeds/usual/").json()}
    rig, song = rig_of(ines, feeds), ines.song()
    assert ines.imported(song, "Bass.wav", wav(40.0))["status"] == "done"
    setlist = ines.post("setlists/", {"name": "Evening", "entries": [{"song": song["id"]}]}).json()
    made = ines.post("shows/", {"title": "Thursday", "setlist": setlist["id"], "rig": rig["id"]})
    assert made.status_code == 201, made.content
    return made.json()


def test_what_is_softer_in_mono_on_the_rig_of_a_show_is_told(ines, wav):
    show = make_show(ines, wav)
    assert ines.post(f"shows/{show['id']}/in-mono/").json() == {"lost": []}  # the stem is mono


def test_the_patch_sheet_has_the_notes_for_the_desk_and_how_loud_songs_are(ines, wav):
    from shows.dress_runs import shown
    from shows.models import Show as Row
    from shows.sheets import live_sheet, signing
    from shows.tasks import run_dress

    show = make_show(ines, wav)
    note = "Bass comes from the stage <b>tonight</b>"
    assert ines.patch(f"shows/{show['id']}/", {"desk_note": note}).json()["desk_note"] == note
    assert ines.patch(f"shows/{show['id']}/", {"desk_note": "x" * 601}).status_code == 400
    page = live_sheet(None, signing.dumps(show["id"], salt="upbeat.patch-sheet")).content.decode()
    assert "Bass comes from the stage &lt;b&gt;tonight&lt;/b&gt;" in page
    assert "LUFS" not in page
    ines.post(f"shows/{show['id']}/dress-run/")
    run_dress(Row.objects.get(pk=show["id"]).dress_runs.get().pk)
    [entry] = shown(Row.objects.get(pk=show["id"]))["entries"]
    page = live_sheet(None, signing.dumps(show["id"], salt="upbeat.patch-sheet")).content.decode()
    assert f"{entry['integrated_lufs']:+.1f} LUFS".replace("-", "−") in page


# --- taken back -----------------------------------------------------------------------------------------


def test_a_deleted_feed_comes_back_with_its_sends_and_its_wires(ines, feeds):
    rig = rig_of(ines, feeds)
    mix = ines.post(
        "feeds/",
        {"name": "Riser", "kind": "monitor", "sends": [{"source": f"feed:{feeds['Click']['id']}", "before": True}]},
    ).json()
    before = ines.get("feeds/").json(), ines.get(f"rigs/{rig['id']}/").json()["patches"]
    ines.delete(f"feeds/{feeds['Click']['id']}/")
    assert [f["sends"] for f in ines.get("feeds/").json() if f["id"] == mix["id"]] == [[]]
    assert ines.post("outputs/undo/").json() == {"can_undo": True, "can_redo": True}
    assert (ines.get("feeds/").json(), ines.get(f"rigs/{rig['id']}/").json()["patches"]) == before
    ines.post("outputs/redo/")
    assert feeds["Click"]["id"] not in [f["id"] for f in ines.get("feeds/").json()]


def test_all_is_taken_back_to_nothing_and_done_again(ines, feeds):
    rig = rig_of(ines, feeds)
    ines.patch(f"rigs/{rig['id']}/", {"name": "Other"})
    ines.patch(f"feeds/{feeds['Cues']['id']}/", {"gain_db": -4.0})
    whole = ines.get("feeds/").json(), ines.get("rigs/").json()
    for _ in range(4):
        assert ines.post("outputs/undo/").status_code == 200
    assert (ines.get("feeds/").json(), ines.get("rigs/").json()) == ([], [])
    refused = ines.post("outputs/undo/")
    assert (refused.status_code, refused.json()["problems"][0]["code"]) == (400, "undo-nothing")
    for _ in range(4):
        ines.post("outputs/redo/")
    feeds_now, rigs_now = ines.get("feeds/").json(), ines.get("rigs/").json()
    assert feeds_now == whole[0]
    assert [{**r, "revision": 0} for r in rigs_now] == [{**r, "revision": 0} for r in whole[1]]


def test_what_a_page_shows_of_before_is_not_written_over_what_was_taken_back(ines, feeds):
    rig = rig_of(ines, feeds)
    shown = ines.patch(f"rigs/{rig['id']}/", {"name": "Other", "revision": rig["revision"]}).json()
    ines.post("outputs/undo/")
    assert ines.patch(f"rigs/{rig['id']}/", {"name": "Third", "revision": shown["revision"]}).status_code == 409


def test_a_refused_change_is_no_change(ines, feeds):
    rig_of(ines, feeds)
    house = feeds["House rhythm"]
    refused = ines.patch(f"feeds/{house['id']}/", {"sends": [*house["sends"], {"source": "group:click"}]})
    assert refused.json()["problems"][0]["code"] == "click-in-house"
    ines.post("outputs/undo/")
    assert ines.get("rigs/").json() == []


def test_another_band_takes_nothing_of_ours_back(ines, other, feeds):
    assert other.get("outputs/").json() == {"can_undo": False, "can_redo": False}
    assert other.post("outputs/undo/").status_code == 400
    assert len(ines.get("feeds/").json()) == 4


def test_a_rig_that_a_show_needs_is_not_taken_back(ines, wav):
    show = make_show(ines, wav)
    for _ in range(20):
        answer = ines.post("outputs/undo/")
        if answer.status_code == 400:
            break
    assert answer.json()["problems"][0]["code"] in ("rig-in-use", "undo-nothing")
    assert Rig.objects.filter(pk=Show.objects.get(pk=show["id"]).rig_id).exists()


# --- facts ----------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("starter", "houses"), [("stereo", 1), ("rhythm_tonal", 2), ("groups", 5), ("mixes", 2), ("", None)]
)
def test_a_starter_set_has_its_houses_and_a_mix_for_each_player(ines, starter, houses):
    for name in ("Pilar", "Ozo"):
        ines.post("players/", {"name": name})
    answer = ines.post("feeds/usual/", {"starter": starter} if starter else {"starter": "everything"})
    if houses is None:
        assert answer.status_code == 400
        assert Feed.objects.count() == 0
        return
    feeds = answer.json()
    assert [f["kind"] for f in feeds].count("house") == houses
    mixes = [f for f in feeds if f["player"]]
    assert [f["name"] for f in mixes] == (["Mix Pilar", "Mix Ozo"] if starter == "mixes" else []) or starter == "mixes"
    for mix in mixes:
        taken = [s["source"] for s in mix["sends"]]
        assert {f"feed:{f['id']}" for f in feeds if not f["player"]} == set(taken)


def test_a_starter_set_takes_the_place_of_feeds_while_nothing_is_wired(ines, feeds):
    names = [f["name"] for f in ines.post("feeds/usual/", {"starter": "stereo"}).json()]
    assert names == ["House", "Click", "Cues"]
    ines.post("outputs/undo/")
    now = {f["name"]: f for f in ines.get("feeds/").json()}
    assert now == feeds
    rig_of(ines, now)
    assert [f["name"] for f in ines.post("feeds/usual/", {"starter": "stereo"}).json()] == list(feeds)


def test_what_a_socket_is_is_kept_and_told_in_the_document(ines, feeds):
    facts = {"headphones": True, "printed": "Phones 1", "desk": "25", "mirrored": "Phones 2", "cable_m": 16.0}
    rig = rig_of(ines, feeds, sockets=[{"number": n, **facts} for n in range(1, 7)])
    assert {k: rig["sockets"][3][k] for k in facts} == facts
    for wrong in ({"cable_m": -3}, {"number": 65}, {"number": 0}, {"printed": "x" * 41}):
        answer = ines.patch(f"rigs/{rig['id']}/", {"sockets": [{"number": 1, **wrong}]})
        assert answer.status_code == 400, wrong
    twice = ines.patch(f"rigs/{rig['id']}/", {"sockets": [{"number": 1}, {"number": 1}]})
    assert "same number" in twice.json()["problems"][0]["message"]


def test_a_stem_goes_elsewhere_than_its_group_and_a_guide_never_to_the_house(ines, wav, feeds):
    song = ines.song()
    assert ines.imported(song, "Bass.wav", wav(4.0))["status"] == "done"
    stem = ines.get(f"songs/{song['id']}/").json()["stems"][0]
    house, cues = feeds["House tonal"]["id"], feeds["Cues"]["id"]
    sent = ines.edit(song, "set_stem", stem=stem["id"], feeds=[{"feed": cues, "gain_db": -6.0}]).json()
    assert sent["stems"][0]["feeds"] == [{"feed": cues, "gain_db": -6.0}]
    ines.edit(song, "set_stem", stem=stem["id"], group="timecode")
    refused = ines.edit(song, "set_stem", stem=stem["id"], feeds=[{"feed": house}])
    assert refused.json()["problems"][0]["code"] == "click-in-house"
    assert ines.edit(song, "set_stem", stem=stem["id"], feeds=[{"feed": song["id"]}]).status_code == 400
    assert ines.edit(song, "set_stem", stem=stem["id"], feeds=None).json()["stems"][0]["feeds"] is None


# --- another rig ----------------------------------------------------------------------------------------


@pytest.fixture
def show(ines, wav):
    return make_show(ines, wav)


def wires(rig):
    return sorted((p["feed"], p["side"], p["socket"]) for p in rig["patches"])


def test_a_show_goes_to_a_smaller_rig_by_one_press_and_wires_made_there_by_hand_stay(ines, show):
    feeds = {f["name"]: f["id"] for f in ines.get("feeds/").json()}
    two = ines.post("rigs/", {"name": "Hall", "sockets": [{"number": 1}, {"number": 2}]}).json()
    told = ines.post(f"shows/{show['id']}/fold-down/", {"rig": two["id"]}).json()
    assert ines.get(f"rigs/{two['id']}/").json()["patches"] == []
    ines.post(f"shows/{show['id']}/fold-down/", {"rig": two["id"], "take": True})
    taken = ines.get(f"rigs/{two['id']}/").json()
    assert wires(taken) == sorted((p["feed"], p["side"], p["socket"]) for p in told["patch"])
    assert ines.get(f"shows/{show['id']}/").json()["rig"] == two["id"]
    assert {p["socket"] for p in taken["patches"] if p["feed"] == feeds["Click"]} == {1}
    # A trim by hand is kept when it is folded down once more from the large one.
    by_hand = [{**p, "trim_db": -5.0} if p["feed"] == feeds["Click"] else p for p in taken["patches"]]
    ines.patch(f"rigs/{two['id']}/", {"patches": by_hand})
    Show.objects.filter(pk=show["id"]).update(rig=show["rig"])
    again = ines.post(f"shows/{show['id']}/fold-down/", {"rig": two["id"]}).json()
    assert again["kept"] == 1
    assert [p["trim_db"] for p in again["patch"] if p["feed"] == feeds["Click"]] == [-5.0]


def test_on_plain_sockets_it_is_only_told(ines, other, show):
    told = ines.post(f"shows/{show['id']}/fold-down/", {"sockets": 2}).json()
    assert (told["rig"], told["sockets"]) == (None, 2)
    refused = ines.post(f"shows/{show['id']}/fold-down/", {"sockets": 2, "take": True})
    assert refused.json()["problems"][0]["code"] == "rig-missing"
    for sockets in (0, 65):
        assert ines.post(f"shows/{show['id']}/fold-down/", {"sockets": sockets}).status_code == 400
    theirs = other.post("rigs/", {"name": "Theirs", "sockets": [{"number": 1}]}).json()
    assert ines.post(f"shows/{show['id']}/fold-down/", {"rig": theirs["id"]}).status_code == 400
    assert other.post(f"shows/{show['id']}/fold-down/", {"sockets": 2}).status_code == 404


# --- why ------------------------------------------------------------------------------------------------


def test_why_is_told_of_a_stem_and_of_all_that_is_heard(ines, other, show):
    song = ines.get("songs/").json()[0]["id"]
    stem = ines.get(f"songs/{song}/").json()["stems"][0]["id"]
    rig = ines.get(f"rigs/{show['rig']}/").json()
    house = next(f["id"] for f in ines.get("feeds/").json() if f["kind"] == "house" and "rhythm" in f["name"])
    group = ines.edit({"id": song}, "set_stem", stem=stem, group="rhythm")
    assert group.status_code == 200
    socket = next(p["socket"] for p in rig["patches"] if p["feed"] == house)
    answer = ines.get(f"shows/{show['id']}/why/?of=stem:{stem}&socket={socket}").json()
    found = answer["found"][0]
    assert found["heard"], found
    assert found["path"][-1]["what"] == f"socket:{socket}"
    all_ = ines.get(f"shows/{show['id']}/why/?socket={socket}").json()["found"]
    assert f"stem:{stem}" in [one["source"] for one in all_]
    ines.edit({"id": song}, "set_stem", stem=stem, muted=True)
    found = ines.get(f"shows/{show['id']}/why/?of=stem:{stem}&socket={socket}").json()["found"][0]
    assert found["stopped_by"]["mend"] == {"kind": "stem", "name": "", "of": stem, "args": {"muted": False}}
    assert ines.get(f"shows/{show['id']}/why/?of=click&socket={socket}&bar=9999").status_code == 400
    assert ines.get(f"shows/{show['id']}/why/?of=click&socket=0").status_code == 400
    assert other.get(f"shows/{show['id']}/why/?of=click&socket={socket}").status_code == 404


# --- patch sheet ----------------------------------------------------------------------------------------


def test_the_patch_sheet_is_printed_tabled_and_labelled(ines, other, show):
    for wanted, kind in (("pdf", "application/pdf"), ("labels", "application/pdf"), ("csv", "text/csv; charset=utf-8")):
        answer = ines.get(f"shows/{show['id']}/patch-sheet/?as={wanted}")
        assert (answer.status_code, answer["Content-Type"]) == (200, kind)
        assert other.get(f"shows/{show['id']}/patch-sheet/?as={wanted}").status_code == 404
    assert answer.content.decode().splitlines()[1].startswith("1,")


def test_the_live_page_is_read_by_its_address_alone_and_ends_with_the_show(ines, show, client, rf):
    from shows.sheets import live_address

    row = Show.objects.get(pk=show["id"])
    address = live_address(row, rf.get("/"))
    answer = client.get(address)
    assert answer.status_code == 200
    assert "House rhythm L" in answer.content.decode()
    assert client.get(address[:-3] + "x/").status_code == 404
    ines.patch(f"rigs/{show['rig']}/", {"sockets": [{"number": n, "label": "Snake"} for n in range(1, 9)]})
    assert "Snake" in client.get(address).content.decode()
    row.delete()
    assert client.get(address).status_code == 404


def test_a_feed_has_a_tone_its_curve_and_loses_it_by_undo(ines, other, feeds):
    path = f"feeds/{feeds['House tonal']['id']}/"
    made = ines.patch(path, {"tone": {"low_cut_hz": 80, "mid_db": -3}}).json()
    assert made["tone"] == {
        "low_cut_hz": 80,
        "low_db": 0,
        "mid_db": -3,
        "mid_hz": 800,
        "high_db": 0,
        "high_cut_hz": None,
    }
    curve = dict(zip(CURVE_HZ, made["tone_curve"], strict=True))
    assert curve[20.0] < -20
    assert min(db for hz, db in curve.items() if 600 < hz < 1000) == pytest.approx(-3, abs=0.1)
    for tone, sentence in [
        ({"low_cut_hz": 5}, "low_cut_hz"),
        ({"high_db": 60}, "high_db"),
        ({"mid_hz": "deep"}, "mid_hz"),
    ]:
        answer = ines.patch(path, {"tone": tone})
        assert answer.status_code == 400
        assert sentence in answer.content.decode()
    assert other.patch(path, {"tone": None}).status_code == 404
    assert ines.post("outputs/undo/").status_code == 200
    assert ines.get(path).json()["tone"] is None
    assert ines.get(path).json()["tone_curve"] == []


def test_the_tone_of_a_feed_is_in_the_show(ines, wav):
    show = Show.objects.get(pk=make_show(ines, wav)["id"])
    feed = Feed.objects.filter(band=ines.band, name="House tonal").get()
    ines.patch(f"feeds/{feed.pk}/", {"tone": {"high_db": 4}})
    document, _ = show_document(show)
    tones = {f["name"]: f["tone"] for f in document["feeds"]}
    assert tones["House tonal"]["high_db"] == 4
    assert tones["Click"] is None


def test_a_feed_has_a_ceiling_in_the_show_and_the_delay_told_is_later_by_it(ines, wav):
    show = make_show(ines, wav)
    feed = next(f for f in ines.get("feeds/").json() if f["name"] == "House tonal")
    assert feed["ceiling_db"] is None
    for no in (1, -40, "low"):
        assert ines.patch(f"feeds/{feed['id']}/", {"ceiling_db": no}).status_code == 400
    said = ines.patch(f"feeds/{feed['id']}/", {"ceiling_db": 4}).json()["problems"][0]["message"]
    assert said == "A ceiling goes from -20 to 0 dBTP, not to 4: type one of these, or nothing for none."
    assert ines.patch(f"feeds/{feed['id']}/", {"ceiling_db": -1.5}).json()["ceiling_db"] == -1.5
    document = show_document(Show.objects.get(pk=show["id"]))[0]
    assert {f["name"]: f["ceiling_db"] for f in document["feeds"]}["House tonal"] == -1.5
    ines.post("outputs/undo/")
    assert next(f for f in ines.get("feeds/").json() if f["id"] == feed["id"])["ceiling_db"] is None


def test_a_song_is_heard_in_a_page_as_it_leaves_on_a_feed(ines, other, wav):
    from preview.listening import listening
    from upbeat.errors import Refused

    show = make_show(ines, wav)
    song = Show.objects.get(pk=show["id"]).setlist.entries.get().song_id
    feed = next(f for f in ines.get("feeds/").json() if f["name"] == "House rhythm")
    ines.patch(f"feeds/{feed['id']}/", {"tone": {"low_cut_hz": 200}, "ceiling_db": -6})
    ready, _ = listening(ines.band, {"hear": str(song), "bar": 1, "feed": feed["id"]})
    heard = next(f for f in ready.show.routing.feeds if f.id == feed["id"])
    assert (heard.tone.low_cut_hz, heard.ceiling_db) == (200, -6)
    assert [(p.feed, p.side, p.socket) for p in ready.show.routing.patches] == [
        (feed["id"], "left", 1),
        (feed["id"], "right", 2),
    ]
    click = next(f for f in ines.get("feeds/").json() if f["name"] == "Click")
    ready, _ = listening(ines.band, {"hear": str(song), "bar": 1, "feed": click["id"]})
    assert {p.side for p in ready.show.routing.patches} == {"mono"}
    with pytest.raises(Refused, match="not there any more"):
        listening(ines.band, {"hear": str(song), "bar": 1, "feed": "nobody"})
