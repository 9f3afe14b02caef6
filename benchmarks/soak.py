"""A night under load: presses at random, renderers killed, both cores and the disk kept busy, all sockets recorded.

``.venv/bin/python benchmarks/soak.py [--minutes 60] [--kills 50] [--calm] [--show FOLDER]`` plays a show
for so long and then holds the recording against the replay of its night log, sample by sample. Only
blocks that are counted as missing may differ, and they have to be silence. Prints what was missing
beside what the machine below took away, how soon presses were answered and heard, and the memory of
each process early and at the end. ``--show``: a folder with a ``show.json``, for instance one of
``var/media/shows``; else one of sixteen stereo stems is made.
"""

from __future__ import annotations

import argparse
import multiprocessing
import os
import random
import signal
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path

sys.path[:0] = [str(Path(__file__).parent), str(Path(__file__).parents[1] / "playout" / "tests")]

import numpy as np
import psutil
import soundfile
from engine import burn
from made_show import write_show
from process import Running, stolen

from playout import shared
from playout.client import EngineSilent
from playout.processes import is_ours
from playout.shared import BLOCK
from upbeat.show.bundle import read_document
from upbeat.show.ready import make_ready
from upbeat.show.replay import Night, read_night, replay

WHENS = ("at_once", "next_bar", "in_2_bars", "section_end")
PART_WHENS = ("at_once", "next_bar", "section_end")
PARTS = ("feeder", "leader", "follower")


@dataclass
class Told:
    """What a soak came to. ``other``: frames that differ from the replay and are not counted as missing."""

    frames: int = 0
    other: int = 0
    missing: int = 0
    stolen_s: float = 0.0
    killed: int = 0
    answered_ms: list[float] = field(default_factory=list)
    heard_after_ms: list[float] = field(default_factory=list)
    memory_mb: list[dict[str, float]] = field(default_factory=list)

    def words(self, rate: int) -> str:
        minutes = self.frames / rate / 60
        answered, heard = np.array(self.answered_ms or [0]), np.array(self.heard_after_ms or [0])
        return "\n".join(
            [
                f"{minutes:.1f} min, {self.killed} renderers killed, {len(self.answered_ms)} presses",
                f"{self.other} frames differ from the replay of the log",
                f"{self.missing} blocks missing; {self.stolen_s:.1f} s taken away by the machine below",
                f"answered: median {np.median(answered):.0f} ms, p99 {np.percentile(answered, 99):.0f} ms",
                f"at once: heard after median {np.median(heard):.0f} ms, at most {heard.max():.0f} ms",
                "memory in MB, early and at the end: "
                + ", ".join(f"{p} {self.memory_mb[0][p]:.0f} to {self.memory_mb[-1][p]:.0f}" for p in PARTS),
            ]
        )


def soak(
    engine: Running, show: Path, *, seconds: float, kills: int, seed: int = 1, pause: tuple[float, float] = (0.5, 3.0)
) -> Told:
    """Play a show for some seconds with presses and kills, and compare what was recorded."""
    rng, told, began = random.Random(seed), Told(), stolen()
    answer = engine.client.load(str(show), "soak")
    assert answer["ok"], answer
    recording = engine.client.ask("record", on=True)
    engine.until(lambda s: s["status"] == "standby")
    end = time.monotonic() + seconds
    kill_at = sorted(rng.uniform(2, max(3, seconds - 2)) for _ in range(kills))
    started = time.monotonic()
    measured = started + min(60, seconds / 3)
    while time.monotonic() < end:
        _press(engine, rng, told)
        time.sleep(rng.uniform(*pause))
        if kill_at and time.monotonic() - started > kill_at[0]:
            kill_at.pop(0)
            told.killed += _killed(engine, rng)
        if measured is not None and time.monotonic() > measured:
            told.memory_mb.append(_memory(engine))
            measured = None
    told.memory_mb.append(_memory(engine))
    engine.client.press("stop")
    time.sleep(1)
    path = engine.finished_recording()
    time.sleep(0.5)
    told.stolen_s = stolen() - began
    _compare(told, show, read_night(engine.night()), path, recording["frame"])
    return told


def _press(engine: Running, rng: random.Random, told: Told) -> None:
    """A press that somebody might make now."""
    state = engine.state()
    began = time.monotonic()
    try:
        answer = _chosen(engine, rng, state)
    except EngineSilent:
        return
    told.answered_ms.append(1000 * (time.monotonic() - began))
    assert answer["ok"], answer


def _chosen(engine: Running, rng: random.Random, state: dict) -> dict:
    press = engine.client.press
    if state["status"] in ("playing", "count_in"):
        dice = rng.random()
        if dice < 0.02:
            return press("stop")
        if dice < 0.15:
            return press(rng.choice(["pull_house", "bring_back"]))
        if dice < 0.2:
            return press("fallback", on=rng.random() < 0.3)
        if dice < 0.4:
            return _by_hand(engine, rng, state)
        return press("go_to", step=rng.randrange(4), when=rng.choice(WHENS))
    if state["status"] == "stopped":
        return press(rng.choice(["resume", "go"]))
    if state["status"] == "finished":
        return press("stand_by", entry=0)
    return press("go")


def _by_hand(engine: Running, rng: random.Random, state: dict) -> dict:
    """A press of a part that somebody might make."""
    press = engine.client.press
    parts = [f"stem:{s['id']}" for s in state["stems"]] + ["click", "cues"]
    part, beats = rng.choice(parts), rng.choice((0, 0, 4, 8))
    match rng.randrange(4):
        case 0 | 1:
            return press("level", part=part, db=rng.uniform(-20, 3), beats=beats)
        case 2:
            return press("in_out", part=part, on=rng.random() < 0.5, when=rng.choice(PART_WHENS), beats=beats)
        case _:
            return press("as_prepared")


def _killed(engine: Running, rng: random.Random) -> int:
    """Kill a renderer once both are in step, at a random moment; 0 where they were not in step."""
    memory, until = engine.memory(), time.monotonic() + 20
    while time.monotonic() < until:
        written = memory.number(shared.WRITTEN) * BLOCK
        own = [[memory.own(r, n) for n in (shared.READY, shared.HEAD, shared.PID)] for r in (0, 1)]
        playing = memory.number(shared.PLAYING)
        if all(ready == playing and head > written + 20_000 and is_ours(pid) for ready, head, pid in own):
            time.sleep(rng.uniform(0, 0.3))
            engine.kill_part(rng.choice(["leader", "leader", "follower"]))
            return 1
        time.sleep(0.01)
    return 0


def _memory(engine: Running) -> dict[str, float]:
    """Of each part, once both renderers are there and have been for a moment."""
    until = time.monotonic() + 60
    while time.monotonic() < until:
        time.sleep(1)
        engine.until(lambda s: s["renderers"] == 2, 60)
        try:
            return {part: psutil.Process(engine.pid(part)).memory_info().rss / (1 << 20) for part in PARTS}
        except psutil.NoSuchProcess:
            continue
    raise AssertionError("a part of the engine does not come back")


def _compare(told: Told, show: Path, night: Night, path: Path, first: int) -> None:
    """Hold the recording against the replay, block by block, so that an hour needs no memory."""
    told.heard_after_ms = [
        1000 * (p.frame - p.heard) / 48000 for p in night.presses if p.args.get("when") == "at_once" and p.accepted
    ]
    ready = make_ready(read_document(show), show)
    with soundfile.SoundFile(path) as recorded:
        length = len(recorded)
        blocks = _recorded(recorded, max(0, -first))
        waiting: list[np.ndarray] = []
        over = max(0, first)  # frames before the recording begins

        def sink(made: np.ndarray) -> None:
            nonlocal over
            left_out = min(over, made.shape[1])
            over -= left_out
            waiting.append(made[:, left_out:].T)
            whole = np.concatenate(waiting)
            for at in range(0, len(whole) - BLOCK + 1, BLOCK):
                _hold(told, next(blocks, None), whole[at : at + BLOCK])
            waiting[:] = [whole[len(whole) - len(whole) % BLOCK :]]

        replay(ready, night, sink, max(first, 0) + length - max(0, -first))


def _recorded(file: soundfile.SoundFile, start: int) -> Iterator[np.ndarray]:
    file.seek(start)
    yield from file.blocks(BLOCK, dtype="float32", always_2d=True)


def _hold(told: Told, recorded: np.ndarray | None, made: np.ndarray) -> None:
    if recorded is None or len(recorded) < BLOCK:
        return
    told.frames += BLOCK
    sockets = made.shape[1]
    if np.array_equal(recorded[:, :sockets], made):
        return
    if not recorded.any():
        told.missing += 1
    else:
        told.other += int((recorded[:, :sockets] != made).any(axis=1).sum())


def write_all_the_time(folder: str) -> None:
    """Keep the disk busy, 64 MB at a time."""
    piece = os.urandom(1 << 20)
    path = Path(folder) / "busy"
    while True:
        with open(path, "wb") as file:
            for _ in range(64):
                file.write(piece)
            file.flush()
            os.fsync(file.fileno())


@contextmanager
def busy(folder: Path) -> Iterator[None]:
    """Both cores and the disk kept busy by others at normal priority."""
    others = [multiprocessing.Process(target=burn, daemon=True) for _ in range(os.cpu_count() or 2)]
    others.append(multiprocessing.Process(target=write_all_the_time, args=(str(folder),), daemon=True))
    for other in others:
        other.start()
    try:
        yield
    finally:
        for other in others:
            other.kill()
            other.join()


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=float, default=60)
    parser.add_argument("--kills", type=int, default=0)
    parser.add_argument("--calm", action="store_true", help="without the busy processes")
    parser.add_argument("--show", type=Path)
    parser.add_argument("--buffer", type=int, default=4, help="blocks that wait for the device")
    args = parser.parse_args()
    signal.signal(signal.SIGTERM, lambda n, f: sys.exit(1))
    with tempfile.TemporaryDirectory() as temporary:
        folder = Path(temporary)
        show = args.show
        if show is None:
            show = folder / "show"
            write_show(show, sockets=16, seconds=240, stems=16)
        channels = max(s.number for s in read_document(show).routing.sockets)
        with Running(folder, channels=channels, blocks=args.buffer) as engine:
            if args.calm:
                told = soak(engine, show, seconds=60 * args.minutes, kills=args.kills)
            else:
                with busy(folder):
                    told = soak(engine, show, seconds=60 * args.minutes, kills=args.kills)
    print(told.words(48000))


if __name__ == "__main__":
    main()
