"""Sections heard and seams judged, against what is known of the demo's songs and of any folders of stems.

``.venv/bin/python benchmarks/structure.py [FOLDER…]``: composes the demo, hears its sections, and
judges seams made good and bad on purpose from its stems. Each FOLDER of stems with an
``expected.json`` (``bpm``, ``meter``, ``offset_s``, ``sections`` with their bars) is heard too.

Good seams: the end of one section into the start of another that does not follow it. Bad ones, each
made of a good one: ``late`` the new side begins 50 to 200 ms into its bar; ``early`` both bar lines
lie 40 to 90 ms late, so that the downbeat's attack comes before them; ``level`` the new side 7 to
11 dB louder or softer; ``colour`` the new side through a filter; ``middle`` the old side left in the
middle of a bar; ``anywhere`` both sides cut anywhere.
"""

from __future__ import annotations

import json
import sys
import tempfile
from collections.abc import Iterator
from itertools import accumulate
from pathlib import Path

import numpy as np
import scipy.signal
import soundfile
import soxr

from upbeat.listening.follow.divide import beginnings, describe
from upbeat.listening.follow.novelty import RATE as HEARD
from upbeat.listening.seam.score import AFTER_S, BEFORE_S, Sides, score
from upbeat.show.document import read_grid
from upbeat.time.grid import Grid
from upbeat_demo.compose import write_stems
from upbeat_demo.songs import SONGS, DemoSong

RATE = 48_000
KINDS = ("late", "early", "level", "colour", "middle", "anywhere")
EACH = 10  # good seams of a song


def lines(files: list[Path], rate: int) -> list[np.ndarray]:
    """Files as mono lines at a rate."""
    read = ((soundfile.read(f, dtype="float32", always_2d=True)) for f in files)
    return [soxr.resample(sound.mean(axis=1), own, rate).astype(np.float32) for sound, own in read]


def is_rhythm(file: Path) -> bool:
    return any(w in file.name.casefold() for w in ("drum", "perc", "shaker"))


def heard(
    name: str, stems: list[np.ndarray], rhythm: list[bool], bar_lines: list[float], truth: list[int]
) -> tuple[int, int, int]:
    """Boundaries there are, found within a bar, and false; prints a row."""
    found = [b.bar for b in beginnings(describe(stems, [not r for r in rhythm], bar_lines)) if b.bar > 1]
    true = [b for b in truth if b > 1]
    hit = sum(any(abs(f - b) <= 1 for f in found) for b in true)
    false = sum(not any(abs(f - b) <= 1 for b in true) for f in found)
    print(f"| {name} | {len(true)} | {hit} | {false} |")
    return len(true), hit, false


def folder_case(folder: Path) -> tuple[int, int, int]:
    answer = json.loads((folder / "expected.json").read_text())
    files = [f for f in sorted(folder.iterdir()) if f.suffix in (".wav", ".flac") and "mix" not in f.name.casefold()]
    stems = lines(files, HEARD)
    bar_s = 60 / answer["bpm"] * int(answer["meter"].split("/")[0])
    bars = int((max(map(len, stems)) / HEARD - answer["offset_s"]) / bar_s + 0.98)
    return heard(
        folder.name,
        stems,
        [is_rhythm(f) for f in files],
        [answer["offset_s"] + i * bar_s for i in range(bars + 1)],
        [s["bar"] for s in answer["sections"]],
    )


def around(stems: list[np.ndarray], frame: int) -> list[np.ndarray]:
    before, after = round(BEFORE_S * RATE), round(AFTER_S * RATE)
    return [np.pad(s, (before, after))[frame : frame + before + after] for s in stems]


def seams(song: DemoSong, grid: Grid, stems: list[np.ndarray], rng: np.random.Generator) -> Iterator[tuple[str, float]]:
    """Kind and likelihood of every seam made of a song's stems."""
    starts = [1, *accumulate((p.bars for p in song.parts), initial=1)][1:]
    bar_frames = grid.bar_frames(starts[-1] - 1, RATE)
    count = len(song.parts)
    pairs = [(i, j) for i in range(count - 1) for j in range(1, count) if j != i + 1]

    def judged(old: list[np.ndarray], new: list[np.ndarray]) -> float:
        return score([Sides(a, b) for a, b in zip(old, new, strict=True)], RATE).likely

    def anywhere() -> int:
        return int(rng.uniform(bar_frames[2], bar_frames[-3]))

    for k in rng.permutation(len(pairs))[:EACH]:
        end, start = bar_frames[starts[pairs[k][0] + 1] - 1], bar_frames[starts[pairs[k][1]] - 1]
        old, new = around(stems, end), around(stems, start)
        yield "good", judged(old, new)
        for kind in rng.permutation(KINDS)[:2]:
            if kind == "late":
                yield kind, judged(old, around(stems, start + int(RATE * rng.uniform(0.05, 0.2))))
            elif kind == "early":
                yield kind, judged(*(around(stems, at + int(RATE * rng.uniform(0.04, 0.09))) for at in (end, start)))
            elif kind == "level":
                gain = 10 ** (rng.choice([-1, 1]) * rng.uniform(7, 11) / 20)
                yield kind, judged(old, [s * gain for s in new])
            elif kind == "colour":
                filtered = scipy.signal.butter(
                    2, rng.choice([700, 2500]), rng.choice(["low", "high"]), fs=RATE, output="sos"
                )
                yield kind, judged(old, [scipy.signal.sosfilt(filtered, s) for s in new])
            elif kind == "middle":
                bar = int(rng.integers(2, len(bar_frames) - 3))
                yield (
                    kind,
                    judged(
                        around(
                            stems, (bar_frames[bar] + bar_frames[bar + 1]) // 2 + int(rng.uniform(-0.1, 0.1) * RATE)
                        ),
                        new,
                    ),
                )
            else:
                yield kind, judged(around(stems, anywhere()), around(stems, anywhere()))


def area(bad: np.ndarray, good: np.ndarray) -> float:
    """The area under the ROC curve: how often a bad one is judged worse than a good one (Mann and Whitney, 1947)."""
    return float((bad[:, None] > good).mean() + 0.5 * (bad[:, None] == good).mean())


def main() -> None:
    print("| sections heard in | boundaries | found within a bar | false |\n|---|---|---|---|")
    counts = [folder_case(Path(f)) for f in sys.argv[1:]]
    rng = np.random.default_rng(5)
    judged: list[tuple[str, float]] = []
    for song in (s for s in SONGS if s.stems):
        with tempfile.TemporaryDirectory() as folder:
            files = [
                f
                for f in write_stems(song, Path(folder))
                if "mix" not in f.name.casefold() and "guide" not in f.name.casefold()
            ]
            grid = read_grid({"tempo": song.tempo, "meters": song.meters, "bar1_s": song.bar1_s, "pickup": song.pickup})
            bars = sum(p.bars for p in song.parts)
            lines_s = [f / RATE for f in grid.bar_frames(bars, RATE)]
            counts.append(
                heard(
                    song.title,
                    lines(files, HEARD),
                    [is_rhythm(f) for f in files],
                    lines_s,
                    list(accumulate((p.bars for p in song.parts), initial=1))[:-1],
                )
            )
            judged += seams(song, grid, lines(files, RATE), rng)
    true, hit, false = (sum(c[i] for c in counts) for i in range(3))
    print(
        f"| all | {true} | {hit} ({100 * hit / true:.0f} %) | {false} (one for {true / max(1, false):.1f} true ones) |\n"
    )
    good = np.array([p for kind, p in judged if kind == "good"])
    bad = np.array([p for kind, p in judged if kind != "good"])
    print(
        f"{len(good)} good seams, {len(bad)} bad ones: area under the ROC curve {area(bad, good):.3f} (0.95 wanted)\n"
    )
    print("| made | seams | area against the good ones | median likelihood |\n|---|---|---|---|")
    print(f"| good | {len(good)} | | {np.median(good):.2f} |")
    for kind in KINDS:
        own = np.array([p for k, p in judged if k == kind])
        print(f"| {kind} | {len(own)} | {area(own, good):.3f} | {np.median(own):.2f} |")


if __name__ == "__main__":
    main()
