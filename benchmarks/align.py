"""Beats, bars, offset and tempo against recordings with known truth, beside librosa's beat tracker.

``.venv/bin/python benchmarks/align.py FOLDER [PYTHON]`` prints the table of docs/grid.md. FOLDER
holds pairs of a recording and a JSON with ``typed_bpm``, ``meter``, ``grouping``, ``pickup_beats`` and
``truth`` (``offset_s``, ``bpm``, ``beats_s``, ``downbeats_s``). PYTHON is an interpreter that has
librosa, which the product itself does not need (``python -m venv V; V/bin/pip install librosa``).
"""

from __future__ import annotations

import json
import subprocess
import sys
import time
from collections.abc import Sequence
from pathlib import Path
from statistics import mean, median
from typing import Any

import numpy as np

from upbeat.listening.follow.align import listen
from upbeat.listening.follow.result import align, hear_file
from upbeat.time.meter import TimeSignature

THEIRS = """
import json, sys, librosa
for path in json.load(sys.stdin):
    y, sr = librosa.load(path, sr=22050)
    _, frames = librosa.beat.beat_track(y=y, sr=sr)
    print(json.dumps(librosa.frames_to_time(frames, sr=sr).tolist()), flush=True)
"""


def f_measure(found: Sequence[float], truth: Sequence[float], within: float) -> float:
    """Davies, Degara and Plumbley, "Evaluation methods for musical audio beat tracking algorithms", 2009."""
    left, hits = list(truth), 0
    for b in found:
        near = [t for t in left if abs(t - b) <= within]
        if near:
            left.remove(min(near, key=lambda t: abs(t - b)))
            hits += 1
    total = len(found) + len(truth)
    return 2 * hits / total if total else 0.0


def measured(case: dict[str, Any], path: Path) -> dict[str, Any]:
    meter = TimeSignature.parse(case["meter"], case.get("grouping"))
    began = time.perf_counter()
    steady = align(path, str(case["typed_bpm"]), meter, case.get("pickup_beats", 0))
    took = time.perf_counter() - began
    follow = align(path, str(case["typed_bpm"]), meter, case.get("pickup_beats", 0), follow=True)
    truth = case["truth"]
    return {
        "case": case["case"],
        "offset": (steady["offset_s"] - truth["offset_s"]) * 1000,
        "bpm": steady["bpm"] - truth["bpm"] if truth.get("bpm") else None,
        "f20": f_measure(follow["beats_s"], truth["beats_s"], 0.02),
        "f70": f_measure(follow["beats_s"], truth["beats_s"], 0.07),
        "down": f_measure(follow["downbeats_s"], truth["downbeats_s"], 0.07),
        "sure": follow["confidence"],
        "took": took,
    }


def main(folder: str, python: str | None = None) -> None:
    cases = [json.loads(p.read_text()) for p in sorted(Path(folder).glob("*.json"))]
    cases = [c for c in cases if "truth" in c]
    paths = [Path(folder) / c["file"] for c in cases]
    rows = [measured(c, p) for c, p in zip(cases, paths, strict=True)]
    theirs: list[list[float]] = []
    if python:
        run = subprocess.run(
            [python, "-c", THEIRS],
            input=json.dumps([str(p) for p in paths]),
            capture_output=True,
            text=True,
            check=True,
        )
        theirs = [json.loads(line) for line in run.stdout.splitlines()]
    print("| case | offset, ms | tempo, bpm | ±20 ms | ±70 ms | downbeats | sure | librosa ±20 | librosa ±70 |")
    print("|---|---|---|---|---|---|---|---|---|")
    others = []
    for i, r in enumerate(rows):
        beats = cases[i]["truth"]["beats_s"]
        other = [f_measure(theirs[i], beats, w) for w in (0.02, 0.07)] if theirs else []
        others.append(other)
        shown = " | ".join(f"{v:.3f}" for v in other) or " | "
        tempo = "" if r["bpm"] is None else f"{r['bpm']:+.4f}"
        offset = f"{r['offset']:+.1f}"
        print(
            f"| {r['case']} | {offset} | {tempo} | {r['f20']:.3f} | {r['f70']:.3f} | {r['down']:.3f} | {r['sure']:.2f} | {shown} |"
        )
    one = [r for r in rows if r["bpm"] is not None]
    offsets = [abs(r["offset"]) for r in one]
    print(
        f"\nOne tempo ({len(one)}): offset median {median(offsets):.2f} ms, worst {max(offsets):.2f} ms; tempo worst {max(abs(r['bpm']) for r in one):.4f} bpm."
    )
    for key, name in (("f20", "±20 ms"), ("f70", "±70 ms"), ("down", "downbeats")):
        print(
            f"All ({len(rows)}), {name}: median {median(r[key] for r in rows):.3f}, mean {mean(r[key] for r in rows):.3f}, least {min(r[key] for r in rows):.3f}."
        )
    if theirs:
        print(
            f"librosa: ±20 ms median {median(o[0] for o in others):.3f}, ±70 ms median {median(o[1] for o in others):.3f}, mean {mean(o[1] for o in others):.3f}."
        )
    print(f"A recording takes {median(r['took'] for r in rows):.2f} s, decoding included.\n")
    certainty(cases, paths)


def certainty(cases: list[dict[str, Any]], paths: list[Path]) -> None:
    """How sure against how right, from clean recordings to ones under noise louder than the music."""
    beats: list[tuple[float, float]] = []
    whole: list[tuple[float, float]] = []
    rng = np.random.default_rng(1)
    for case, path in zip(cases, paths, strict=True):
        line = hear_file(path)
        truth = np.array(case["truth"]["beats_s"])
        for noise_db in (None, -15, -6, 0, 6, 12):
            level = 0.0 if noise_db is None else float(np.sqrt(np.mean(line**2))) * 10 ** (noise_db / 20)
            noisy = line + (level * rng.standard_normal(len(line))).astype(np.float32)
            found = listen(
                noisy,
                case["typed_bpm"],
                TimeSignature.parse(case["meter"], case.get("grouping")),
                case.get("pickup_beats", 0),
            )
            if len(found.beats):
                away = np.abs(found.beats[:, None] - truth[None]).min(axis=1) * 1000
                beats += list(zip(found.sure.tolist(), away.tolist(), strict=True))
                whole.append((found.confidence, f_measure(found.beats.tolist(), truth.tolist(), 0.02)))
    print("| a beat is sure | beats | median off, ms | within 20 ms |\n|---|---|---|---|")
    for low, high in ((0, 0.05), (0.05, 0.2), (0.2, 0.4), (0.4, 0.6), (0.6, 0.8), (0.8, 1.01)):
        off = [o for s, o in beats if low <= s < high]
        if off:
            print(
                f"| {low:.2f} to {min(high, 1):.2f} | {len(off):,} | {median(off):.1f} | {100 * mean(o <= 20 for o in off):.0f} % |"
            )
    print("\n| a recording is sure | recordings | F-measure at ±20 ms, mean |\n|---|---|---|")
    for low, high in ((0, 0.2), (0.2, 0.35), (0.35, 0.5), (0.5, 0.7), (0.7, 0.9), (0.9, 1.01)):
        right = [f for s, f in whole if low <= s < high]
        if right:
            print(f"| {low:.2f} to {min(high, 1):.2f} | {len(right)} | {mean(right):.3f} |")


if __name__ == "__main__":
    main(*sys.argv[1:3])
