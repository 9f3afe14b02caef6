"""The engine under load: sixteen stereo stems to sixteen sockets, both cores kept busy by others.

``.venv/bin/python benchmarks/engine.py [--minutes 10] [--idle] [--stems 16] [--sockets 16]`` prints the share of one core that the
feeder and the two renderers take, and the dropouts. The busy processes run at normal priority.
"""

from __future__ import annotations

import argparse
import multiprocessing
import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

sys.path[:0] = [str(Path(__file__).parent), str(Path(__file__).parents[1] / "playout" / "tests")]

from made_show import write_show
from process import free_port, stolen

from playout import shared
from playout.client import EngineClient, EngineSilent
from playout.shared import Shared, path_of


def burn() -> None:
    x = 1.0
    while True:
        x = x * 1.0000001 % 7


def cpu_seconds(pid: int) -> float:
    fields = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=float, default=10)
    parser.add_argument("--idle", action="store_true", help="without the busy processes")
    parser.add_argument("--stems", type=int, default=16)
    parser.add_argument("--sockets", type=int, default=16)
    args = parser.parse_args()
    with tempfile.TemporaryDirectory() as temporary:
        folder = Path(temporary)
        write_show(folder / "show", sockets=args.sockets, seconds=240, stems=args.stems)
        control, state = free_port(), free_port()
        command = [
            sys.executable,
            "-m",
            "playout.main",
            "--control",
            str(control),
            "--state",
            str(state),
            "--folder",
            str(folder / "engine"),
            "--channels",
            str(args.sockets),
        ]
        engine = subprocess.Popen(command)
        others = [
            multiprocessing.Process(target=burn, daemon=True) for _ in range(0 if args.idle else os.cpu_count() or 2)
        ]
        try:
            with EngineClient(control, state) as client:
                wait_for(client)
                print("loaded:", client.load(str(folder / "show"), "measured")["ok"])
                client.press("go")
                time.sleep(2)
                for other in others:
                    other.start()
                measure(client, processes(folder / "engine"), args.minutes, len(others))
        finally:
            for other in others:
                other.kill()
            engine.terminate()
            engine.wait()


def processes(folder: Path) -> dict[str, int]:
    """The process ids of an engine's parts."""
    memory = Shared(path_of(folder), 48000, 1000, create=False)
    leader = memory.number(shared.LEADER)
    return {
        "feeder": memory.number(shared.FEEDER_PID),
        "leader": memory.own(leader, shared.PID),
        "follower": memory.own(1 - leader, shared.PID),
    }


def measure(client: EngineClient, pids: dict[str, int], minutes: float, busy: int) -> None:
    """Print each process's share of a core and the dropouts over some minutes; ``busy``: processes beside them."""
    began, steal = time.monotonic(), stolen()
    cpu = {name: cpu_seconds(pid) for name, pid in pids.items()}
    before = client.ask("state")["state"]["dropouts"]
    time.sleep(minutes * 60)
    lasted = time.monotonic() - began
    state = client.ask("state")["state"]
    shares = {name: (cpu_seconds(pid) - cpu[name]) / lasted for name, pid in pids.items()}
    print(f"{state['status']} for {lasted / 60:.1f} min, {busy} busy processes beside it")
    print(", ".join(f"{name} {share:.1%}" for name, share in shares.items()), "of one core")
    lost = state["dropouts"] - before
    print(f"{lost} dropouts; {stolen() - steal:.1f} s taken away by the machine below")


def wait_for(client: EngineClient) -> None:
    for _ in range(100):
        try:
            client.ask("ping")
            return
        except EngineSilent:
            time.sleep(0.1)


if __name__ == "__main__":
    main()
