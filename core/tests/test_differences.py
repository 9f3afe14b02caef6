"""What was edited since a show was loaded is listed, each thing once, and nothing that was not."""

import copy

import pytest
from material import show, song

from upbeat.show.differences import differences

STEMS = [{"id": "s", "name": "Bass", "file": "one.wav", "group": "tonal"}]
PLAYERS = {"players": [{"id": "pia", "name": "Pia"}], "line_up": {"on": ["pia"]}}


def a_show():
    return show(song(stems=copy.deepcopy(STEMS)), song(id="two", title="Second"), **copy.deepcopy(PLAYERS))


EDITS = {
    "entry_added": lambda d: d["entries"].append({"id": "n", "song": "two"}),
    "entry_gone": lambda d: d["entries"].pop(),
    "order": lambda d: d["entries"].reverse(),
    "link": lambda d: d["entries"][0].update(link={"kind": "attacca"}),
    "call_title": lambda d: d["entries"][0].update(call_title=True),
    "form": lambda d: d["entries"][0].update(form="short"),
    "title": lambda d: d["songs"][0].update(title="Other"),
    "grid": lambda d: d["songs"][0].update(tempo=[{"bar": 1, "bpm": "140"}]),
    "sections": lambda d: d["songs"][0]["sections"][0].update(bars=4),
    "chords": lambda d: d["songs"][0].update(chords=[{"bar": 1, "text": "Am"}]),
    "notes": lambda d: d["songs"][0].update(note="Slowly"),
    "cues": lambda d: d["songs"][0].update(calls=True),
    "click": lambda d: d["songs"][0]["click"].update(beat="wood"),
    "click_level": lambda d: d["songs"][0]["click"].update(gain_db=-3),
    "count_in": lambda d: d["songs"][0].update(count_in={"bars": 1}),
    "seams": lambda d: d["songs"][0].update(ring_on_s=1.5),
    "song_level": lambda d: d["songs"][0].update(gain_db=-2),
    "stem_level": lambda d: d["songs"][0]["stems"][0].update(gain_db=-4),
    "stem_mix": lambda d: d["songs"][0]["stems"][0].update(tacet=["a"]),
    "stem_sound": lambda d: d["songs"][0]["stems"][0].update(file="two.wav"),
    "stem_gone": lambda d: d["songs"][0]["stems"].pop(),
    "stem_added": lambda d: d["songs"][0]["stems"].append({**STEMS[0], "id": "n"}),
    "player_away": lambda d: d["line_up"].update(on=[]),
    "feed_level": lambda d: d["feeds"][1].update(gain_db=-6),
    "feed": lambda d: d["feeds"][1]["sends"].append({"source": "cues"}),
    "feed_gone": lambda d: d["feeds"].pop(),
    "patch": lambda d: d["patch"].pop(),
    "sockets": lambda d: d["rig"]["sockets"].append({"number": 5}),
    "palette": lambda d: d.update(palette=["Hold"]),
    "voice": lambda d: d.update(voice={"name": "Ada"}),
    "slot": lambda d: d.update(slot={"starts_at": "20:15", "minutes": 45}),
    "intervals": lambda d: d.update(intervals=[{"after": 1, "minutes": 20}]),
    "show_title": lambda d: d.update(title="Night"),
}


def test_nothing_differs_from_itself_in_whatever_order_its_wires_are():
    other = a_show()
    other["patch"].reverse()
    assert differences(a_show(), other) == []


def test_an_interval_is_no_other_where_an_entry_before_it_goes():
    before, now = a_show(), a_show()
    before["intervals"] = [{"after": 2, "minutes": 20}]
    now["entries"].pop(0)
    now["intervals"] = [{"after": 1, "minutes": 20}]
    assert [d["kind"] for d in differences(before, now)] == ["entry_gone"]


@pytest.mark.parametrize("kind", EDITS)
def test_each_edit_is_one_difference(kind):
    now = a_show()
    EDITS[kind](now)
    (found,) = differences(a_show(), now)
    assert found["kind"] == kind


@pytest.mark.parametrize("kind", ["grid", "stem_level", "stem_sound", "feed_level"])
def test_of_the_song_that_plays_all_waits_but_what_is_taken_in_at_once(kind):
    now = a_show()
    EDITS[kind](now)
    (found,) = differences(a_show(), now, sounding="song")
    assert found["waits"] == (kind in ("grid", "stem_sound"))
    assert not differences(a_show(), now, sounding="two")[0]["waits"]


def test_levels_tell_what_they_were_and_are():
    now = a_show()
    EDITS["stem_level"](now)
    (found,) = differences(a_show(), now)
    assert (found["song"], found["name"], found["was"], found["now"]) == ("Paper Boats", "Bass", 0.0, -4)
