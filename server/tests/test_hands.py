"""Hands over the API and the socket: bound, taken over, undone, exported, checked against the band, heard in the engine."""

import asyncio
import json

import pytest
from boxed import Ports
from test_apart import opened, socket
from test_stage import engine, load, made_show  # noqa: F401 - a fixture

PAD = {"port": "Nine pads", "kind": "note", "channel": 10, "number": 36}
GO, STOP = {"kind": "press", "press": "go"}, {"kind": "press", "press": "stop"}


def bind(member, does=GO, control=PAD, take_over=False, **more):
    asked = {"binding": {"control": control, "does": does, **more}, "take_over": take_over}
    return member.post("hands/bindings/", asked)


def shown(answer):
    assert answer.status_code == 200, answer.content
    return answer.json()


def refused(answer):
    assert answer.status_code == 400, answer.content
    return answer.json()["problems"][0]["code"]


def does(hands):
    return [b["does"].get("press") for b in hands["bindings"]]


def test_a_stop_has_to_be_held_unless_the_band_says_otherwise(ines):
    assert shown(bind(ines))["held"] == []
    taken = shown(bind(ines, STOP, take_over=True))
    assert taken["held"] == [taken["bindings"][0]["id"]]
    assert shown(bind(ines, STOP, take_over=True, hold=False))["held"] == []


def test_a_clash_is_refused_until_it_is_taken_over_and_comes_back_by_undo(ines):
    first = shown(bind(ines))
    assert refused(bind(ines, STOP)) == "control-taken"
    taken = shown(bind(ines, STOP, take_over=True))
    assert does(taken) == ["stop"]
    assert taken["can_undo"]
    assert shown(ines.post("hands/undo/"))["bindings"] == first["bindings"]
    assert does(shown(ines.post("hands/redo/"))) == ["stop"]
    assert refused(ines.post("hands/redo/")) == "redo-nothing"
    assert shown(ines.delete(f"hands/bindings/{taken['bindings'][0]['id']}/"))["bindings"] == []


def test_what_is_kept_is_written_down_for_the_ports(ines, settings, django_capture_on_commit_callbacks):
    with django_capture_on_commit_callbacks(execute=True):
        bind(ines)
    written = json.loads((settings.VAR / "hands" / f"{ines.band.pk}.json").read_text())
    assert written["bindings"][0]["control"] == {**PAD, "key": ""}


@pytest.mark.parametrize(
    ("does", "more", "code"),
    [
        ({"kind": "press", "press": "explode"}, {}, "press-unknown"),
        ({"kind": "press", "press": "level", "args": {"parts": 3}}, {}, "arguments-incomplete"),
        ({"kind": "level", "part": "click"}, {}, "control-kind"),
        (GO, {"page": 9}, "binding-unknown"),
        (GO, {"nonsense": 1}, "arguments-unknown"),
        (GO, {"threshold": 500}, "threshold-unknown"),
        ({"kind": "nothing"}, {}, "does-unknown"),
        (GO, {"encoding": "fine"}, "encoding-unknown"),
    ],
)
def test_what_cannot_be_bound_is_refused_with_a_sentence(ines, does, more, code):
    answer = bind(ines, does, **more)
    assert answer.status_code == 400, answer.content
    assert answer.json()["problems"][0]["message"].endswith(".")
    assert shown(ines.get("hands/"))["bindings"] == []


def test_hands_travel_as_a_file_and_a_broken_one_changes_nothing(ines, other):
    shown(ines.post("hands/starter/", {"starter": "nine_pads", "port": "Nine pads"}))
    shown(ines.http.put("/api/hands/lights/", {"port": "Nine pads", "playing": 5}, format="json"))
    file = json.loads(ines.get("hands/file/").content)
    assert other.get("hands/").json()["bindings"] == []
    there = shown(other.post("hands/file/", file))
    assert [b["does"] for b in there["bindings"]] == [b["does"] for b in file["bindings"]]
    assert there["lights"][0]["playing"] == 5
    assert refused(other.post("hands/file/", {**file, "format": "other/1"})) == "format-unknown"
    twice = {**file, "bindings": [*file["bindings"], {**file["bindings"][0], "id": "again"}]}
    assert refused(other.post("hands/file/", twice)) == "control-twice"
    assert other.post("hands/file/", [1]).status_code == 400
    assert other.get("hands/").json()["bindings"] == there["bindings"]


def test_a_section_that_the_song_has_no_more_is_told(ines):
    song = ines.song()
    [section] = [s["id"] for s in song["sections"]][:1]
    shown(bind(ines, {"kind": "section", "section": section}))
    now = ines.get("hands/").json()
    assert (now["troubles"], list(now["sections"])) == ([], [section])
    gone = {"kind": "section", "section": "00000000-0000-0000-0000-000000000000"}
    [trouble] = shown(bind(ines, gone, control={**PAD, "number": 40}))["troubles"]
    assert "section" in trouble["message"]


def test_who_may_not_do_everything_only_looks(ines):
    ines.user.memberships.update(right="sections")
    assert ines.get("hands/").status_code == 200
    assert bind(ines).status_code == 403


@pytest.mark.django_db(transaction=True)
def test_a_box_in_the_page_presses_in_the_engine_and_who_did_is_written(ines, other, engine, settings):  # noqa: F811
    with Ports(engine) as ports:
        settings.HANDS_PORT, settings.HANDS_SIGNALS_PORT = ports.listen, ports.publish
        assert load(ines, made_show(ines)).status_code == 200
        shown(ines.post("hands/starter/", {"starter": "two_keys", "port": "Keys of a page"}))
        written = settings.VAR / "hands" / f"{ines.band.pk}.json"
        (ports.folder / written.name).write_bytes(written.read_bytes())
        ports.until(lambda t: t["keys"]["page"] == ["PageDown", "PageUp"])

        ines.get("me/")
        other.get("me/")

        async def pressed():
            line, away = socket("/ws/hands/", ines), socket("/ws/hands/", other)
            assert await opened(line)
            assert await opened(away)
            await say(line, {"key": "PageDown", "down": True})
            await say(line, {"key": "PageDown", "down": False})
            await say(away, {"key": "PageUp", "down": True})
            signals = next(m["signals"] for m in [await heard(line) for _ in range(12)] if "signals" in m)
            told = [await heard(away) for _ in range(2)]
            await asyncio.gather(*(s.send_input({"type": "websocket.disconnect", "code": 1000}) for s in (line, away)))
            return signals, told

        signals, told = asyncio.run(pressed())
        engine.until(lambda s: s["status"] in ("count_in", "playing"))
        assert signals[0]["control"]["key"] == "PageDown"
        assert all(set(t) == {"other"} for t in told)


async def say(line, message):
    await line.send_input({"type": "websocket.receive", "text": json.dumps(message)})


async def heard(line):
    return json.loads((await line.receive_output(10))["text"])
