"""Devices and what songs send to them: over the API, with undo, as a list, written into shows, sent at once."""

import json

import pytest
from boxed import Ports
from test_hands import refused, shown
from test_stage import engine, load, made_show  # noqa: F401 - a fixture

from setlists.models import Entry

KEYS = {"id": "keys", "name": "Teodor’s keyboard", "kind": "midi", "port": "Keyboard rig", "channel": 1, "lead_ms": 20}
WARM = {"id": "warm", "name": "Warm wash", "send": {"kind": "note", "note": 62, "beats": 2}}
LIGHTS = {"id": "lights", "name": "灯光", "kind": "midi", "port": "Desk", "channel": 5, "messages": [WARM]}


@pytest.fixture
def band(ines):
    for one in (KEYS, LIGHTS):
        shown(ines.post("devices/", one))
    return ines


@pytest.fixture
def song(band):
    made = band.song()
    sections = [{"bar": 1, "name": "Verse"}, {"bar": 5, "name": "Chorus"}, {"bar": 9, "name": "Coda"}]
    band.edit(made, "set_length", bars=10)
    shown(band.edit(made, "set_sections", sections=sections))
    return band.get(f"songs/{made['id']}/").json()


def message(ident, device="keys", **more):
    send = {"kind": "program", "program": 31}
    return {"id": ident, "device": device, "at": {"place": "bar", "bar": 6, "beat": 2}, "send": send, **more}


def put(member, song, *args, **more):
    return member.edit(song, "set_message", message=message(*args, **more))


def sent(member, song):
    return shown(member.get(f"songs/{song['id']}/messages/"))["messages"]


def test_devices_are_put_changed_taken_out_and_brought_back(band):
    changed = shown(band.post("devices/", {"id": "keys", "channel": 3}))
    assert [(d["name"], d["channel"]) for d in changed["devices"]] == [("Teodor’s keyboard", 3), ("灯光", 5)]
    assert len(shown(band.delete("devices/lights/"))["devices"]) == 1
    back = shown(band.post("devices/undo/"))
    assert [d["id"] for d in back["devices"]] == ["keys", "lights"]
    assert back["can_redo"]


@pytest.mark.parametrize(
    ("wrong", "says"),
    [
        ({"channel": 17}, "expected a whole number <= 16"),
        ({"lead_ms": 900}, "expected a number <= 500"),
        ({"kind": "osc", "clock": True}, "speaks OSC, and MIDI clock is MIDI"),
        ({"name": "灯光"}, "There is a device “灯光” already"),
        ({"messages": [{**WARM, "send": {"kind": "osc", "address": "/x"}}]}, "it speaks MIDI"),
        ({"kind": "osc", "messages": [{**WARM, "send": {"kind": "osc", "address": "x"}}]}, "begins with a slash"),
        ({"messages": [{**WARM, "send": {"kind": "program", "program": 129}}]}, "<= 128"),
    ],
)
def test_a_device_that_cannot_be_is_refused_in_a_sentence_and_nothing_is_kept(band, wrong, says):
    answer = band.post("devices/", {**KEYS, **wrong})
    assert answer.status_code == 400
    assert says in answer.json()["problems"][0]["message"]
    kept = shown(band.get("devices/"))["devices"][0]
    assert {name: kept[name] for name in KEYS} == KEYS
    assert kept["messages"] == []


def test_a_list_names_the_messages_of_a_device_and_keeps_what_songs_use(band):
    text = "name;program;bank;note\nWarm wash;;;64\nPipes;31;2;\n"
    named = shown(band.post("devices/lights/list/", {"text": text}))["devices"][1]["messages"]
    assert [(m["id"], m["name"], m["send"]["kind"]) for m in named] == [
        ("warm", "Warm wash", "note"),
        ("m3", "Pipes", "program"),
    ]
    assert named[0]["send"]["note"] == 64
    answer = band.post("devices/lights/list/", {"text": "name,program\nPipes,129\n"})
    assert answer.json()["problems"][0]["message"].startswith("Row 2 (“Pipes”) cannot be taken")
    assert refused(band.post("devices/lights/list/", {"text": "just words"})) == "list-head"
    assert refused(band.post("devices/attic/list/", {"text": text})) == "device-unknown"


def test_messages_stand_in_their_sections_in_order_with_undo(band, song):
    chorus = song["sections"][1]["id"]
    shown(put(band, song, "b"))
    shown(put(band, song, "a", at={"place": "section", "section": chorus, "pass": "last"}))
    shown(put(band, song, "l", "lights", at={"place": "start"}, send={"kind": "named", "message": "warm"}))
    found = sent(band, song)
    assert [(m["message"]["id"], m["section"], m["bar"]) for m in found] == [
        ("l", None, None),
        ("a", chorus, 0),
        ("b", chorus, 1),
    ]
    assert found[0]["name"] == "Warm wash"
    assert found[0]["says"]["note"] == 62
    shown(band.edit(song, "remove_messages", messages=["a", "b"]))
    assert len(sent(band, song)) == 1
    shown(band.post(f"songs/{song['id']}/undo/"))
    assert len(sent(band, song)) == 3


@pytest.mark.parametrize(
    ("wrong", "code"),
    [
        ({"at": {"place": "bar", "bar": 11}}, "bar-unknown"),
        ({"at": {"place": "bar", "bar": 2, "beat": 5}}, "message-beat"),
        ({"at": {"place": "section", "section": "gone"}}, "section-unknown"),
        ({"device": "gone"}, "device-unknown"),
        ({"device": "lights", "send": {"kind": "named", "message": "gone"}}, "message-unknown"),
        ({"send": {"kind": "osc", "address": "/x"}}, "message-kind"),
        ({"send": {"kind": "program", "program": 0}}, "edit-incomplete"),
        ({"send": {"kind": "controller", "controller": 7, "value": 9, "over_beats": -1}}, "edit-incomplete"),
    ],
)
def test_a_message_that_cannot_be_is_refused_and_nothing_is_kept(band, song, wrong, code):
    assert refused(band.edit(song, "set_message", message={**message("x"), **wrong})) == code
    assert sent(band, song) == []


def test_messages_of_a_section_are_copied_where_they_fit(band, song):
    verse, chorus, coda = (s["id"] for s in song["sections"])
    shown(put(band, song, "s", at={"place": "section", "section": verse}))
    shown(put(band, song, "b", at={"place": "bar", "bar": 3}))
    shown(put(band, song, "old", at={"place": "bar", "bar": 7}))
    shown(band.edit(song, "copy_messages", section=verse, to=[chorus, coda]))
    assert [(m["section"], m["bar"]) for m in sent(band, song)] == [
        (verse, 0), (verse, 2), (chorus, 0), (chorus, 2), (coda, 0),
    ]  # fmt: skip


def test_what_holds_at_a_place_is_told(band, song):
    shown(put(band, song, "early", at={"place": "start"}, send={"kind": "program", "program": 12, "bank": 2}))
    shown(put(band, song, "late"))
    path = f"songs/{song['id']}/holds/?step=1"
    before, after = (shown(band.get(f"{path}&bar={bar}"))["holds"] for bar in (2, 3))
    assert [(h["device"], h["says"]["program"], h["says"]["bank"]) for h in before] == [("keys", 12, 2)]
    assert [(h["device"], h["says"]["program"], h["says"]["bank"]) for h in after] == [("keys", 31, 2)]
    assert refused(band.get(f"{path}&bar=9")) == "bar-unknown"
    assert refused(band.get(f"songs/{song['id']}/holds/?step=7")) == "step-unknown"


def test_what_cannot_be_sent_any_more_is_told_and_left_out_of_the_show(band, settings):
    show = made_show(band)
    song = {"id": str(Entry.objects.first().song_id)}
    shown(put(band, song, "keep", at={"place": "start"}))
    shown(put(band, song, "lost", "lights", at={"place": "end"}, send={"kind": "named", "message": "warm"}))
    shown(band.delete("devices/lights/"))
    assert [m["lost"] for m in sent(band, song)] == [False, True]
    text = band.http.get(f"/api/shows/{show['id']}/bundle/")
    assert text.status_code == 200
    import io
    import zipfile

    data = b"".join(text.streaming_content) if text.streaming else text.content
    document = json.loads(zipfile.ZipFile(io.BytesIO(data)).read("show.json"))
    assert [m["id"] for m in document["songs"][0]["messages"]] == ["keep"]
    assert [d["id"] for d in document["devices"]] == ["keys"]


def test_nobody_sees_or_sends_to_the_devices_of_another_band(band, other, song):
    assert shown(other.get("devices/"))["devices"] == []
    assert refused(other.post("devices/keys/send/", {"send": {"kind": "program", "program": 1}})) == "device-unknown"
    assert other.get(f"songs/{song['id']}/messages/").status_code == 404
    assert other.get(f"songs/{song['id']}/holds/").status_code == 404


def test_a_message_is_sent_at_once_and_a_port_that_is_not_there_is_told(band, engine, settings):  # noqa: F811
    with Ports(engine) as ports:
        settings.HANDS_PORT = ports.listen
        answer = band.post("devices/lights/send/", {"send": {"kind": "named", "message": "warm"}})
        assert answer.json()["problems"][0]["message"] == "The port “Desk” of “灯光” is not plugged in."
        assert (
            refused(band.post("devices/lights/send/", {"send": {"kind": "named", "message": "no"}}))
            == "message-unknown"
        )
        assert refused(band.post("devices/lights/send/", {})) == "message-unknown"
