"""The engine's process: ``python -m playout.main --control PORT --state PORT --folder DIR``."""

from __future__ import annotations

import argparse
import gc
import os
import signal
import sys
from pathlib import Path

# A product of 14 by 16 by 256 is done before a second thread wakes; threads only cost here.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import msgspec
import zmq

from playout.devices import make_device
from playout.engine import Engine
from playout.night_log import crashed


def hurry() -> bool:
    """Ask to be scheduled before other processes; an ordinary user has no right to, and goes without."""
    try:
        os.setpriority(os.PRIO_PROCESS, 0, -15)
        return True
    except OSError:
        return False


def _import_ahead() -> None:
    """What loading a show needs, brought in before there is a block to be late with."""
    from upbeat.show.document import check_schema

    check_schema({"format": "upbeat-cue-show", "version": 1, "title": "-", "songs": [], "entries": []})


def main(argv: list[str] | None = None) -> None:
    args = _arguments(argv)
    context = zmq.Context()
    control = context.socket(zmq.REP)
    control.bind(f"tcp://127.0.0.1:{args.control}")
    state = context.socket(zmq.PUB)
    state.setsockopt(zmq.SNDHWM, 200)
    state.bind(f"tcp://127.0.0.1:{args.state}")

    def publish(topic: bytes, body: bytes) -> None:
        state.send_multipart([topic, body], zmq.NOBLOCK)

    device = make_device(args.device, args.channels, args.rate, args.ahead)
    folder, words = Path(args.folder), Path(args.words) if args.words else None
    engine = Engine(device, folder, publish, words, crashed(folder))
    _import_ahead()
    stopping: list[int] = []
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda n, frame: stopping.append(n))
    hurry()
    # A show is made ready on another thread: let it hold the interpreter for moments only.
    sys.setswitchinterval(0.0002)
    gc.freeze()
    try:
        run(engine, control, stopping)
    finally:
        context.destroy(linger=200)


def run(engine: Engine, control: zmq.Socket[bytes], stopping: list[int]) -> None:
    """Play and answer until ``stopping`` holds something. After a fault the checkpoint stays."""
    orderly = False
    engine.device.start()
    try:
        while not stopping:
            engine.step()
            while control.poll(0):
                control.send(msgspec.json.encode(engine.answer(control.recv())))
        orderly = True
    finally:
        engine.close(orderly)


def _arguments(argv: list[str] | None) -> argparse.Namespace:
    parser = argparse.ArgumentParser(prog="playout", description="Plays a loaded show to a device.")
    parser.add_argument("--control", type=int, required=True, help="loopback port for commands")
    parser.add_argument("--state", type=int, required=True, help="loopback port for state")
    parser.add_argument("--folder", required=True, help="checkpoints, night log, recordings")
    parser.add_argument("--words", help="folder of rendered words")
    parser.add_argument("--device", default="simulated")
    parser.add_argument("--channels", type=int, default=8)
    parser.add_argument("--rate", type=int, default=48000)
    parser.add_argument("--ahead", type=int, default=8, help="blocks in hand")
    return parser.parse_args(argv)


if __name__ == "__main__":
    main()
