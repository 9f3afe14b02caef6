"""Offline bounce of eight stereo stems of four minutes to one house feed, beside ffmpeg's amix.

``.venv/bin/python benchmarks/bounce.py`` prints three times, best of seven in turn: the bounce as a
worker that is up does it, ``upbeat bounce`` with the start of its interpreter, and ffmpeg.
"""

from __future__ import annotations

import contextlib
import io
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))

from made_show import STEMS, write_show

from upbeat.cli import main as main_of_upbeat


def best(times: int, made: Path, *runs: Callable[[], object]) -> list[float]:
    """The best of several turns for each run, taken in turn so that a busy moment hits all.

    What a turn wrote into ``made`` is deleted before the next one begins: freeing the file of the
    turn before is nobody's work.
    """
    found = [float("inf")] * len(runs)
    for _ in range(times):
        for i, run in enumerate(runs):
            for file in made.glob("*.*"):
                file.unlink()
            began = time.perf_counter()
            run()
            found[i] = min(found[i], time.perf_counter() - began)
    return found


def main() -> None:
    with tempfile.TemporaryDirectory() as temporary:
        folder, made = Path(temporary) / "show", Path(temporary) / "made"
        made.mkdir()
        files = write_show(folder, sockets=2, seconds=240, guides=False)
        upbeat = Path(sys.executable).with_name("upbeat")
        ours = [str(upbeat), "bounce", str(folder), "--out", str(made), "--json"]
        inputs = [part for f in files for part in ("-i", str(f))]
        theirs = [
            "ffmpeg",
            "-y",
            "-v",
            "error",
            *inputs,
            "-filter_complex",
            f"amix=inputs={STEMS}",
            "-c:a",
            "pcm_f32le",
            f"{made}/mix.wav",
        ]
        env = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}

        def run(command):
            return lambda: subprocess.run(command, check=True, stdout=subprocess.DEVNULL, env=env)

        def inside():
            return main_of_upbeat([*ours[1:-1], "--json"])

        with contextlib.redirect_stdout(io.StringIO()):
            inside()
            worker, command, amix = best(7, made, inside, run(ours), run(theirs))
        print(
            f"bounce in a process that is up: {worker:.2f} s; upbeat bounce with its start: {command:.2f} s; ffmpeg amix: {amix:.2f} s"
        )
        print(f"{worker / amix:.2f} and {command / amix:.2f} of ffmpeg's time (at most 0.33 wanted)")


if __name__ == "__main__":
    main()
