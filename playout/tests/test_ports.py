"""Hands through real ports: presses in the engine, lights out, ports that come and go, nonsense and floods."""

import json
import os
import struct
import time
from pathlib import Path

import msgspec
import pytest
from boxed import BAND, Ports, controller, does, midi_box, note, pressed
from material import ramp_stem, show, song, write_wav
from process import Running, stolen
from test_jack import end_jack, jack_env, started_jack

from upbeat.controls.starters import starter

RATE = 48000
SERVER = f"upbeat-hands-{os.getpid()}"
BOX = "Left pads"
LEFT_OUT_S = 0.5
ON, OFF = [0x99, 36, 100], [0x99, 36, 0]


@pytest.fixture(scope="module")
def jack():
    server = started_jack(SERVER, waits=True)
    yield jack_env(SERVER)
    end_jack(server)


@pytest.fixture(scope="module")
def engine(tmp_path_factory):
    folder = tmp_path_factory.mktemp("hands")
    (folder / "evening").mkdir()
    write_wav(folder / "evening" / "ramp.wav", ramp_stem(60 * 2 * RATE))
    with Running(folder) as running:
        yield running


@pytest.fixture(scope="module")
def ports(engine, jack):
    with Ports(engine, jack) as running:
        yield running


@pytest.fixture
def loaded(engine):
    if engine.state()["status"] in ("playing", "count_in"):
        engine.client.press("stop")
    stem = {"id": "r", "name": "Ramp", "file": "ramp.wav", "group": "rhythm", "pan": -1}
    sections = [{"id": f"s{i}", "name": f"Part {i}", "bars": 4} for i in range(15)]
    (engine.folder / "evening" / "show.json").write_text(
        json.dumps(show(song(stems=[stem], sections=sections), palette=["Hold"]))
    )
    assert engine.client.load(str(engine.folder / "evening"), "evening", band=BAND)["ok"]
    return engine


@pytest.fixture(autouse=True)
def boxes_are_gone(request):
    """The box of the next test has the same name: it must not be taken for the one that has just gone."""
    yield
    if "ports" in request.fixturenames:
        boxes = {BOX, "Wild box"}
        request.getfixturevalue("ports").until(
            lambda told: not any(p["name"] in boxes and p["kind"] == "midi" for p in told["ports"])
        )


def hit(out, message=ON, rest=OFF, held=0.0):
    out.send_message(message)
    if held:
        time.sleep(held)
    out.send_message(rest)


def stepped_on(ports, box, number, held=0.1):
    """A pedal goes down and up again, as has then come to us: JACK on a machine so busy that it misses cycles loses messages.

    Nothing is waited for while it is down, or it would be held; that it is up is said twice, lest it stays down.
    """
    ports.topics("signals")
    for _ in range(5):
        ports.ask("box", box=box, data=[0xB0, number, 127])
        time.sleep(held)
        for _ in range(2):
            ports.ask("box", box=box, data=[0xB0, number, 0])
        for _ in range(20):
            shown = [s for batch in ports.topics("signals") for s in batch]
            if any((s["control"]["number"], s["value"]) == (number, 127) for s in shown):
                return
    raise AssertionError(f"pedal {number} of {box} never came")


def test_a_pad_presses_and_the_night_knows_which(loaded, ports, jack):
    with midi_box(BOX, jack) as (out, _):
        ports.there(BOX)
        ports.bind({"control": note(BOX), "does": does("go")})
        hit(out)
        loaded.until(lambda s: s["status"] == "playing")
        assert pressed(loaded)[-1]["by"] == BOX
    ports.until(lambda t: any(p["name"] == BOX and p["kind"] == "gone" for p in t["ports"]))


def test_a_box_that_is_plugged_in_again_at_once_is_heard_and_lit(loaded, ports, jack):
    ports.bind(
        {"control": note(BOX), "does": does("mark")}, lights=[{"port": BOX, "ready": 5, "playing": 99, "next": 50}]
    )
    for _ in range(3):
        before = len(pressed(loaded))
        with midi_box(BOX, jack) as (out, lights):
            lit(lights, lambda now: now.get(36) == 5)
            ports.there(BOX)
            for _ in range(20):
                hit(out)
                time.sleep(0.3)
                if len(pressed(loaded)) > before:
                    break
            assert len(pressed(loaded)) > before
        time.sleep(0.25)


def test_a_bounce_is_one_press_and_stop_has_to_be_held(loaded, ports, jack):
    with midi_box(BOX, jack) as (out, _):
        ports.there(BOX)
        ports.bind(
            {"control": note(BOX), "does": does("choose", by=1)}, {"control": note(BOX, 37), "does": does("stop")}
        )
        loaded.client.press("go")
        before = len(pressed(loaded))
        for _ in range(5):
            hit(out)
            time.sleep(0.007)
        time.sleep(0.4)
        hit(out, [0x99, 37, 100], [0x99, 37, 0], held=0.2)
        time.sleep(0.4)
        assert loaded.state()["status"] in ("playing", "count_in")
        assert [p["press"] for p in pressed(loaded)[before:]] == ["choose"]
        hit(out, [0x99, 37, 100], [0x99, 37, 0], held=0.8)
        loaded.until(lambda s: s["status"] == "stopped")


def test_what_is_held_is_let_go_by_a_message_that_may_be_on_its_way(loaded, ports):
    """A pad that stops where it is held is hit shortly, and then the line of the page that has it stands still."""
    down, up = [0x99, 37, 100], [0x99, 37, 0]
    ports.bind({"control": note("Tablet", 37), "does": does("stop")})
    loaded.client.press("go")
    ports.ask("bytes", port="Tablet", data=down, by="Bench", since_ms=60_000)
    time.sleep(0.9)
    ports.ask("bytes", port="Tablet", data=up, by="Bench", since_ms=90)
    assert "stop" not in [p["press"] for p in pressed(loaded)]
    ports.ask("bytes", port="Tablet", data=down, by="Bench", since_ms=60_000)
    for _ in range(7):
        time.sleep(0.1)
        ports.ask("quiet", port="Tablet", since_ms=100)
    loaded.until(lambda s: s["status"] == "stopped")


def test_lights_follow_the_night_and_come_back_with_the_port(loaded, ports, jack):
    bindings = [
        {"control": note(BOX, 36 + i), "does": {"kind": "bank", "bank": "sections", "place": i}} for i in range(3)
    ]
    with midi_box(BOX, jack) as (_, lights):
        ports.there(BOX)
        ports.bind(*bindings, lights=[{"port": BOX, "ready": 5, "playing": 99, "next": 50, "asked": 77}])
        loaded.client.press("go")
        lit(lights, lambda now: (now.get(36), now.get(37)) == (99, 50))
        loaded.client.press("go_to", step=2)
        lit(lights, lambda now: (now.get(37), now.get(38)) == (5, 77))
    ports.until(lambda t: any(p["name"] == BOX and p["kind"] == "gone" for p in t["ports"]))
    with midi_box(BOX, jack) as (_, lights):
        lit(lights, lambda now: (now.get(36), now.get(38)) == (99, 77))


def lit(lights, wanted):
    """Wait until ``wanted`` accepts the value of each note's light. What JACK left out while the machine was taken away never comes."""
    now, taken = {}, stolen()
    for _ in range(200):
        while (event := lights.get_message()) is not None:
            now[event[0][1]] = event[0][2]
            if wanted(now):
                return
        time.sleep(0.05)
    assert stolen() - taken > LEFT_OUT_S, f"never lit: {now}"


def test_nonsense_and_three_thousand_messages_a_second_leave_others_their_presses(loaded, ports, jack):
    with midi_box(BOX, jack) as (out, _), midi_box("Wild box", jack) as (wild, _):
        ports.there(BOX)
        ports.there("Wild box")
        ports.bind(
            {"control": note(BOX), "does": does("choose", by=1)},
            *({"control": note("Wild box", n), "does": does("mark")} for n in range(100)),
        )
        loaded.client.press("go")
        before = len(pressed(loaded))
        wild.send_message([0xF0, 1, 2, 3, 0xF7])
        made, until = 0, time.monotonic() + 3
        while time.monotonic() < until:
            for n in range(10):
                wild.send_message([0x99, (made + n) % 100, 100])
            if made % 1000 == 0:
                hit(out)
            made += 10
            time.sleep(0.003)
        assert made > 2000
        after = pressed(loaded)[before:]
        # On a machine so busy that the sender misses its cycle, JACK itself loses events or gives them once more.
        assert len([p for p in after if p["by"] == BOX]) > made // 2000
        marks = [p for p in after if p["by"] == "Wild box"]
        assert 0 < len(marks) <= 100 * 5
        assert ports.ask("tell")["ok"]


def test_a_fader_sets_a_level_once_it_has_met_it(loaded, ports, jack):
    with midi_box(BOX, jack) as (out, _):
        ports.there(BOX)
        ports.bind({"control": controller(BOX, 7), "does": {"kind": "bank", "bank": "stems", "place": 0}})
        for value in (0, 20, 40):
            out.send_message([0xB0, 7, value])
        time.sleep(0.2)
        assert loaded.state()["parts"] == []
        for value in range(40, 110):
            out.send_message([0xB0, 7, value])
            time.sleep(0.002)
        state = loaded.until(lambda s: s["parts"] and s["parts"][0]["db"] > 4)
        assert state["parts"][0]["part"] == "stem:r"


def test_tried_hands_press_nothing_and_show_what_they_would(loaded, ports, jack):
    with midi_box(BOX, jack) as (out, _):
        ports.there(BOX)
        ports.bind({"control": note(BOX), "does": does("go")})
        ports.topics("signals")
        assert ports.ask("try", band=BAND, on=True)["ok"]
        try:
            hit(out)
            time.sleep(0.3)
            shown = [s for batch in ports.topics("signals") for s in batch]
            assert [(s["press"], s["down"]) for s in shown] == [("go", True), (None, False)]
            assert loaded.state()["status"] == "standby"
        finally:
            ports.ask("try", band=BAND, on=False)
        time.sleep(0.1)
        hit(out)
        loaded.until(lambda s: s["status"] != "standby")


def test_lights_of_a_port_that_a_page_has_go_to_the_page(loaded, ports):
    tablet = "Tablet keys"
    ports.bind({"control": note(tablet), "does": does("go")})
    assert ports.ask("bytes", port=tablet, data=[], by="Ines", out=True)["ok"]
    ports.topics("out")
    ports.ask("bytes", port=tablet, data=ON, by="Ines")
    loaded.until(lambda s: s["status"] == "playing")
    time.sleep(0.5)
    assert {"port": tablet, "data": [0x99, 36, 127]} in ports.topics("out")
    assert pressed(loaded)[-1]["by"] == f"{tablet} (Ines)"
    # A page that opens it again has its lights set anew.
    ports.ask("bytes", port=tablet, data=[], by="Ines", out=True)
    time.sleep(0.2)
    assert {"port": tablet, "data": [0x99, 36, 127]} in ports.topics("out")
    taken = ports.ask("bytes", port="Nine pads", data=ON, by="Ines")
    assert taken["problems"][0]["code"] == "port-twice"


def test_a_simulated_box_speaks_through_a_port_of_the_machine(loaded, ports):
    ports.until(lambda t: t["plugged"])
    ports.bind({"control": note("Nine pads"), "does": does("go")})
    assert ports.ask("box", box="Nine pads", data=ON)["ok"]
    ports.ask("box", box="Nine pads", data=OFF)
    loaded.until(lambda s: s["status"] == "playing")
    told = ports.until(lambda t: t["boxes"][0]["controls"][0]["light"] == 127)
    assert told["boxes"][0]["name"] == "Nine pads"
    assert "box" in str(ports.ask("box", box="Ten pads", data=[])["problems"])


def test_the_whole_night_with_two_pedals_alone(loaded, ports):
    numbers = iter(range(9))
    ports.bind(*map(msgspec.to_builtins, starter("two_pedals", "Four pedals", lambda: f"s{next(numbers)}")))

    def pedal(number, held=0.0):
        stepped_on(ports, "Four pedals", number, held or 0.1)
        time.sleep(0.15)

    def playing(wanted=lambda s: True):
        state = loaded.until(lambda s: s["status"] == "playing" and wanted(s))
        time.sleep(0.5)  # until the hands know it too
        return state

    first, second = 80, 81
    pedal(first)  # go
    here = playing()["position"]["step"]
    pedal(first)  # the section after the one that comes
    playing(lambda s: s["coming"]["step"] == here + 2)
    pedal(second)  # vamp here
    playing(lambda s: s["tonight"]["endings"] and s["coming"]["step"] == here)
    pedal(second)  # and out of it
    playing(lambda s: s["coming"]["step"] != here)
    pedal(second, held=0.8)
    playing(lambda s: s["house_pulled"])
    pedal(second, held=0.8)
    playing(lambda s: not s["house_pulled"])
    pedal(first, held=0.8)
    loaded.until(lambda s: s["status"] == "stopped")
    pedal(first)  # on again
    playing()


def test_without_any_midi_the_boxes_press_and_are_lit_all_the_same(loaded, engine):
    env = {**os.environ, "JACK_DEFAULT_SERVER": "there-is-none"}
    with Ports(engine, env) as alone:
        assert not alone.ask("tell")["plugged"]
        alone.bind({"control": note("Nine pads"), "does": does("go")})
        alone.ask("box", box="Nine pads", data=ON)
        loaded.until(lambda s: s["status"] == "playing")
        alone.until(lambda t: t["boxes"][0]["controls"][0]["light"] == 127)


def test_ports_are_found_again_when_midi_itself_was_gone(loaded, engine):
    name = f"{SERVER}-b"
    env = jack_env(name)
    with Ports(engine, env) as own:
        assert not own.ask("tell")["plugged"]
        for _ in range(2):
            server = started_jack(name)
            try:
                own.until(lambda t: t["plugged"])
                with midi_box(BOX, env) as (out, _):
                    own.there(BOX)
                    own.bind({"control": note(BOX), "does": does("mark")})
                    before = len(pressed(loaded))
                    hit(out)
                    assert len(pressed(loaded)) == before + 1
            finally:
                end_jack(server)
            own.until(lambda t: not t["plugged"])


def test_ports_are_kept_by_names_without_numbers_and_two_of_one_name_are_told_apart():
    from playout.ports.names import names_of

    listed = [
        "Pad box:Pad box MIDI 1 20:0",
        "Pad box:Pad box MIDI 1 24:0",
        "a:b 1:0",
        "upbeat ear:x",
        "Nine pads lights:lights",
    ]
    assert names_of(listed) == {"Pad box": 0, "Pad box 2": 1, "a b": 2, "Nine pads": 4}
    assert all(len(name) <= 80 for name in names_of([f"{'long ' * 40}:port 1:0"] * 12))


def test_pedals_that_speak_as_keyboards_are_read_without_a_page(tmp_path):
    from playout.ports.keyboards import Keyboards

    listed, files = tmp_path / "sys", tmp_path / "dev"
    files.mkdir()
    for event, name, keys in (("event0", "Pedal board", f"{1 << (109 - 64):x} 0"), ("event1", "Power button", "0")):
        (listed / event / "device" / "capabilities").mkdir(parents=True)
        (listed / event / "device" / "name").write_text(name + "\n")
        (listed / event / "device" / "capabilities" / "key").write_text(keys)
    os.mkfifo(files / "event0")
    keep = os.open(files / "event0", os.O_RDWR)
    keyboards = Keyboards(listed, files)
    keyboards.look()
    assert keyboards.names == {"Pedal board"}

    def event(kind, code, value):
        return struct.pack("llHHi", 1, 2, kind, code, value)

    data = event(1, 109, 1) + event(0, 0, 0) + event(1, 109, 2) + event(1, 109, 0) + event(1, 700, 1)
    os.write(keep, data[:30])
    assert [key[:3] for key in keyboards.heard()] == [("Pedal board", "PageDown", True)]
    os.write(keep, data[30:])
    assert [key[:3] for key in keyboards.heard()] == [("Pedal board", "PageDown", False)]
    os.close(keep)
    keyboards.close()


@pytest.fixture(scope="module", autouse=True)
def nothing_is_left():
    """Clients of a server that has ended leave their semaphores behind."""
    yield
    for left in Path("/dev/shm").glob(f"jack*{SERVER}*"):
        left.unlink(missing_ok=True)
