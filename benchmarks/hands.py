"""From a MIDI byte at a port to the first changed sample, and whether a press is ever lost or doubled.

``.venv/bin/python benchmarks/hands.py [--latency 500] [--presses 10000] [--over-jack 1000] [--realtime]`` starts JACK's dummy, an engine that plays to it and
the process of the ports. Both figures are taken in the frames of JACK: the byte is written by our own client in a frame that is
known, and the sound of the engine comes back to the same client. Presses are counted with a JACK that waits for a client
which is late: otherwise it leaves that out of a cycle, and what was sent in it is lost before it reaches us.
"""

from __future__ import annotations

import argparse
import json
import os
import random
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager
from pathlib import Path
from typing import Any

ROOT = Path(__file__).parents[1]
sys.path[:0] = [str(ROOT / "playout" / "tests"), str(ROOT / "core" / "tests")]

import numpy as np
from boxed import BAND, Ports, does, midi_box, note
from material import RATE, show, song, write_wav
from process import Running, stolen
from test_jack import eight_outputs, jack_env, started_jack

SERVER = f"upbeat-bench-{os.getpid()}"
BLOCKS = 4
SLACK_MS = 5.0


class Ear:
    """A JACK client that writes notes in known frames, and hears the first output of the engine."""

    def __init__(self, env: dict[str, str]):
        os.environ.update({k: env[k] for k in ("JACK_DEFAULT_SERVER", "JACK_NO_AUDIO_RESERVATION")})
        import jack

        self.client = jack.Client("Bench pads", servername=env["JACK_DEFAULT_SERVER"], no_start_server=True)
        self._in = self.client.inports.register("in")
        self._out = self.client.midi_outports.register("out")
        self._wanted: bytes | None = None
        self.sent = 0
        self.blocks: list[tuple[int, np.ndarray]] = []
        self.client.set_process_callback(self._process)

    def _process(self, frames: int) -> None:
        at = self.client.last_frame_time
        self.blocks.append((at, self._in.get_array().copy()))
        self._out.clear_buffer()
        if self._wanted is not None:
            self._out.write_midi_event(0, self._wanted)
            self.sent, self._wanted = at, None

    def wire(self) -> None:
        outs = self.client.get_ports(is_output=True, is_audio=True)
        [first] = [p for p in outs if p.name.endswith("_0") and not p.name.startswith(("system:", "Bench"))]
        self.client.connect(first, self._in)

    def changed_after(self, message: bytes) -> float | None:
        """Milliseconds from a message to the first sample that is another one; None where nothing changed."""
        self.blocks.clear()
        self._wanted = message
        time.sleep(0.15)
        heard = [b for b in list(self.blocks) if b[0] >= self.sent]
        if self._wanted is not None or not heard:
            return None  # JACK was held up
        sound = np.concatenate([b for _, b in heard])
        moved = np.flatnonzero(np.abs(sound - sound[0]) > 1e-5)
        return None if len(moved) == 0 else 1000 * (heard[0][0] - self.sent + int(moved[0])) / RATE


def loaded(engine: Running, seconds: int = 1200) -> None:
    """A show of one long song whose only stem is a constant, so that every change is seen at its first sample."""
    folder = engine.folder / "evening"
    folder.mkdir()
    write_wav(folder / "dc.wav", np.full((seconds * RATE, 1), 0.25, np.float32))
    sections = [{"id": "s", "name": "Long", "bars": seconds // 2}]
    stem = {"id": "r", "name": "Constant", "file": "dc.wav", "group": "rhythm", "pan": -1}
    (folder / "show.json").write_text(json.dumps(show(song(stems=[stem], sections=sections))))
    assert engine.client.load(str(folder), "evening", band=BAND)["ok"]


def latency(engine: Running, ports: Ports, env: dict[str, str], count: int) -> None:
    ear = Ear(env)
    with ear.client:
        ear.wire()
        ports.there("Bench pads")
        pull, back = does("pull_house"), does("bring_back")
        ports.bind({"control": note("Bench pads", 36), "does": pull}, {"control": note("Bench pads", 37), "does": back})
        engine.client.press("go")
        engine.until(lambda s: s["status"] == "playing" and s["position"]["bar"] > 1)
        found = []
        for i in range(count):
            took = ear.changed_after(bytes((0x99, 36 + i % 2, 100)))
            if took is not None:
                found.append(took)
            time.sleep(0.05 + random.random() / 20)
            ear._wanted = bytes((0x99, 36 + i % 2, 0))
            time.sleep(0.08)
    buffer_ms = engine.state()["latency_ms"]
    allowed = 2 * 256 / RATE * 1000 + buffer_ms + SLACK_MS
    print(
        f"{len(found)} of {count} heard; median {np.median(found):.1f} ms, p95 {np.percentile(found, 95):.1f}, "
        f"worst {max(found):.1f}; two blocks + device ({buffer_ms:.1f} ms) + {SLACK_MS:g} ms = {allowed:.1f} ms"
    )


@contextmanager
def inside(name: str, ports: Ports):
    """A box whose bytes a page hands on, as Web MIDI does."""
    yield lambda message: ports.ask("bytes", port=name, data=message, by="Bench")


@contextmanager
def over_jack(name: str, ports: Ports, env: dict[str, str]):
    with midi_box(name, env) as (out, _):
        ports.there(name)
        yield out.send_message
    ports.until(lambda t: any(p["name"] == name and p["kind"] == "gone" for p in t["ports"]))


def presses(engine: Running, ports: Ports, box: Callable[[str], AbstractContextManager[Any]], count: int) -> None:
    """Marks from ten pads at up to 50 a second, in any order; over JACK the port goes and comes back ten times.

    How many presses our process made of them is counted apart from how many of these are in the night log.
    """
    name, made, round_ = "Restless pads", 0, max(1, count // 10)
    ports.bind(*({"control": note(name, 36 + i), "does": does("mark")} for i in range(10)))
    before, reached = marks(engine), 0
    ports.topics("signals")
    while made < count:
        steal, had = stolen(), made
        with box(name) as send:
            last = [0.0] * 10
            for _ in range(min(round_, count - made)):
                now = time.monotonic()
                free = [i for i in range(10) if now - last[i] > 0.13]
                pad = random.choice(free)
                last[pad] = now
                send([0x99, 36 + pad, 100])
                time.sleep(0.004)
                send([0x99, 36 + pad, 0])
                made += 1
                time.sleep(0.016)
            time.sleep(0.5)
        came = sum(s.get("press") == "mark" for shown in ports.topics("signals") for s in shown)
        reached += came
        print(
            f"  {came} of {made - had} reached the ports; {stolen() - steal:.1f} s taken by the machine below",
            flush=True,
        )
    time.sleep(2)
    print(f"{made} pressed, {reached} reached the ports, {marks(engine) - before} in the night log")


def marks(engine: Running) -> int:
    lines: list[dict[str, Any]] = [json.loads(line) for line in Path(engine.night()).read_text().splitlines()]
    return sum(line.get("press") == "mark" and str(line.get("by")).startswith("Restless pads") for line in lines)


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--latency", type=int, default=500)
    parser.add_argument("--presses", type=int, default=10_000, help="that a page hands on")
    parser.add_argument("--over-jack", type=int, default=1_000)
    parser.add_argument(
        "--realtime", action="store_true", help="JACK comes before other programs, as where it carries sound"
    )
    args = parser.parse_args()
    with rig(args.realtime) as (engine, ports, env):
        latency(engine, ports, env, args.latency)
    with rig(args.realtime, waits=True) as (engine, ports, env):
        presses(engine, ports, lambda name: over_jack(name, ports, env), args.over_jack)
        presses(engine, ports, lambda name: inside(name, ports), args.presses)


@contextmanager
def rig(realtime: bool, waits: bool = False) -> Iterator[tuple[Running, Ports, dict[str, str]]]:
    """JACK, an engine that plays to it, and the process of the ports. ``waits``: JACK waits for a client that is late."""
    server = started_jack(SERVER, realtime, waits)
    env = jack_env(SERVER)
    try:
        with tempfile.TemporaryDirectory() as made:
            device = eight_outputs(env)["name"]
            with Running(Path(made), channels=8, device=device, env=env, blocks=BLOCKS) as engine:
                loaded(engine)
                with Ports(engine, env) as ports:
                    yield engine, ports, env
    finally:
        server.terminate()
        server.wait()
        for left in Path("/dev/shm").glob(f"jack*{SERVER}*"):
            left.unlink(missing_ok=True)


if __name__ == "__main__":
    main()
