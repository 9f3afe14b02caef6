"""Messages of an engine that plays: in order, none lost or doubled, whatever is pressed, dies, or is pulled out (rules S2 to S5).

JACK without real time loses what comes in a cycle for which a client is late: what has to come whole is heard at the end of the
product's own way, before the port; that the bytes reach a port, at JACK's.
"""

import itertools
import json
import os
import signal
import socket
import threading
import time
from contextlib import contextmanager
from pathlib import Path

import pytest
import zmq
from boxed import BAND, Ports
from material import ramp_stem, show, song, write_wav
from process import Running
from test_jack import end_jack, jack_env, started_jack

from playout.ports import lane
from playout.ports.outbox import Outbox
from upbeat.errors import Problem

RATE = 48000
AS_IT_IS_S = lane.PATIENCE_S
SERVER = f"upbeat-messages-{os.getpid()}"
KEYS = {"id": "keys", "name": "Keys", "kind": "midi", "port": "Rig", "channel": 2}
EARLY = {"id": "early", "name": "Early", "kind": "midi", "port": "Slow desk", "channel": 1, "lead_ms": 500}


@pytest.fixture(scope="module")
def jack():
    server = started_jack(SERVER, waits=True)
    yield jack_env(SERVER)
    end_jack(server)


@pytest.fixture(scope="module", autouse=True)
def nothing_is_left():
    """Clients of a server that has ended leave their semaphores behind."""
    yield
    for left in Path("/dev/shm").glob(f"jack*{SERVER}*"):
        left.unlink(missing_ok=True)


@pytest.fixture
def engine(tmp_path):
    # A press must fall within the lead of a device: the buffer of the interface is short.
    with Running(tmp_path, blocks=16) as running:
        yield running


@pytest.fixture
def ports(engine, jack):
    with Ports(engine, jack) as running:
        yield running


def load(engine, messages, devices, **changes):
    folder = engine.folder / "evening"
    folder.mkdir()
    write_wav(folder / "ramp.wav", ramp_stem(60 * RATE))
    stem = {"id": "r", "name": "Ramp", "file": "ramp.wav", "group": "rhythm", "pan": -1}
    sections = [{"id": f"s{i}", "name": f"Part {i}", "bars": 1} for i in range(30)]
    written = [{"id": f"m{i}", **one} for i, one in enumerate(messages)]
    document = show(song(stems=[stem], sections=sections, messages=written, **changes), devices=devices)
    (folder / "show.json").write_text(json.dumps(document))
    answer = engine.client.load(str(folder), "evening", band=BAND)
    assert answer["ok"], answer


def at(section, send, device="keys", **more):
    return {"device": device, "at": {"place": "section", "section": section, **more}, "send": send}


def program(number):
    return {"kind": "program", "program": number}


def struck(number, beats=1.0):
    return {"kind": "note", "note": number, "beats": beats}


@contextmanager
def receiver(name, env, ports):
    """A port of another program: gives what has come to it.

    One of the same name that a test before has closed is gone first: one that comes back at once is taken for it.
    """
    ports.until(lambda t: not any(p["name"] == name and p["out"] for p in t["ports"]))
    os.environ.update({k: env[k] for k in ("JACK_DEFAULT_SERVER", "JACK_NO_AUDIO_RESERVATION")})
    import rtmidi

    into = rtmidi.MidiIn(rtmidi.API_UNIX_JACK, name=name, queue_size_limit=20_000)
    into.ignore_types(timing=False)
    into.open_virtual_port("in")
    got = []

    def come():
        while (event := into.get_message()) is not None:
            got.append(event[0])
        return got

    try:
        yield come
    finally:
        into.close_port()
        into.delete()


class Heard:
    """Stands in for the driver of a device: what it was given, while it is ``there`` and ``takes`` something."""

    def __init__(self):
        self.there, self.takes, self.got = True, True, []

    def look(self):
        pass

    def missing(self):
        return None if self.there else Problem("device-gone", "It is gone.")

    def send(self, send, data, due_ns=None):
        if self.takes:
            self.got.append(list(data))
        return self.takes


@pytest.fixture
def patient(monkeypatch):
    """A machine that is taken away for a while drops nothing."""
    monkeypatch.setattr(lane, "PATIENCE_S", 5)


@pytest.fixture
def outbox(engine):
    """The product's own outbox, with a driver for each device that keeps what it gets."""
    context, made = zmq.Context(), {}
    box = Outbox(context, engine.engine, lambda address: made.setdefault(address.id, Heard()))
    box.made, box.awake = made, threading.Event()
    box.awake.set()
    going = [True]

    def turn():
        while going:
            box.awake.wait(10)
            box.offers.poll(5)
            box.take()
            box.look()

    thread = threading.Thread(target=turn)
    thread.start()
    yield box
    going.clear()
    thread.join()
    box.leave()
    context.destroy(linger=0)


def started(engine, outbox, messages, devices):
    load(engine, messages, devices)
    outbox.use(engine.state()["loads"])
    return outbox.made[devices[0]["id"]]


def go(engine):
    answer = engine.client.press("go")
    assert answer["accepted"], answer


def told(outbox, name="keys"):
    return next(d for d in outbox.told() if d["id"] == name)


def test_what_is_written_goes_out_in_order_with_the_note_that_ends(engine, outbox, patient):
    swell = {"kind": "controller", "controller": 7, "value": 90}
    keys = started(engine, outbox, [at("s0", program(5)), at("s1", struck(62)), at("s2", swell)], [KEYS])
    go(engine)
    engine.until(lambda s: s["position"]["bar"] == 4)
    assert keys.got == [[0xC1, 4], [0x91, 62, 100], [0x81, 62, 0], [0xB1, 7, 90]]
    now = told(outbox)
    assert (now["sent"], now["dropped"]) == (4, 0)
    assert [one["message"] for one in now["last"]] == ["controller", "note", "program"]


def test_a_clock_is_whole_over_a_jump(engine, outbox, patient):
    keys = started(engine, outbox, [], [{**KEYS, "clock": True}])
    go(engine)
    engine.until(lambda s: s["position"]["bar"] == 2)
    assert engine.client.press("go_to", step=20, when="next_bar")["accepted"]
    engine.until(lambda s: s["position"]["bar"] == 21)
    engine.client.press("stop")
    time.sleep(0.7)
    got, sixteenths = keys.got, 20 * 16
    jumped = got.index([0xF2, sixteenths & 0x7F, sixteenths >> 7])
    assert got[0] == [0xFA]
    assert got[jumped - 1] == [0xFC]
    assert got[jumped + 1] == [0xFB]
    assert got[:jumped].count([0xF8]) % 96 == 0
    assert got[-1] == [0xFC]
    assert {tuple(one) for one in got} == {(0xFA,), (0xF8,), (0xFC,), (0xFB,), tuple(got[jumped])}


def test_what_was_sent_early_is_made_good_when_the_music_goes_elsewhere(engine, outbox, patient):
    messages = [at("s0", program(1), "early"), at("s1", program(2), "early"), at("s1", struck(40, 8), "early")]
    desk = started(engine, outbox, messages, [EARLY])
    go(engine)
    engine.until(lambda s: [0x90, 40, 100] in desk.got)
    assert engine.state()["position"]["bar"] == 1
    engine.client.press("stop")
    engine.until(lambda s: len(desk.got) == 5)
    assert desk.got == [[0xC0, 0], [0xC0, 1], [0x90, 40, 100], [0x80, 40, 0], [0xC0, 0]]


def test_what_is_told_late_is_made_good_all_the_same_and_no_note_hangs(engine, outbox, patient):
    """The process of the ports stood still while a press took back what it had sent, until long after that was due."""
    desk = started(engine, outbox, [at("s0", program(1), "early"), at("s1", struck(40, 8), "early")], [EARLY])
    go(engine)
    engine.until(lambda s: [0x90, 40, 100] in desk.got)
    outbox.awake.clear()
    engine.client.press("stop")
    time.sleep(1.5)
    outbox.awake.set()
    engine.until(lambda s: len(desk.got) == 3)
    assert desk.got == [[0xC0, 0], [0x90, 40, 100], [0x80, 40, 0]]


@pytest.mark.parametrize("how", ["gone", "full"])
def test_a_device_that_is_away_in_mid_note_is_brought_to_what_holds_when_it_is_back(
    engine, outbox, patient, monkeypatch, how
):
    messages = [at("s0", program(5)), at("s0", struck(60, 8)), at("s1", program(9)), at("s1", struck(61, 80))]
    keys = started(engine, outbox, messages, [KEYS])
    go(engine)
    engine.until(lambda s: [0x91, 60, 100] in keys.got)
    monkeypatch.setattr(lane, "PATIENCE_S", AS_IT_IS_S)
    if how == "gone":
        keys.there = False
    else:
        keys.takes = False
    engine.until(lambda s: s["position"]["bar"] == 4)
    now = told(outbox)
    assert now["dropped"] == 3
    assert now["there"] is (how == "full")
    before = len(keys.got)
    keys.there = keys.takes = True
    engine.until(lambda s: len(keys.got) > before + 1)
    assert keys.got[before:] == [[0x81, 60, 0], [0xC1, 8]]


def test_a_device_that_takes_nothing_makes_no_other_late(engine, outbox):
    bars, lines, values = range(2, 6), range(32), 127
    # Each line goes from one end to the other in a bar of two seconds: two thousand messages a second in all.
    pour = [
        {
            "device": "full",
            "at": {"place": "bar", "bar": b, "beat": 1},
            "send": {"kind": "controller", "controller": 8 + c, "value": values * (b % 2), "over_beats": 4},
        }
        for b in (1, *bars)
        for c in lines
    ]
    beats = [
        {"device": "keys", "at": {"place": "bar", "bar": b, "beat": k + 1}, "send": struck(b * 4 + k, 0.25)}
        for b in bars
        for k in range(4)
    ]
    full = {**KEYS, "id": "full", "name": "Full"}
    keys = started(engine, outbox, [*pour, *beats], [KEYS, full])
    outbox.made["full"].takes = False
    go(engine)
    engine.until(lambda s: s["position"]["bar"] == 6)
    poured = len(lines) * (1 + values * len(bars))
    engine.until(lambda s: told(outbox, "full")["dropped"] == poured)
    # What this machine was taken away for is dropped and counted, nothing else is; a dropped end of a note is made good.
    numbers, ended = ([one[1] for one in keys.got if one[0] == status] for status in (0x91, 0x81))
    assert numbers == sorted(set(numbers))
    assert set(numbers) <= set(ended)
    dropped = told(outbox)["dropped"]
    assert 2 * len(beats) <= len(keys.got) + dropped <= 2 * len(beats) + dropped
    assert len(keys.got) > len(beats)
    assert engine.state()["faults"] == 0
    # Once it takes some again it gets what holds, and nothing of what is over.
    outbox.made["full"].takes = True
    holds = [[0xB1, 8 + c, values * (bars[-1] % 2)] for c in lines]
    engine.until(lambda s: len(outbox.made["full"].got) >= len(holds))
    assert sorted(outbox.made["full"].got) == holds


def test_the_leader_dies_and_no_message_is_lost_or_sent_twice(engine, outbox, patient):
    messages = [
        {"device": "keys", "at": {"place": "bar", "bar": b, "beat": k + 1}, "send": struck(b * 4 + k, 0.25)}
        for b in range(1, 13)
        for k in range(4)
    ]
    keys = started(engine, outbox, messages, [KEYS])
    go(engine)
    for bar in (2, 6):
        engine.until(lambda s, bar=bar: s["position"]["bar"] == bar and s["renderers"] == 2)
        engine.kill_part("leader")
    engine.until(lambda s: s["position"]["bar"] == 13)
    assert [one[1] for one in keys.got if one[0] == 0x91] == list(range(4, 52))
    assert [one[1] for one in keys.got if one[0] == 0x81] == list(range(4, 52))


@pytest.fixture
def halted(engine):
    """The ports by a JACK of their own, and that server: where one of them stood still, who comes next waits for minutes."""
    server = started_jack(f"{SERVER}-halted", waits=True)
    env = jack_env(f"{SERVER}-halted")
    with Ports(engine, env) as running:
        yield running, env, server
    end_jack(server)


def test_the_bytes_reach_a_port_and_an_address_and_a_server_that_stands_still_holds_up_nothing(engine, halted):
    ports, env, server = halted
    heard = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    heard.bind(("127.0.0.1", 0))
    heard.settimeout(20)
    film = {"id": "film", "name": "Film", "kind": "osc", "host": "localhost", "udp_port": heard.getsockname()[1]}
    pour = [at(f"s{i}", struck(n)) for i in range(2, 7) for n in range(127)]
    says = [at(f"s{i}", {"kind": "osc", "address": "/part", "args": [i, "go"]}, "film") for i in range(1, 7)]
    with heard, receiver("Rig", env, ports) as come:
        load(engine, [at("s0", program(5)), *pour, *says], [KEYS, film])
        ports.until(lambda t: len(t["devices"]) == 2 and all(d["there"] for d in t["devices"]))
        go(engine)
        engine.until(lambda s: [0xC1, 4] in come())
        assert heard.recv(100) == b"/part\0\0\0,is\0\0\0\0\x01go\0\0"
        try:
            server.send_signal(signal.SIGSTOP)
            for i in range(2, 7):
                assert heard.recv(100)[15] == i
                assert engine.client.press("mark")["ok"]
                assert ports.ask("tell")["ok"]
        finally:
            server.send_signal(signal.SIGCONT)


def test_what_is_late_because_our_process_stood_still_is_sent_late(engine, halted):
    """A fader goes up in each bar of two seconds; in all but one the process of the ports stands still for a fifth of a second."""
    bars = range(2, 8)
    line = {"kind": "controller", "controller": 7, "value": 127, "over_beats": 2.5}
    back = {"kind": "controller", "controller": 7, "value": 0}
    up = [{"device": "keys", "at": {"place": "bar", "bar": b, "beat": 1}, "send": line} for b in bars]
    down = [{"device": "keys", "at": {"place": "bar", "bar": b, "beat": 4}, "send": back} for b in (1, *bars)]
    ports, env, _ = halted
    with receiver("Rig", env, ports) as come:
        load(engine, [*up, *down], [KEYS])
        ports.until(lambda t: t["devices"] and t["devices"][0]["there"])
        go(engine)
        for bar in bars[:-1]:
            engine.until(lambda s, bar=bar: s["position"]["bar"] == bar and s["position"]["beat"] == 2)
            ports.process.send_signal(signal.SIGSTOP)
            time.sleep(0.2)
            ports.process.send_signal(signal.SIGCONT)
        engine.until(lambda s: s["position"]["bar"] == bars[-1] + 1)
        ends = [i for i, one in enumerate(come()) if one[2] == 0]
        *held_up, whole = [[one[2] for one in come()[a + 1 : b]] for a, b in itertools.pairwise(ends)]
    assert (len(whole), whole[-1]) == (125, 127)
    # The machine may be taken away for longer than what is sent late; not in each of the bars.
    assert whole in held_up


def test_a_message_is_sent_at_once_and_what_cannot_be_is_told(ports, jack):
    with receiver("Rig", jack, ports) as come:
        ports.until(lambda t: any(p["name"] == "Rig" and p["out"] for p in t["ports"]))
        assert ports.ask("send", device=KEYS, send=struck(62))["ok"]
        ports.until(lambda t: len(come()) == 2)
        assert come() == [[0x91, 62, 100], [0x81, 62, 0]]
        answer = ports.ask("send", device={**KEYS, "id": "other", "port": "Attic"}, send=program(3))
        assert answer["problems"][0]["message"] == "The port “Attic” of “Keys” is not plugged in."
        far = {"id": "far", "name": "Far", "kind": "osc", "host": "203.0.113.7", "udp_port": 9000}
        answer = ports.ask("send", device=far, send={"kind": "osc", "address": "/x"})
        assert "is not in this network" in answer["problems"][0]["message"]
        assert not ports.ask("send", device=KEYS, send={"kind": "program", "program": 129})["ok"]
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as free:
            free.bind(("127.0.0.1", 0))
            deaf = {**far, "id": "deaf", "host": "127.0.0.1", "udp_port": free.getsockname()[1]}
        assert ports.ask("send", device=deaf, send={"kind": "osc", "address": "/x"})["ok"]
        ports.until(lambda t: not ports.ask("send", device=deaf, send={"kind": "osc", "address": "/x"})["ok"])
        answer = ports.ask("send", device=deaf, send={"kind": "osc", "address": "/x"})
        assert "Nothing listens at 127.0.0.1" in answer["problems"][0]["message"]


def test_the_stand_ins_show_what_arrived_and_how_late_and_timecode_as_a_place(engine, ports):
    rig = {**KEYS, "port": "Keyboard rig"}
    film = {"id": "time", "name": "Time", "kind": "timecode", "port": "Film player", "fps": "25"}
    ports.until(lambda t: {"Keyboard rig", "Film player"} <= {p["name"] for p in t["ports"]})
    load(engine, [at("s0", program(5)), at("s1", struck(62))], [rig, film])
    ports.until(lambda t: len(t["devices"]) == 2 and all(d["there"] for d in t["devices"]))
    go(engine)

    def stand_ins(told):
        return {one["name"]: one for one in told["stand_ins"]}

    told = stand_ins(ports.until(lambda t: any(h["data"] == "91 3e 64" for h in stand_ins(t)["Keyboard rig"]["heard"])))
    struck_late = next(h["late_ms"] for h in told["Keyboard rig"]["heard"] if h["data"] == "91 3e 64")
    assert -2 < struck_late < 500
    assert told["Keyboard rig"]["program"] == 5
    told = stand_ins(ports.until(lambda t: (stand_ins(t)["Film player"]["timecode"] or {}).get("running")))
    place = told["Film player"]["timecode"]
    assert place["fps"] == "25"
    heard = engine.state()
    # What is told was told a moment ago: so much may the song have gone on.
    assert 3600 < place["seconds"] + place["age_ms"] / 1000 <= 3600 + heard["position"]["song_s"] + 0.2
