"""How late messages leave, against the frame that they belong to.

``.venv/bin/python benchmarks/messages.py [--songs 5] [--period 64] [--busy] [--realtime]`` starts JACK's dummy, an engine on the simulated
device and the process of the ports. Each song sends 2,000 notes, four on every beat at 240 a minute; a port of ours notes when each
comes, by the machine's monotonic clock, which the engine's frames are known by too. ``--busy``: two processes take what
they can of the processor meanwhile. ``--realtime``: JACK comes before other programs, as
where it carries sound. It gives a message on at its next cycle: half a period is the least median that can be had.
"""

from __future__ import annotations

import argparse
import contextlib
import itertools
import json
import multiprocessing
import os
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

ROOT = Path(__file__).parents[1]
sys.path[:0] = [str(ROOT / "playout" / "tests"), str(ROOT / "core" / "tests")]

import numpy as np
from boxed import BAND, Ports
from material import RATE, ramp_stem, show, song, write_wav
from process import Running, stolen
from test_jack import WAITING

from playout import shared

SERVER = f"upbeat-bench-{os.getpid()}"
KEYS = {"id": "keys", "name": "Keys", "kind": "midi", "port": "Ear", "channel": 1}
OF_SONG, OF_BEAT, BPM = 2_000, 4, 240


class Ear:
    """A port ``name`` that notes when each note comes, in ns of the monotonic clock.

    RtMidi takes the time of each message in JACK's cycle, and tells it from one to the next: the earliest that any of them can have
    come by what was read when says when the first came.
    """

    def __init__(self, env: dict[str, str], name: str = "Ear"):
        os.environ.update({k: env[k] for k in ("JACK_DEFAULT_SERVER", "JACK_NO_AUDIO_RESERVATION")})
        import rtmidi

        self._in = rtmidi.MidiIn(rtmidi.API_UNIX_JACK, name=name, queue_size_limit=50_000)
        self._in.open_virtual_port("in")
        self._notes: list[tuple[float, int]] = []
        self._since, self._first = 0.0, float("inf")

    def read(self) -> None:
        while (event := self._in.get_message()) is not None:
            (status, number, *_), since = event
            self._since += since if self._notes or self._since else 0.0
            self._first = min(self._first, time.monotonic() - self._since)
            if status & 0xF0 == 0x90:
                self._notes.append((self._since, number))

    @property
    def came(self) -> list[tuple[int, int]]:
        return [(round(1e9 * (self._first + at)), number) for at, number in self._notes]

    def close(self) -> None:
        self._in.close_port()
        self._in.delete()


def bare(env: dict[str, str], dues: Any) -> None:
    """A sender that does nothing else: four notes every quarter of a second, as ours; tells when each was due."""
    os.environ.update({k: env[k] for k in ("JACK_DEFAULT_SERVER", "JACK_NO_AUDIO_RESERVATION")})
    import rtmidi

    out = rtmidi.MidiOut(rtmidi.API_UNIX_JACK, name="Bare")
    out.open_port(next(i for i, name in enumerate(out.get_ports()) if "Bare ear" in name))
    with contextlib.suppress(OSError):
        os.sched_setscheduler(0, os.SCHED_RR, os.sched_param(5))
    start, number = time.monotonic(), 0
    for beat in itertools.count(1):
        due = start + beat / OF_BEAT
        time.sleep(max(0.0, due - time.monotonic()))
        for _ in range(OF_BEAT):
            dues.put((due, number % 125))
            out.send_message([0x90, number % 125, 100])
            number += 1


def jack_server(period: int, realtime: bool) -> tuple[Any, dict[str, str]]:
    import subprocess

    env = {**os.environ, "JACK_NO_AUDIO_RESERVATION": "1", "JACK_DEFAULT_SERVER": SERVER}
    command = [
        "jackd",
        "--realtime" if realtime else "--no-realtime",
        *WAITING,
        "-n",
        SERVER,
        "-d",
        "dummy",
        "-r",
        str(RATE),
        "-p",
        str(period),
    ]
    server = subprocess.Popen(command, env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    time.sleep(2)
    assert server.poll() is None, "jackd did not start"
    return server, env


def write(folder: Path, songs: int) -> None:
    """A show of songs that follow each other without a gap."""
    (folder / "evening").mkdir()
    write_wav(folder / "evening" / "ramp.wav", ramp_stem(RATE))
    messages = [
        {
            "id": f"m{n}",
            "device": "keys",
            "at": {"place": "bar", "bar": n // OF_BEAT // 4 + 1, "beat": n // OF_BEAT % 4 + 1},
            "send": {"kind": "note", "note": n % 125, "beats": 0.5},
        }
        for n in range(OF_SONG)
    ]
    made = song(
        tempo=[{"bar": 1, "bpm": str(BPM)}],
        sections=[{"id": "s", "name": "Long", "bars": OF_SONG // OF_BEAT // 4}],
        messages=messages,
    )
    document = show(
        *[{**made, "id": f"song{i}"} for i in range(songs)], links=({"kind": "attacca"},) * songs, devices=[KEYS]
    )
    (folder / "evening" / "show.json").write_text(json.dumps(document))


def busy() -> None:
    while True:
        sum(range(10_000))


def measured(songs: int, period: int, load: bool, realtime: bool) -> None:
    server, env = jack_server(period, realtime)
    dues: Any = multiprocessing.Manager().Queue()
    beside = multiprocessing.Process(target=bare, args=(env, dues), daemon=True)
    burners = [multiprocessing.Process(target=busy, daemon=True) for _ in range(2 if load else 0)]
    try:
        with tempfile.TemporaryDirectory() as made, Running(Path(made)) as engine, Ports(engine, env) as ports:
            ear, other = Ear(env), Ear(env, "Bare ear")
            with contextlib.closing(ear), contextlib.closing(other):
                write(Path(made), songs)
                assert engine.client.load(str(Path(made) / "evening"), "evening", band=BAND)["ok"]
                ports.until(lambda t: t["devices"] and t["devices"][0]["there"])
                for one in burners:
                    one.start()
                before = stolen()
                engine.client.press("go")
                memory, zeros = engine.memory(), list[tuple[float, int]]()
                engine.until(lambda s: s["status"] == "playing")
                beside.start()
                while engine.state()["status"] == "playing":
                    zeros.append((1e9 * time.monotonic(), memory.number(shared.ZERO_NS)))
                    for _ in range(100):
                        ear.read()
                        other.read()
                        time.sleep(0.002)
                beside.kill()
                told_bare(other, dues)
                told(ear, zeros, engine, ports, stolen() - before)
    finally:
        for one in (*burners, beside):
            with contextlib.suppress(AttributeError, ValueError):
                one.kill()
        server.terminate()
        server.wait()
        for left in Path("/dev/shm").glob(f"jack*{SERVER}*"):
            left.unlink(missing_ok=True)


def told(ear: Ear, zeros: list[tuple[float, int]], engine: Running, ports: Ports, taken: float) -> None:
    """Lateness of each note against its frame, by the bar lines of the night log."""
    lines = [json.loads(line) for line in engine.night().read_text().splitlines()]
    bars = [lines[0]["origin"] + line["frame"] for line in lines if line.get("kind") == "bar"]
    beats = [bar + beat * RATE * 60 // BPM for bar in bars for beat in range(4)]
    played = np.repeat(beats, OF_BEAT) * (1e9 / RATE)
    # Where the device had nothing to play, its frame 0 would have been heard later from then on.
    seen, zero = np.array([at for at, _ in zeros]), np.array([z for _, z in zeros])
    due = played + zero[np.clip(np.searchsorted(seen, played + zero[0]), 0, len(zero) - 1)]
    numbers = np.tile(np.arange(OF_SONG) % 125, len(due) // OF_SONG + 1)[: len(due)]
    print(f"frame 0 of the device moved by {(zero.max() - zero.min()) / 1e6:.1f} ms")
    print("ours:", compared(ear.came, due, numbers))
    sent = ports.ask("tell")["devices"][0]
    print(
        f"      the lanes: {sent['sent']} sent, {sent['dropped']} dropped, {sent['late_ms']} ms at most of the last; "
        f"dropouts {engine.state()['dropouts']}, the machine below took {taken:.1f} s"
    )


def told_bare(ear: Ear, dues: Any) -> None:
    found = []
    while not dues.empty():
        found.append(dues.get())
    due, numbers = np.array([1e9 * at for at, _ in found]), np.array([number for _, number in found])
    # What was sent as it was ended may be on its way.
    last = due[-1] - 1e9
    print(
        "bare:", compared([one for one in ear.came if one[0] < last], due[due < last - 2e8], numbers[due < last - 2e8])
    )


def compared(came: list[tuple[int, int]], due: np.ndarray, numbers: np.ndarray) -> str:
    """What came of what was ``due``, (notes,) ns, with the ``numbers`` of the notes; how late.

    A number comes again after eight seconds: the one that is nearest in time is the one that came.
    """
    late, which = [], []
    for at, number in came:
        of_number = np.flatnonzero(numbers == number)
        nearest = of_number[np.abs(due[of_number] - at).argmin()]
        late.append((at - due[nearest]) / 1e6)
        which.append(int(nearest))
    found, once = np.array(late), set(which)
    back = sum(b < a for a, b in itertools.pairwise(which))
    return (
        f"{len(due)} due: {len(due) - len(once)} did not come, {len(which) - len(once)} came twice, {back} before an earlier one; "
        f"median {np.median(found):.2f} ms, 95 % {np.percentile(found, 95):.2f}, 99 % {np.percentile(found, 99):.2f}, worst {found.max():.2f}"
    )


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--songs", type=int, default=5, help="of 2,000 notes and some two minutes each")
    parser.add_argument("--period", type=int, default=64)
    parser.add_argument("--busy", action="store_true")
    parser.add_argument("--realtime", action="store_true")
    args = parser.parse_args()
    measured(args.songs, args.period, args.busy, args.realtime)


if __name__ == "__main__":
    main()
