"""What tones and ceilings cost: sixteen stereo stems into eight stereo feeds, with a tone of five filters on each, and with a ceiling
which they reach all the time; and sixteen stems with two processors each into eight feeds with three each.

    .venv/bin/python benchmarks/tone.py

Prints the share of one core that rendering takes, and the ratio.
"""

from __future__ import annotations

import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path

ROOT = Path(__file__).parents[1]
sys.path[:0] = [str(ROOT / "core" / "tests")]

import numpy as np
from material import RATE, ready, show, song, write_wav

from upbeat.mix.render import Renderer
from upbeat.show.bounce import rehearse, render
from upbeat.show.ready import ReadyShow
from upbeat.song.tone import Tone

SECONDS = 60
TONE = Tone(low_cut_hz=80, low_db=-3, mid_db=2, mid_hz=900, high_db=3, high_cut_hz=16_000)


#: Two processors each: one sixteenth of the stems with each of these.
TREATMENTS = (
    {"drive": {"db": 12}, "tone": {"low_cut_hz": 80, "high_db": 3}},
    {"gate": {"opens_db": -50}, "tone": {"low_cut_hz": 80, "high_db": 3}},
    {"tone": {"low_cut_hz": 80, "high_db": 3}, "echo": {"beats": "3/4", "repeats": 4}},
    {"gate": {"opens_db": -50}, "drive": {"db": 12}},
)
#: A low cut, a tone and a ceiling that is reached now and then.
FEED = Tone(low_cut_hz=80, mid_db=2)


def made(folder: Path, treated: bool = False) -> ReadyShow:
    noise = np.random.default_rng(1).normal(scale=0.05, size=(SECONDS * RATE, 2)).astype(np.float32)
    stems = []
    for i in range(16):
        write_wav(folder / f"{i}.wav", np.roll(noise, 997 * i, axis=0), RATE, np.int16)
        stem = {"id": str(i), "name": str(i), "file": f"{i}.wav", "group": "tonal"}
        stems.append(stem | ({"treatment": TREATMENTS[i % len(TREATMENTS)]} if treated else {}))
    feeds = [
        {
            "id": f"f{k}",
            "name": f"Feed {k}",
            "kind": "house",
            "sends": [{"source": f"stem:{2 * k + i}"} for i in (0, 1)],
        }
        for k in range(8)
    ]
    patch = [
        {"feed": f"f{k}", "side": side, "socket": 2 * k + 1 + i}
        for k in range(8)
        for i, side in enumerate(("left", "right"))
    ]
    whole = song(stems=stems, sections=[{"id": "a", "name": "A", "bars": SECONDS // 2}])
    return ready(show(whole, feeds=feeds, rig={"sockets": [{"number": n + 1} for n in range(16)]}, patch=patch), folder)


def share(one: ReadyShow, tone: Tone | None, ceiling_db: float | None = None) -> float:
    """Of one core."""
    feeds = tuple(replace(f, tone=tone, ceiling_db=ceiling_db) for f in one.show.routing.feeds)
    routing = replace(one.show.routing, feeds=feeds)
    spans, _ = rehearse(one, None)
    renderer = Renderer(one.plan, one.audio, routing)
    render(renderer, spans[:4], lambda block: None)  # compiled and in memory
    best = np.inf
    for _ in range(3):
        begun = time.process_time()
        render(Renderer(one.plan, one.audio, routing), spans, lambda block: None)
        best = min(best, time.process_time() - begun)
    return best / (spans[-1].end / RATE)


def main() -> None:
    with tempfile.TemporaryDirectory() as temporary:
        one = made(Path(temporary))
        plain, toned = share(one, None), share(one, TONE)
        processed = made(Path(temporary), treated=True)
        stems, whole = share(processed, None), share(processed, FEED, -6)
        below, both = share(one, None, -20), share(one, TONE, -20)
    print(
        f"16 stereo stems to 8 stereo feeds: {100 * plain:.2f} % of one core; with a tone on each {100 * toned:.2f} %"
    )
    print(f"{toned / plain:.1f} times as much; {100 * (toned - plain) / 8:.2f} % for each feed")
    print(
        f"with a ceiling on each {100 * below:.2f} %, {below / plain:.1f} times as much; with both {100 * both:.2f} %"
    )
    print(
        f"with two processors on each stem {100 * stems:.2f} %; with three on each feed as well, its ceiling reached now and then, {100 * whole:.2f} %"
    )


if __name__ == "__main__":
    main()
