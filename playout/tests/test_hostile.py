"""Rule E7: whatever comes to the control port, no process ends and nothing is missing from the sound."""

import random
import socket
import threading
import time

import pytest
import zmq
from attacks import every_press, mutated, raw_bytes
from material import RATE, ramp_stem, show, song, write_wav
from process import Running

from playout.client import EngineClient

BAR = 2 * RATE
PARTS = ("feeder", "leader", "follower")


@pytest.fixture(scope="module")
def playing(tmp_path_factory):
    folder = tmp_path_factory.mktemp("hostile")
    (folder / "evening").mkdir()
    write_wav(folder / "evening" / "ramp.wav", ramp_stem(9 * BAR))
    stem = {"id": "r", "name": "Ramp", "file": "ramp.wav", "group": "rhythm"}
    steps = [{"section": "a"}, {"section": "b", "ending": {"kind": "vamp"}}, {"section": "c"}]
    with Running(folder) as engine:
        assert engine.load(show(song(stems=[stem], forms=[{"id": "f", "name": "F", "steps": steps}])))["ok"]
        engine.client.press("go")
        engine.until(lambda s: s["status"] == "playing")
        yield engine


@pytest.fixture
def unharmed(playing, missing):
    """The same processes go on, without a dropout or a fault, and a press is answered."""
    before = {part: playing.pid(part) for part in ("feeder",)}
    pids = {playing.pid("leader"), playing.pid("follower")}
    dropouts = playing.state()["dropouts"]
    yield playing
    state = playing.until(lambda s: s["status"] == "playing" and s["renderers"] == 2)
    assert {part: playing.pid(part) for part in ("feeder",)} == before
    assert {playing.pid("leader"), playing.pid("follower")} == pids
    assert state["faults"] == 0
    assert state["dropouts"] - dropouts <= missing()
    go = {"step": 1, "when": "section_end"}
    assert playing.client.ask("press", press="go_to", args=go, by="another")["ok"]


def test_messages_that_nobody_asked_for(unharmed):
    rng = random.Random(7)
    context = zmq.Context()
    dealer = context.socket(zmq.DEALER)
    dealer.setsockopt(zmq.LINGER, 0)
    dealer.connect(f"tcp://127.0.0.1:{unharmed.ports[0]}")
    for i, raw in enumerate([*every_press(), *(mutated(rng) for _ in range(3000))]):
        dealer.send_multipart(rng.choice([[b"", raw], [b"", raw], [raw], [b"", raw, raw], [b"x", b"y", raw]]))
        if i % 50 == 0:
            while dealer.poll(20):
                dealer.recv_multipart()
    context.destroy(linger=0)


def test_a_press_that_is_too_long_for_the_log_is_refused(unharmed):
    args = {f"{i}" + "\u20ac" * 190: "\u20ac" * 190 for i in range(8)}
    answer = unharmed.client.ask("press", press="go_to", args=args)
    assert answer["problems"][0]["code"] == "command-long"
    answer = unharmed.client.ask("load", folder="\u20ac" * 2000, show="x")
    assert not answer["ok"]
    for value in (2**31, -(2**31), 1e9, True, "section_end"):
        unharmed.client.press("go_to", step=value, when=value)
        unharmed.client.press("stand_by", entry=value)
        unharmed.client.press("fallback", on=value)
    unharmed.client.press("fallback", on=False)


def test_bytes_that_are_no_messages(unharmed):
    raw_bytes(unharmed.ports[0])
    silent = [socket.create_connection(("127.0.0.1", unharmed.ports[0])) for _ in range(50)]
    assert unharmed.client.ask("ping")["ok"]
    for line in silent:
        line.close()


def test_questions_by_the_thousand_and_clients_that_never_read(unharmed):
    context = zmq.Context()
    lines = []
    for _ in range(100):
        line = context.socket(zmq.DEALER)
        line.setsockopt(zmq.LINGER, 0)
        line.connect(f"tcp://127.0.0.1:{unharmed.ports[0]}")
        lines.append(line)

    def ask():
        for _ in range(100):
            for line in lines:
                try:
                    line.send_multipart([b"", b'{"do": "state"}'], zmq.NOBLOCK)
                except zmq.Again:
                    pass

    asking = threading.Thread(target=ask)
    asking.start()
    with EngineClient(*unharmed.ports, timeout_ms=20_000) as other:
        for _ in range(5):
            assert other.press("go_to", step=1, when="section_end")["accepted"]
    asking.join()
    context.destroy(linger=0)


def test_a_press_that_was_made_long_ago_is_not_run(unharmed):
    before = unharmed.state()["coming"]
    for age in (0.5, 4, 1e6):
        answer = unharmed.client.ask("press", press="pull_house", args={}, made=max(0, time.monotonic() - age))
        assert answer["problems"][0]["code"] == "press-old"
    assert not unharmed.state()["house_pulled"]
    assert unharmed.state()["coming"]["step"] == before["step"]
    assert unharmed.client.ask("press", press="bring_back", args={}, made=time.monotonic())["ok"]


def test_a_flood_of_presses_leaves_the_hands_of_another_free(unharmed):
    raw = b'{"do": "press", "press": "go_to", "args": {"step": 1, "when": "section_end"}}'
    context = zmq.Context()
    line = context.socket(zmq.DEALER)
    line.setsockopt(zmq.LINGER, 0)
    line.connect(f"tcp://127.0.0.1:{unharmed.ports[0]}")
    for _ in range(1000):
        line.send_multipart([b"", raw])
    with EngineClient(*unharmed.ports, timeout_ms=20_000) as other:
        assert other.press("go_to", step=1, when="section_end")["ok"]
    context.destroy(linger=0)
