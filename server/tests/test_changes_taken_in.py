"""Rule P8 over the API: what was edited since loading is listed, and taken in while the song plays."""

import pytest
from test_stage import code, engine, load, made_show, playing, press  # noqa: F401  (fixtures)

from shows.models import Show


@pytest.fixture
def loaded(ines, engine):  # noqa: F811
    show = made_show(ines)
    assert load(ines, show).status_code == 200
    return show


def changes(member):
    answer = member.get("engine/changes/")
    assert answer.status_code == 200, answer.content
    return answer.json()


def kinds(member):
    return [c["kind"] for c in changes(member)["changes"]]


def song_of(member, show):
    setlist = next(s for s in member.get("setlists/").json() if s["id"] == show["setlist"])
    return setlist["entries"][0]["song"], setlist


def without(member, setlist, place):
    rows = [{k: v for k, v in e.items() if k in ("id", "song")} for i, e in enumerate(setlist["entries"]) if i != place]
    return member.patch(f"setlists/{setlist['id']}/", {"entries": rows, "revision": setlist["revision"]})


def edit(member, song, do, **args):
    revision = member.get(f"songs/{song}/").json()["revision"]
    answer = member.post(f"songs/{song}/edits/", {"do": do, "args": args, "revision": revision})
    assert answer.status_code == 200, answer.content


def test_edits_are_listed_and_taken_in_while_the_song_plays(ines, loaded, engine):  # noqa: F811
    assert changes(ines) == {"changes": [], "problems": []}
    song, _ = song_of(ines, loaded)
    playing(ines, engine)
    edit(ines, song, "set_facts", title="Lanterns")
    edit(ines, song, "set_facts", click={"gain_db": -6})
    listed = changes(ines)["changes"]
    assert [(c["kind"], c["waits"]) for c in listed] == [("title", True), ("click_level", False)]
    assert (listed[1]["was"], listed[1]["now"]) == (0.0, -6.0)
    before = engine.state()
    assert ines.post("engine/changes/").status_code == 204
    state = engine.until(lambda s: s["loads"] == before["loads"] + 1)
    assert state["status"] in ("playing", "count_in")
    assert changes(ines)["changes"] == []
    shown = ines.get("engine/show/").json()["entries"]
    assert (shown[0]["title"], shown[0]["kept"]) == ("Lanterns", False)
    assert shown[state["position"]["entry"]]["kept"]
    press(ines, "stop")


def test_an_entry_that_plays_can_be_deleted_and_plays_on(ines, loaded, engine):  # noqa: F811
    playing(ines, engine)
    _, setlist = song_of(ines, loaded)
    assert without(ines, setlist, 0).status_code == 200
    assert kinds(ines) == ["entry_gone"]
    assert ines.post("engine/changes/").status_code == 204
    state = engine.until(lambda s: len(s["tonight"]["order"]) == 2)
    assert state["status"] in ("playing", "count_in")
    assert state["tonight"]["order"][0] == state["position"]["entry"]
    press(ines, "stop")


def test_what_breaks_a_rule_is_refused_in_words_and_the_old_goes_on(ines, loaded, engine):  # noqa: F811
    before = engine.state()
    _, setlist = song_of(ines, loaded)
    one = without(ines, setlist, 0).json()
    assert without(ines, one, 0).status_code == 200
    assert "has no songs" in changes(ines)["problems"][0]["message"]
    assert code(ines.post("engine/changes/")) == "show-empty"
    assert engine.state()["loads"] == before["loads"]


def test_another_band_and_a_deleted_show_have_nothing_to_take_in(ines, other, loaded, engine):  # noqa: F811
    assert code(other.get("engine/changes/")) == "no-show"
    assert code(other.post("engine/changes/")) == "no-show"
    Show.objects.filter(pk=loaded["id"]).delete()
    assert "was deleted" in changes(ines)["problems"][0]["message"]
    assert code(ines.post("engine/changes/")) == "show-deleted"
    assert press(ines, "go")["accepted"]
    press(ines, "stop")
