"""The process of the ports, and boxes of real MIDI, for the tests."""

from __future__ import annotations

import itertools
import json
import os
import subprocess
import sys
import time
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import msgspec
import zmq
from process import Running, free_port

from upbeat.controls.hands import read_hands

BAND = "band"
_MARKS = itertools.count()


class Ports:
    """``playout.ports.main`` beside an engine; ends on leaving."""

    def __init__(self, engine: Running, env: dict[str, str] | None = None):
        self.engine, self.folder, self._env = engine, engine.folder / "hands", env
        self.folder.mkdir(exist_ok=True)
        self.listen, self.publish = free_port(), free_port()

    def __enter__(self) -> Ports:
        numbers = {
            "--listen": self.listen,
            "--publish": self.publish,
            "--control": self.engine.ports[0],
            "--state": self.engine.ports[1],
            "--folder": self.engine.engine,
            "--hands": self.folder,
        }
        command = [sys.executable, "-m", "playout.ports.main", *(str(p) for pair in numbers.items() for p in pair)]
        self.process = subprocess.Popen(command, env=self._env)
        self._context = zmq.Context()
        self.heard = self._context.socket(zmq.SUB)
        self.heard.setsockopt(zmq.SUBSCRIBE, b"")
        self.heard.setsockopt(zmq.RCVHWM, 0)
        self.heard.connect(f"tcp://127.0.0.1:{self.publish}")
        assert self.ask("tell")["ok"]
        return self

    def __exit__(self, *args: object) -> None:
        self.process.terminate()
        self.process.wait(10)
        self._context.destroy(linger=0)

    def ask(self, do: str, **fields: Any) -> dict[str, Any]:
        socket = self._context.socket(zmq.REQ)
        socket.setsockopt(zmq.LINGER, 0)
        socket.connect(f"tcp://127.0.0.1:{self.listen}")
        socket.send(json.dumps({"do": do, **fields}).encode())
        assert socket.poll(20_000), "the process of the ports does not answer"
        answer: dict[str, Any] = json.loads(socket.recv())
        socket.close()
        return answer

    def bind(self, *bindings: dict[str, Any], lights: list[dict[str, Any]] | None = None) -> None:
        """Give the band these hands, and wait until they are read."""
        document = {"bindings": [{"id": f"b{i}", **b} for i, b in enumerate(bindings)], "lights": lights or []}
        read_hands(document)
        half = self.folder / "half"
        half.write_bytes(msgspec.json.encode(document))
        written = half.replace(self.folder / f"{BAND}.json").stat().st_mtime_ns
        self.until(lambda told: told["read"] == written)

    def until(self, wanted, seconds: float = 60) -> dict[str, Any]:
        """What is told, once ``wanted`` accepts it."""
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            told = self.ask("tell")
            if wanted(told):
                return told
            time.sleep(0.05)
        raise AssertionError(f"never came: {told}")

    def port(self, name: str) -> dict[str, Any]:
        return next((p for p in self.ask("tell")["ports"] if p["name"] == name), {})

    def there(self, name: str, kind: str = "midi") -> None:
        """Wait until a port is heard: its lights may be found up to half a second before."""
        self.until(lambda t: any(p["name"] == name and p["kind"] == kind and p["into"] for p in t["ports"]))

    def topics(self, topic: str) -> list[Any]:
        """What was published of a topic since the last asking."""
        found = []
        while self.heard.poll(50):
            name, body = self.heard.recv_multipart()
            if name.decode() == topic:
                found.append(json.loads(body))
        return found


def pressed(engine: Running) -> list[dict[str, Any]]:
    """The presses of the night, as its log has them once they were heard: what a mark of ours comes after."""
    time.sleep(0.5)
    mine = f"test {next(_MARKS)}"
    assert engine.client.ask("press", press="mark", args={}, by=mine)["ok"]
    end = time.monotonic() + 20
    while time.monotonic() < end:
        lines = [json.loads(line) for line in Path(engine.night()).read_text().splitlines() if line]
        found = [line for line in lines if "press" in line]
        if any(line.get("by") == mine for line in found):
            return [line for line in found if not str(line.get("by", "")).startswith("test ")]
        time.sleep(0.05)
    raise AssertionError("the log of the night has not taken a mark")


@contextmanager
def midi_box(name: str, env: dict[str, str]):
    """A box with a real port: what it sends by, and what has come to its lights."""
    os.environ.update({k: env[k] for k in ("JACK_DEFAULT_SERVER", "JACK_NO_AUDIO_RESERVATION")})
    import rtmidi

    out = rtmidi.MidiOut(rtmidi.API_UNIX_JACK, name=name)
    into = rtmidi.MidiIn(rtmidi.API_UNIX_JACK, name=f"{name} lights")
    out.open_virtual_port("out")
    into.open_virtual_port("lights")
    try:
        yield out, into
    finally:
        for one in (out, into):
            one.close_port()
            one.delete()


def note(port: str, number: int = 36) -> dict[str, Any]:
    return {"port": port, "kind": "note", "channel": 10, "number": number}


def controller(port: str, number: int) -> dict[str, Any]:
    return {"port": port, "kind": "controller", "channel": 1, "number": number}


def does(press: str, **args: Any) -> dict[str, Any]:
    return {"kind": "press", "press": press, "args": args}
