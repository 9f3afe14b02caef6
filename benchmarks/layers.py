"""What layers cost: sixteen stereo stems, without and with twelve layers over them.

    .venv/bin/python benchmarks/layers.py

Prints the share of one core that rendering in blocks of a renderer takes, and the ratio.
"""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).parents[1]
sys.path[:0] = [str(ROOT / "core" / "tests")]

import numpy as np
from material import RATE, ready, show, song, write_wav

from upbeat.mix.render import Renderer
from upbeat.shelf.shipped import shipped_by, sound_of
from upbeat.show.bounce import rehearse, render
from upbeat.show.ready import ReadyShow
from upbeat.song.layers import layer_document

SECONDS = 60
LOOPS = (
    "shaker-16",
    "shaker-8",
    "tambourine-16",
    "clap-figure",
    "toms-roll",
    "toms-march",
    "kick-broken",
    "snap-off",
    "wood-two",
    "ha-figure",
    "warm-2",
    "low-2",
)


def made(folder: Path, loops: tuple[str, ...]) -> ReadyShow:
    noise = np.random.default_rng(1).normal(scale=0.05, size=(SECONDS * RATE, 2)).astype(np.float32)
    stems = []
    for i in range(16):
        write_wav(folder / f"{i}.wav", np.roll(noise, 997 * i, axis=0), RATE, np.int16)
        stems.append({"id": str(i), "name": str(i), "file": f"{i}.wav", "group": "tonal"})
    for code in loops:
        write_wav(folder / f"{code}.wav", sound_of(code, RATE), RATE)
        layer = layer_document(shipped_by(code).layer)
        stems.append({"id": code, "name": code, "file": f"{code}.wav", "group": "rhythm", "layer": layer})
    whole = song(
        stems=stems, tempo=[{"bar": 1, "bpm": "117.3"}], sections=[{"id": "a", "name": "A", "bars": SECONDS // 2}]
    )
    return ready(show(whole), folder)


def share(one: ReadyShow) -> float:
    """Of one core."""
    spans, _ = rehearse(one, None)
    render(one.renderer(), spans[:4], lambda block: None)  # compiled and in memory
    best = np.inf
    for _ in range(3):
        begun = time.process_time()
        render(Renderer(one.plan, one.audio, one.show.routing), spans, lambda block: None)
        best = min(best, time.process_time() - begun)
    return best / (spans[-1].end / RATE)


def main() -> None:
    with tempfile.TemporaryDirectory() as temporary:
        plain, layered = (share(made(Path(temporary), loops)) for loops in ((), LOOPS))
    print(f"16 stereo stems: {100 * plain:.2f} % of one core; with twelve layers {100 * layered:.2f} %")
    print(f"{layered / plain:.1f} times as much; {100 * 2 * (layered - plain):.2f} % for the layers in two renderers")


if __name__ == "__main__":
    main()
