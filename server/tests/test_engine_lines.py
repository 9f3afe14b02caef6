"""Presses reach the engine by lines that are kept, and each gets its own answer."""

import asyncio
import json
import threading

import pytest
import zmq

from stage import engine
from upbeat.errors import Refused


@pytest.fixture
def asked(settings):
    """What came to the engine's place, as (line, press); a press “late” is answered only when the next one comes."""
    context, came, late = zmq.Context(), [], []
    control = context.socket(zmq.ROUTER)
    settings.ENGINE_CONTROL_PORT = control.bind_to_random_port("tcp://127.0.0.1")

    def answer():
        while True:
            line, _, raw = control.recv_multipart()
            press = json.loads(raw)["press"]
            came.append((line, press))
            if press == "end":
                return
            if press == "late":
                late.append(line)
                continue
            for old in late:
                control.send_multipart([old, b"", b'{"press": "late"}'])
            control.send_multipart([line, b"", json.dumps({"press": press}).encode()])

    thread = threading.Thread(target=answer)
    thread.start()
    yield came
    with context.socket(zmq.REQ) as last:
        last.connect(f"tcp://127.0.0.1:{settings.ENGINE_CONTROL_PORT}")
        last.send(b'{"press": "end"}')
        thread.join()
    context.destroy(linger=0)


async def pressed(name):
    return (await engine.press(name, {}, "Ines", 0.0))["press"]


def test_a_press_after_another_takes_its_line_and_two_at_once_have_one_each(asked):
    async def run():
        assert await pressed("go") == "go"
        assert await pressed("stop") == "stop"
        assert await asyncio.gather(pressed("one"), pressed("two")) == ["one", "two"]
        assert await pressed("go") == "go"

    asyncio.run(run())
    lines = dict(reversed([(press, line) for line, press in asked]))
    assert lines["go"] == lines["stop"]
    assert lines["one"] != lines["two"]
    assert len({line for line, _ in asked}) == 2


def test_an_answer_that_comes_too_late_is_not_that_of_another_press(asked, monkeypatch):
    monkeypatch.setattr(engine, "ANSWER_MS", 200)

    async def run():
        assert await pressed("go") == "go"
        with pytest.raises(Refused, match="does not answer"):
            await pressed("late")
        monkeypatch.setattr(engine, "ANSWER_MS", 10_000)
        assert await pressed("stop") == "stop"
        assert await pressed("go") == "go"

    asyncio.run(run())
    assert [press for _, press in asked] == ["go", "late", "stop", "go"]
    assert asked[1][0] != asked[2][0]


def test_an_engine_that_was_started_anew_is_found_by_the_line_that_was_kept(settings):
    def started(context):
        control = context.socket(zmq.ROUTER)
        control.setsockopt(zmq.RCVTIMEO, 10_000)
        return control

    def answer(control):
        line, _, raw = control.recv_multipart()
        control.send_multipart([line, b"", raw])

    before, after = zmq.Context(), zmq.Context()
    first, second = started(before), started(after)
    settings.ENGINE_CONTROL_PORT = port = first.bind_to_random_port("tcp://127.0.0.1")

    async def run():
        found, _ = await asyncio.gather(pressed("go"), asyncio.to_thread(answer, first))
        assert found == "go"
        (kept,) = engine._IDLE[asyncio.get_running_loop()][port]
        seen = kept.get_monitor_socket(zmq.EVENT_DISCONNECTED)
        before.destroy(linger=0)
        await asyncio.wait_for(seen.recv_multipart(), 10)
        kept.disable_monitor()
        second.bind(f"tcp://127.0.0.1:{port}")
        found, _ = await asyncio.gather(pressed("stop"), asyncio.to_thread(answer, second))
        assert found == "stop"
        assert engine._IDLE[asyncio.get_running_loop()][port] == [kept]

    asyncio.run(run())
    after.destroy(linger=0)
