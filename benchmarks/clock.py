"""MIDI clock and timecode over a long evening, on paper.

``.venv/bin/python benchmarks/clock.py [--hours 3]`` plays songs whose tempo changes by steps and ramps, with a jump every
minute or so, and compares every tick with the tempo map's own time of it and every song position with the place, every whole set
of quarter frames with the song's place. Time is that of the output's frames; how late a message leaves is in messages.py.
"""

from __future__ import annotations

import argparse
import random
import sys
import tempfile
from fractions import Fraction
from pathlib import Path

ROOT = Path(__file__).parents[1]
sys.path[:0] = [str(ROOT / "core" / "tests")]

import numpy as np
from material import RATE, ready, show, song

from upbeat.messages.kinds import Clock
from upbeat.messages.timecode import number_of, parse_label
from upbeat.messages.timecode_heard import TimecodeHeard
from upbeat.play.advance import advance
from upbeat.play.events import Message
from upbeat.play.presses import press
from upbeat.play.state import State

BLOCK, MINUTES, FPS = 48_000, 10, "29.97df"
DEVICES = [
    {"id": "keys", "name": "Keys", "kind": "midi", "port": "Keys", "clock": True},
    {"id": "film", "name": "Film", "kind": "timecode", "port": "Film", "fps": FPS},
]


def a_song(number: int) -> dict[str, object]:
    """Ten minutes in sections, with a step and a ramp of tempo in each."""
    tempo = [
        {"bar": 1, "bpm": str(96 + number)},
        {"bar": 40, "bpm": str(120 + number), "ramp": True},
        {"bar": 120, "bpm": "87.3"},
    ]
    sections = [{"id": f"s{i}", "name": f"Part {i}", "bars": 24} for i in range(10)]
    return song(id=f"song{number}", title=f"Song {number}", tempo=tempo, sections=sections)


def measured(hours: float, folder: Path) -> None:
    songs = [a_song(n) for n in range(round(hours * 60 / MINUTES))]
    made = ready(show(*songs, links=({"kind": "attacca"},) * len(songs), devices=DEVICES), folder)
    plan, draw, state = made.plan, random.Random(1), State()
    state, _ = press(plan, state, "go", {})
    ticks, sets, jumps, positions, heard = list[float](), list[float](), 0, list[int](), TimecodeHeard()
    clock: tuple[int, int] | None = None
    while state.head < hours * 3600 * RATE and state.music.run is not None:
        if draw.random() < BLOCK / (60 * RATE):
            state, outcome = press(plan, state, "go_to", {"step": draw.randrange(10), "when": "next_bar"})
            jumps += outcome.accepted
        state, span = advance(plan, state, BLOCK)
        runs = [r for r in (*state.music.past, state.music.left, state.music.run) if r is not None]
        for event in (e for e in span.events if isinstance(e, Message) and isinstance(e.out.send, Clock)):
            data, of = event.out.send.data, [r for r in runs if r.out_start <= event.frame]
            if not of:
                continue
            run = max(of, key=lambda r: r.id)
            entry = plan.entries[run.entry]
            if event.out.device == "film":
                before = heard.told
                heard.feed(bytes(data), event.frame / RATE)
                if heard.told is not before and heard.told is not None and heard.told.running:
                    label = number_of(parse_label(entry.timecode, FPS), FPS) * Fraction(1001, 30_000)
                    place = (run.src(event.frame) - int(entry.bar_frames[0])) / RATE
                    sets.append(abs(heard.told.seconds - float(label) - place) * 30_000 / 1001)
            elif data[0] == 0xF2:
                clock = (event.frame, 6 * (data[1] | data[2] << 7))
            elif data == (0xFA,):
                clock = (event.frame, 0)
            elif data == (0xF8,) and clock is not None:
                _, tick = clock
                src = entry.song.grid.frame(Fraction(tick, 24), RATE)
                ticks.append(abs(run.src(event.frame) - src) / RATE * 1000)
                positions.append(tick)
                clock = (event.frame, tick + 1)
    print(
        f"{state.head / RATE / 3600:.2f} h, {jumps} jumps: {len(ticks)} ticks, off by {np.median(ticks):.4f} ms in the middle, "
        f"{np.percentile(ticks, 99):.3f} at 99 %, {max(ticks):.3f} at most; {len(sets)} sets of quarter frames, off by {max(sets):.4f} frames at most"
    )


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--hours", type=float, default=3)
    with tempfile.TemporaryDirectory() as folder:
        measured(parser.parse_args().hours, Path(folder))


if __name__ == "__main__":
    main()
