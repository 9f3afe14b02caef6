"""A setlist's sets, exceptions and colours; states of it that are kept, compared and brought back; what is left to do."""

import datetime

import pytest
from asked import says
from test_changes_taken_in import edit

from setlists.models import Change, KeptState


@pytest.fixture
def songs(ines):
    return [ines.song(title=title) for title in ("Kites", "Boats", "Comets")]


@pytest.fixture
def listed(ines, songs):
    rows = [{"set_name": "First set", "colour": 3, "song": None}, *({"song": s["id"]} for s in songs)]
    answer = ines.post("setlists/", {"name": "Tour", "entries": rows})
    assert answer.status_code == 201, answer.content
    return answer.json()


def bare(entry, **changes):
    fields = (
        "id",
        "song",
        "form",
        "link",
        "link_seconds",
        "pad",
        "note",
        "colour",
        "players",
        "set_name",
        "interval_minutes",
    )
    return {**{f: entry[f] for f in fields}, **changes}


def put(member, setlist, rows, **more):
    answer = member.patch(f"setlists/{setlist['id']}/", {"entries": rows, **more})
    assert answer.status_code == 200, answer.content
    return answer.json()


def test_a_heading_has_no_length_and_breaks_no_attacca(ines, listed):
    heading, first, *rest = listed["entries"]
    assert (heading["set_name"], heading["colour"], heading["seconds"], heading["starts_s"]) == (
        "First set",
        3,
        0.0,
        0.0,
    )
    moved = [bare(first, link="attacca"), bare(heading), *map(bare, rest)]
    now = put(ines, listed, moved)["entries"]
    # No count-in after an attacca, whatever stands between; the heading begins with its first song.
    assert now[1]["starts_s"] == now[2]["starts_s"] == first["seconds"] + 4.0
    assert now[2]["id"] == rest[0]["id"]


@pytest.mark.parametrize("kind", ["crew", "floor"])
def test_a_heading_is_printed_with_its_set(ines, listed, kind):
    assert b"".join(ines.get(f"setlists/{listed['id']}/print/?for={kind}"))[:5] == b"%PDF-"
    table = ines.get(f"setlists/{listed['id']}/table/").content.decode()
    assert [line.split(",")[2] for line in table.splitlines()] == ["title", "First set", "Kites", "Boats", "Comets"]


def test_exceptions_name_players_of_the_own_band_alone_and_reach_the_show(ines, other, listed):
    ana = ines.post("players/", {"name": "Ana"}).json()["id"]
    theirs = other.post("players/", {"name": "Zed"}).json()["id"]
    rows = [bare(e) for e in listed["entries"]]
    rows[2]["players"] = {ana: False, theirs: True, "nobody": True}
    now = put(ines, listed, rows)
    assert now["entries"][2]["players"] == {ana: False}
    rig = ines.post("rigs/", {"name": "R", "sockets": [{"number": 1}], "patches": []}).json()
    show = ines.post("shows/", {"title": "T", "setlist": listed["id"], "rig": rig["id"]}).json()
    document = ines.get(f"shows/{show['id']}/document/").json()
    assert [e["players"] for e in document["entries"]] == [[], [{"player": ana, "on": False}], []]


def test_a_state_is_kept_compared_and_brought_back_and_that_undone(ines, other, songs, listed):
    path = f"setlists/{listed['id']}/"
    kept = ines.post(f"{path}kept/", {"name": "Before the tour"}).json()["states"]
    way = next(k["way"] for k in kept if k["name"] == "Before the tour")
    heading, *rows = [bare(e) for e in listed["entries"]]
    put(ines, listed, [rows[2], heading, rows[0]], slot_minutes=40)
    edit(ines, songs[0]["id"], "set_facts", note="capo 2")
    found = ines.get(f"{path}compared/?with={way}").json()
    assert [(d["kind"], found["titles"].get(d["entry"], ""), d["place"]) for d in found["differences"]] == [
        ("gone", "Boats", None),
        ("moved", "Comets", 1),
        ("slot", "", None),
    ]
    assert found["songs_changed"] == ["Kites"]
    for hidden in (f"{path}compared/?with={way}", f"{path}kept/"):
        assert other.get(hidden).status_code == 404
    mine = other.post("setlists/", {"name": "M"}).json()
    assert "not there any more" in says(other.get(f"setlists/{mine['id']}/compared/?with={way}"))
    answer = ines.post(f"{path}bring-back/", {"way": way})
    assert answer.status_code == 200, answer.content
    assert [e["id"] for e in answer.json()["entries"]] == [e["id"] for e in listed["entries"]]
    assert ines.get(f"{path}compared/?with={way}").json()["differences"] == []
    undone = ines.post(f"{path}undo/", {}).json()
    assert [e["song"] for e in undone["entries"] if e["song"]] == [songs[2]["id"], songs[0]["id"]]
    ines.http.delete(f"/api/{path}kept/?with={way}")
    assert KeptState.objects.count() == 0
    assert "not there any more" in says(ines.get(f"{path}compared/?with={way}"))


def test_a_setlist_is_compared_with_the_day_before_and_with_another_one(ines, songs, listed):
    path = f"setlists/{listed['id']}/"
    heading, *rows = [bare(e) for e in listed["entries"]]
    put(ines, listed, [heading, rows[1], rows[0], rows[2]])
    earlier = datetime.datetime.now(datetime.UTC) - datetime.timedelta(days=2)
    Change.objects.update(at=earlier)
    put(ines, listed, [heading, rows[1], rows[0]])
    days = [k["way"] for k in ines.get(f"{path}kept/").json()["states"]]
    assert len(days) == 2
    kinds = lambda way: [d["kind"] for d in ines.get(f"{path}compared/?with={way}").json()["differences"]]
    assert kinds(days[0]) == ["gone"]
    assert kinds(days[1]) == ["gone", "moved"]
    copy = ines.post("setlists/", {"name": "Copy", "entries": [{"song": songs[1]["id"]}]}).json()
    assert kinds(f"setlist:{copy['id']}") == ["added", "added", "name"]
    assert "not brought back" in says(ines.post(f"{path}bring-back/", {"way": f"setlist:{copy['id']}"}))
    for wrong in ("day:yesterday", "day:2020-02-30", "kept:x", "", "setlist:"):
        assert "not there any more" in says(ines.get(f"{path}compared/?with={wrong}"))


def test_what_is_left_to_do_of_a_setlist_and_the_steps_between_its_songs(ines, songs, listed, wav):
    path = f"setlists/{listed['id']}/"
    edit(ines, songs[0]["id"], "set_facts", key="D")
    edit(ines, songs[1]["id"], "set_facts", key="E")
    edit(ines, songs[1]["id"], "set_tempo", bpm="150")
    ines.imported(songs[2], "Bass reference.wav", wav(4))
    stem = ines.get(f"songs/{songs[2]['id']}/").json()["stems"][0]["id"]
    edit(ines, songs[2]["id"], "set_stem", stem=stem, purpose="always")
    left = ines.get(f"{path}to-do/").json()
    assert [(one["code"], one["severity"], one["title"]) for one in left["to_do"]] == [
        ("song", "wrong", "Comets"),
        ("no-show", "look", ""),
    ]
    assert [(s["semitones"], s["tempo_percent"], s["loudness_lu"]) for s in left["steps"]] == [
        (2, 25.0, None),
        (None, -20.0, None),
    ]
    rows = [bare(e) for e in listed["entries"]]
    put(ines, listed, rows, slot_minutes=1)
    assert "over-slot" in [one["code"] for one in ines.get(f"{path}to-do/").json()["to_do"]]
    put(ines, listed, [{"song": None, "interval_minutes": 15}])
    assert [one["code"] for one in ines.get(f"{path}to-do/").json()["to_do"]] == ["no-songs"]


def test_what_is_left_of_a_song_is_one_list_that_edits_and_undo_keep_true(ines, wav):
    song = ines.song()
    path = f"songs/{song['id']}/"
    codes = lambda: [one["code"] for one in ines.get(path).json()["to_do"]]
    in_list = lambda: [one["code"] for one in ines.get("songs/").json()[0]["to_do"]]
    assert codes() == []
    ines.imported(song, "Bass.wav", wav(4))
    assert codes() == ["grid", "sections", "parts", "key"] == in_list()
    edit(ines, song["id"], "set_tempo", bpm="121")
    assert codes() == ["sections", "parts", "key"]
    ines.post(f"{path}undo/", {})
    assert codes() == ["grid", "sections", "parts", "key"]
    edit(ines, song["id"], "set_seen", what="grid")
    edit(ines, song["id"], "set_facts", key="D")
    edit(ines, song["id"], "set_seen", what="parts")
    edit(ines, song["id"], "split_section", bar=2, name="Chorus")
    assert codes() == [] == in_list()
    edit(ines, song["id"], "set_seen", what="parts", seen=False)
    assert codes() == ["parts"] == in_list()
    ines.imported(song, "Sections.txt", b"0.0\t2.0\tVerse\n2.0\t4.0\tChorus\n")
    assert codes() == ["offers", "parts"] == in_list()


def test_a_pad_between_songs_reaches_the_show_and_one_too_short_is_refused(ines, songs, listed, wav):
    ines.imported(songs[1], "Bell.wav", wav(0.4))
    stem = ines.get(f"songs/{songs[1]['id']}/").json()["stems"][0]["id"]
    short = ines.edit(songs[1], "set_stem", stem=stem, purpose="pad")
    assert says(short) == "“Bell” lasts 0.4 s: a pad goes round and round, and lasts 1 s at least."
    rows = [bare(e) for e in listed["entries"]]
    rows[1]["pad"], rows[2]["pad"] = "warm", "song"
    put(ines, listed, rows)
    assert ines.patch(f"setlists/{listed['id']}/", {"entries": [{**rows[1], "pad": "brass"}]}).status_code == 400
    rig = ines.post("rigs/", {"name": "R", "sockets": [{"number": 1}], "patches": []}).json()
    show = ines.post("shows/", {"title": "T", "setlist": listed["id"], "rig": rig["id"]}).json()
    document = ines.get(f"shows/{show['id']}/document/").json()
    assert [e["link"]["pad"] for e in document["entries"]] == ["warm", "song", ""]
