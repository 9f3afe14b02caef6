"""Damaged input by the hundred thousand for every reader of what people bring.

``.venv/bin/python tools/fuzz.py [INPUTS] [SEED]`` changes good and broken files at random (bytes
set, cut, doubled, swapped; sizes made extreme) and makes names of odd characters. A reader may
give an answer or refuse with a sentence. Anything else is a fault and is printed with what made
it, as is an input that takes more than ten seconds. Figures of the last run: docs/fuzzing.md.
"""

from __future__ import annotations

import os
import random
import resource
import sys
import tempfile
import time
import traceback
from collections import Counter
from collections.abc import Callable
from multiprocessing import get_context
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT / "core")]
DATA = ROOT / "core" / "tests" / "data"
SHARES = {"names": 0.25, "MIDI": 0.25, "cue chunks": 0.2, "lists": 0.1, "sound": 0.2}
EXTREMES = (0, 1, 0x7F, 0x80, 0xFF, 0x7FFF, 0x8000, 0xFFFF, 0x7FFFFFFF, 0x80000000, 0xFFFFFFFF)
SLOW_S, BIG = 10.0, 60_000


def changed(data: bytes, rng: random.Random) -> bytes:
    """A file with one to six changes, most of them near its beginning, where headers are."""
    made = bytearray(data)
    for _ in range(rng.choice((1, 1, 1, 2, 3, 6))):
        if not made:
            return bytes(rng.randbytes(rng.randint(0, 64)))
        near = min(len(made), rng.choice((16, 64, 256, len(made))))
        at = rng.randrange(near)
        kind = rng.randrange(7)
        if kind == 0:
            made[at] = rng.randrange(256)
        elif kind == 1:
            made[at] ^= 1 << rng.randrange(8)
        elif kind == 2:
            size = rng.choice((1, 2, 4))
            made[at : at + size] = (rng.choice(EXTREMES) % (1 << 8 * size)).to_bytes(
                size, rng.choice(("little", "big"))
            )
        elif kind == 3:
            del made[at : at + rng.randint(1, 32)]
        elif kind == 4:
            made[at:at] = made[at : at + rng.randint(1, 32)]
        elif kind == 5:
            del made[rng.randrange(len(made)) :]
        else:
            made[at:at] = rng.randbytes(rng.randint(1, 16))
    return bytes(made)


def seeds(folder: str, *endings: str) -> list[bytes]:
    files = sorted(p for p in (DATA / folder).iterdir() if p.suffix in endings and p.stat().st_size <= BIG * 2)
    return [p.read_bytes()[:BIG] if p.suffix == ".wav" else p.read_bytes() for p in files]


def odd_text(rng: random.Random) -> str:
    pieces = (
        "Bass",
        "138",
        "93.37",
        "bpm",
        " - ",
        "_",
        "/",
        "\\",
        "..",
        "\u202e",
        "\x00",
        "サビ",
        "🎵",
        "é",
        ".wav",
        "Full Mix",
        " ",
        "#",
        "12",
        "(",
        ")",
        "ﬁ",
        "İ",
        "\ud800",
    )
    return "".join(
        rng.choice(pieces) if rng.random() < 0.8 else chr(rng.randrange(0x110000)) for _ in range(rng.randint(0, 12))
    )


def readers(folder: Path) -> dict[str, Callable[[random.Random], Any]]:
    from upbeat.intake.labels import read_labels
    from upbeat.intake.midi import tempo_map
    from upbeat.intake.names import clean_file_name, read_folder, read_stem
    from upbeat.intake.wavcue import read_cues
    from upbeat.listening.inspect import inspect

    midi, cues = seeds("midi", ".mid"), seeds("wavcue", ".wav")
    sound = seeds("bad", ".wav", ".aiff", ".aif", ".aifc", ".flac", ".ogg", ".opus", ".mp3")
    path = folder / "input"

    def written(data: bytes) -> Path:
        path.write_bytes(data)
        return path

    def names(rng: random.Random) -> None:
        files = [odd_text(rng) for _ in range(rng.randint(0, 6))]
        read_folder(odd_text(rng), files)
        for name in files:
            read_stem(name, odd_text(rng))
            shown = clean_file_name(name)
            assert 0 < len(shown) <= 255
            assert "/" not in shown

    def cue(rng: random.Random) -> None:
        frames = rng.choice((0, 1, 40_000, 1 << 40))
        assert all(
            0 <= s.start <= s.end <= frames for s in read_cues(written(changed(rng.choice(cues), rng)), frames).sections
        )

    def labels(rng: random.Random) -> None:
        read_labels(
            changed("0.0\t1,5\tIntro\n1.5\t9\tサビ\n".encode(rng.choice(("utf-8", "utf-16", "utf-8-sig"))), rng),
            "a.txt",
        )

    return {
        "names": names,
        "MIDI": lambda rng: tempo_map(written(changed(rng.choice(midi), rng)), "a.mid"),
        "cue chunks": cue,
        "lists": labels,
        "sound": lambda rng: inspect(written(changed(rng.choice(sound), rng))),
    }


def run(kind: str, count: int, seed: int) -> tuple[str, Counter[str], list[str], float, float]:
    """Outcomes of one reader: counts, faults with their seeds, the slowest in seconds, and MB of memory."""
    from upbeat.errors import Refused

    rng, counts, faults, slowest = random.Random(f"{kind} {seed}"), Counter(), [], 0.0
    with tempfile.TemporaryDirectory(dir="/dev/shm" if os.path.isdir("/dev/shm") else None) as folder:
        read = readers(Path(folder))[kind]
        for i in range(count):
            began = time.perf_counter()
            try:
                read(rng)
                counts["taken"] += 1
            except Refused as refused:
                counts["refused"] += 1
                if not all(p.message.strip() and p.code for p in refused.problems):
                    faults.append(f"{kind} {seed} {i}: refused without a sentence")
            except BaseException:
                faults.append(f"{kind} {seed} {i}: {traceback.format_exc(limit=-3)}")
            took = time.perf_counter() - began
            slowest = max(slowest, took)
            if took > SLOW_S:
                faults.append(f"{kind} {seed} {i}: took {took:.1f} s")
    return kind, counts, faults, slowest, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def main(inputs: int, seed: int) -> int:
    jobs = [(kind, int(inputs * share) // 4, seed * 4 + part) for kind, share in SHARES.items() for part in range(4)]
    total: dict[str, Counter[str]] = {kind: Counter() for kind in SHARES}
    worst: dict[str, float] = dict.fromkeys(SHARES, 0.0)
    faults, memory = [], 0.0
    # A reader that takes its process down is a fault too: the pool notices that it is gone.
    with get_context("spawn").Pool(maxtasksperchild=1) as pool:
        for kind, counts, found, slowest, mb in pool.starmap(run, jobs, chunksize=1):
            total[kind] += counts
            worst[kind] = max(worst[kind], slowest)
            faults += found
            memory = max(memory, mb)
    print("| reader | inputs | taken | refused | slowest |\n|---|---|---|---|---|")
    for kind, counts in total.items():
        print(
            f"| {kind} | {counts.total():,} | {counts['taken']:,} | {counts['refused']:,} | {worst[kind] * 1000:.0f} ms |"
        )
    print(
        f"\n{sum(t.total() for t in total.values()):,} inputs, seed {seed}, {memory:.0f} MB of memory at most, {len(faults)} faults"
    )
    for fault in faults[:20]:
        print(fault)
    return 1 if faults else 0


if __name__ == "__main__":
    numbers = [int(a) for a in sys.argv[1:]]
    sys.exit(main(*(numbers + [210_000, 1][len(numbers) :])))
