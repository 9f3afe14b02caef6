"""Rule P12 over the API: the night told afterwards, by the log and the show as it was."""

import time

import pytest
from test_changes_taken_in import edit, song_of
from test_stage import code, engine, load, made_show, press  # noqa: F401  (fixtures)

from shows.models import Show
from songs.models import Song


@pytest.fixture
def show(ines, engine):  # noqa: F811
    """A song of six bars of half a second in two sections, twice, with no count-in."""
    made = made_show(ines)
    song, setlist = song_of(ines, made)
    edit(ines, song, "set_tempo", bar=1, bpm="240", meter="2/4")
    edit(ines, song, "set_meter", bar=1, meter="2/4")
    edit(ines, song, "set_facts", count_in_bars=0)
    edit(ines, song, "set_length", bars=6)
    edit(ines, song, "split_section", bar=4, name="Chorus")
    ines.patch(f"setlists/{setlist['id']}/", {"slot_minutes": 30, "starts_at": "20:15"})
    assert load(ines, made).status_code == 200
    return made


def go_on(member, name, **args):
    answer = member.post("engine/", {"press": name, "args": args})
    assert answer.json()["accepted"], answer.content


def at_bar(engine, bar):  # noqa: F811
    engine.until(lambda s: s["status"] == "playing" and s["position"]["bar"] == bar)


def written(engine, what):  # noqa: F811
    engine.until(lambda s: what in engine.night().read_text())
    time.sleep(0.1)


def the_night(member):
    night = member.get("nights/").json()["nights"][0]["name"]
    answer = member.get(f"nights/{night}/report/")
    assert answer.status_code == 200, answer.content
    return night, answer.json()


def played(told):
    return [[(p["section"], p["first_bar"], p["bars"]) for p in entry["passes"]] for entry in told["entries"]]


def test_the_night_is_told_while_its_show_is_loaded_after_it_and_when_it_was_deleted(ines, other, engine, show):  # noqa: F811
    song, _ = song_of(ines, show)
    go_on(ines, "go")
    at_bar(engine, 2)
    go_on(ines, "mark")
    go_on(ines, "go_to", step=0, when="next_bar")
    at_bar(engine, 1)
    # What is taken in while it plays belongs to the night.
    edit(ines, song, "set_facts", title="Lanterns")
    assert ines.post("engine/changes/").status_code == 204
    engine.until(lambda s: s["status"] == "standby" and s["entry"] == 1)
    time.sleep(1)  # a go at once after a song's end is not meant
    go_on(ines, "go")
    at_bar(engine, 3)
    go_on(ines, "stop")
    written(engine, '"stop"')
    night, told = the_night(ines)
    first, second = told["entries"]
    # A bar lasts half a second: presses may come a bar later than they were meant to, and are told as they came.
    jumped, marked = first["passes"][0]["bars"], first["marks"][0]["bar"]
    assert 2 <= marked <= jumped <= 3
    assert played(told)[0] == [("Song", 1, jumped), ("Song", 1, 3), ("Chorus", 4, 3)]
    assert (first["whole"], first["jumps"], len(first["marks"])) == (True, 1, 1)
    assert (second["title"], second["whole"], second["entry"]) == ("Lanterns", False, 2)
    assert told["slot"] == {"starts_at": "20:15", "minutes": 30}
    assert abs(told["began"] - time.time()) < 60
    assert first["prepared_s"] == 3.0
    assert first["ended_s"] - first["started_s"] == pytest.approx(0.5 * sum(p["bars"] for p in first["passes"]))
    for path in (f"nights/{night}/report/", f"nights/{night}/print/"):
        assert other.get(path).status_code == 404
    assert other.get("nights/times/").json() == {"songs": []}
    paper = ines.get(f"nights/{night}/print/")
    assert b"".join(paper)[:5] == b"%PDF-"
    # The show is loaded anew, then deleted: its folders are on paper by then.
    assert load(ines, show, sure=True).status_code == 200
    assert the_same(ines, night, told)
    Show.objects.filter(pk=show["id"]).delete()
    assert the_same(ines, night, told)
    times = ines.get("nights/times/").json()["songs"]
    assert [(t["song"], len(t["times"]), t["usual_s"]) for t in times] == [
        (song, 1, first["ended_s"] - first["started_s"])
    ]


def the_same(member, night, told):
    """Whether it is told so again, worked out anew."""
    from django.conf import settings

    for kept in (settings.MEDIA / "nights").glob("*.json"):
        kept.unlink()
    again = member.get(f"nights/{night}/report/").json()
    assert again == told
    return True


def test_a_form_is_made_of_what_was_played_and_taken_back(ines, other, engine, show):  # noqa: F811
    song, _ = song_of(ines, show)
    go_on(ines, "go")
    at_bar(engine, 1)
    go_on(ines, "go_to", step=1, when="next_bar")
    engine.until(lambda s: s["status"] == "standby")
    written(engine, '"end"')
    night, told = the_night(ines)
    assert other.post(f"nights/{night}/form/", {"entry": 0, "name": "As on Friday"}).status_code == 404
    answer = ines.post(f"nights/{night}/form/", {"entry": 0, "name": "As on Friday"})
    assert answer.status_code == 200, answer.content
    form = next(f for f in ines.get(f"songs/{song}/").json()["forms"] if f["name"] == "As on Friday")
    assert form["id"] == answer.json()["form"]
    assert form["bars"] == sum(p["bars"] for p in told["entries"][0]["passes"])
    assert form["steps"][0].get("bars", 3) == told["entries"][0]["passes"][0]["bars"]
    again = {"entry": 0, "name": "As on Friday"}
    assert code(ines.post(f"nights/{night}/form/", again)) == "form-name-taken"
    assert code(ines.post(f"nights/{night}/form/", {"entry": 7, "name": "x"})) == "night-entry"
    assert ines.post(f"songs/{song}/undo/", {}).status_code == 200
    assert len(ines.get(f"songs/{song}/").json()["forms"]) == 1
    edit(ines, song, "set_length", bars=3)
    assert code(ines.post(f"nights/{night}/form/", again)) == "played-changed"
    Song.objects.filter(pk=song).delete()
    assert code(ines.post(f"nights/{night}/form/", again)) == "song-unknown"
    assert not ines.get(f"nights/{night}/report/").json()["entries"][0]["there"]


def test_levels_by_hand_are_told_with_what_the_stem_has_now(ines, engine, wav):  # noqa: F811
    song = ines.song()
    ines.imported(song, "Organ.wav", wav(4))
    edit(ines, song["id"], "set_facts", count_in_bars=0)
    rig = ines.post("rigs/", {"name": "R", "sockets": [{"number": 1}], "patches": []}).json()
    setlist = ines.post("setlists/", {"name": "L", "entries": [{"song": song["id"]}]}).json()
    made = ines.post("shows/", {"title": "T", "setlist": setlist["id"], "rig": rig["id"]}).json()
    assert load(ines, made).status_code == 200
    stem = ines.get(f"songs/{song['id']}/").json()["stems"][0]
    go_on(ines, "go")
    at_bar(engine, 1)
    go_on(ines, "level", part=f"stem:{stem['id']}", db=-4)
    time.sleep(0.3)
    go_on(ines, "stop")
    written(engine, '"stop"')
    _, told = the_night(ines)
    (level,) = told["entries"][0]["levels"]
    becomes = round(stem["gain_db"] - 4, 2)
    assert (level["name"], level["db"], level["becomes"], level["now_db"]) == ("Organ", -4, becomes, stem["gain_db"])
    edit(ines, song["id"], "set_stem", stem=stem["id"], gain_db=becomes)
    assert the_night(ines)[1]["entries"][0]["levels"][0]["now_db"] == becomes


def test_a_log_that_is_cut_off_or_no_log_or_without_its_show_is_told_as_far_as_it_goes(ines, engine, show):  # noqa: F811
    go_on(ines, "go")
    at_bar(engine, 2)
    go_on(ines, "stop")
    written(engine, '"stop"')
    night, _ = the_night(ines)
    path = engine.engine / "night-logs" / night
    whole = path.read_text()
    path.write_text(whole[: whole.index('"kind": "press"') + 400].rsplit("\n", 1)[0] + '\n{"at": 17')
    assert ines.get(f"nights/{night}/report/").status_code == 200
    path.write_text("not a log\n")
    assert code(ines.get(f"nights/{night}/report/")) == "log-format"
    path.write_text(whole.replace('"version": 1', '"version": 0', 1))
    assert code(ines.get(f"nights/{night}/report/")) == "log-version"
    path.write_text(whole.replace(show["id"] + "-", show["id"] + "-gone-", 1))
    assert code(ines.get(f"nights/{night}/report/")) == "night-show"
    assert ines.get("nights/times/").json() == {"songs": []}
