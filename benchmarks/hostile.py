"""What the control port stands up to while a show plays: mutated messages, raw bytes, floods.

``.venv/bin/python benchmarks/hostile.py [--messages 200000]`` prints for each attack how soon the
press of somebody else was answered meanwhile (median and worst), what was missing from the sound, and
whether the same processes are there as before.
"""

from __future__ import annotations

import argparse
import multiprocessing
import random
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

sys.path[:0] = [
    str(Path(__file__).parent),
    str(Path(__file__).parents[1] / "playout" / "tests"),
    str(Path(__file__).parents[1] / "server"),
]

import numpy as np
import zmq
from attacks import every_press, mutated, raw_bytes
from made_show import write_show
from process import Running, stolen

from backend.serve import HURRIED
from playout.client import EngineClient
from playout.processes import calm, hurry

PARTS = ("feeder", "leader", "follower")


def dealers(port: int, count: int) -> tuple[zmq.Context[zmq.Socket[bytes]], list[zmq.Socket[bytes]]]:
    """Clients that send what they like and need not read."""
    context = zmq.Context()
    lines = []
    for _ in range(count):
        line = context.socket(zmq.DEALER)
        line.setsockopt(zmq.LINGER, 0)
        line.connect(f"tcp://127.0.0.1:{port}")
        lines.append(line)
    return context, lines


def messages(port: int, count: int) -> None:
    """Control messages with something in them that nobody asked for, and every press with every kind of value."""
    rng = random.Random(7)
    context, (line,) = dealers(port, 1)
    for i, raw in enumerate([*every_press(), *(mutated(rng) for _ in range(count))]):
        line.send_multipart(rng.choice([[b"", raw], [b"", raw], [raw], [b"", raw, raw], [b"x", b"y", raw]]))
        if i % 50 == 0:
            while line.poll(20):
                line.recv_multipart()
    context.destroy(linger=0)


def presses(port: int) -> None:
    """A thousand presses a second for five seconds, by one client."""
    context, (line,) = dealers(port, 1)
    raw = b'{"do": "press", "press": "go_to", "args": {"step": 0, "when": "section_end"}}'
    began = time.monotonic()
    for i in range(5000):
        line.send_multipart([b"", raw])
        time.sleep(max(0, began + i / 1000 - time.monotonic()))
    context.destroy(linger=0)


def questions(port: int) -> None:
    """Twenty thousand questions for the state at once, by three hundred clients of which two hundred never read."""
    context, lines = dealers(port, 300)
    for i in range(20_000):
        try:
            lines[i % len(lines)].send_multipart([b"", b'{"do": "state"}'], zmq.NOBLOCK)
        except zmq.Again:
            pass
    until = time.monotonic() + 5
    while time.monotonic() < until:
        for line in lines[:100]:
            while line.poll(0):
                line.recv_multipart()
        time.sleep(0.01)
    context.destroy(linger=0)


def attacked(engine: Running, attack: Callable[..., None], *args: int) -> str:
    """Press at a calm pace while an attack goes on, at the rank of the stage's server; says what came of it."""
    before, pids, lost = engine.state()["dropouts"], [engine.pid(p) for p in PARTS], stolen()
    attacking = multiprocessing.Process(target=attack, args=(engine.ports[0], *args))
    attacking.start()
    hurry(HURRIED)
    answered = []
    with EngineClient(*engine.ports, timeout_ms=10_000) as other:
        while attacking.is_alive():
            began = time.monotonic()
            assert other.press("go_to", step=0, when="section_end")["ok"]
            answered.append(1000 * (time.monotonic() - began))
            time.sleep(0.05)
    attacking.join()
    calm()
    state = engine.until(lambda s: s["renderers"] == 2)
    same = sorted(engine.pid(p) for p in PARTS) == sorted(pids)
    return (
        f"press of another answered after median {np.median(answered):.0f} ms, worst {max(answered):.0f} ms; "
        f"{state['dropouts'] - before} blocks missing ({stolen() - lost:.1f} s taken away below), "
        f"{state['faults']} faults, {'the same processes' if same else 'PROCESSES ENDED'}"
    )


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--messages", type=int, default=200_000)
    args = parser.parse_args()
    with tempfile.TemporaryDirectory() as temporary:
        folder = Path(temporary)
        write_show(folder / "show", sockets=16, seconds=240, stems=16)
        with Running(folder, channels=16, blocks=4) as engine:
            assert engine.client.load(str(folder / "show"), "hostile")["ok"]
            engine.client.press("go")
            engine.until(lambda s: s["status"] == "playing")
            attacks: dict[str, tuple[Callable[..., None], *tuple[int, ...]]] = {
                f"{args.messages} mutated messages": (messages, args.messages),
                "raw bytes, up to 10 MB": (raw_bytes,),
                "1,000 presses a second for 5 s": (presses,),
                "20,000 questions by 300 clients, 200 never read": (questions,),
            }
            for name, attack in attacks.items():
                print(f"{name}: {attacked(engine, *attack)}", flush=True)


if __name__ == "__main__":
    main()
