"""A dress run against the length of its show: thirty songs, sixteen stereo stems each, on sixteen sockets.

``.venv/bin/python benchmarks/dress_run.py [--hours 3]`` prints the ratio of the show's length to the time of the run,
first with nothing known, then after one song was changed. All songs share their sixteen files, each for its own length.
"""

from __future__ import annotations

import argparse
import json
import os
import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # as the core sets it, before numpy

from made_show import show, write_stems

from upbeat.show.document import read_show
from upbeat.show.dress_run.kept import Kept
from upbeat.show.dress_run.run import dress_run

SONGS, STEMS, SOCKETS = 30, 16, 16


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--hours", type=float, default=3.0)
    seconds = int(parser.parse_args().hours * 3600 / SONGS) // 2 * 2
    with tempfile.TemporaryDirectory() as temporary:
        folder = Path(temporary)
        document = show(write_stems(folder, seconds, STEMS), SOCKETS, seconds, guides=True)
        song = document["songs"][0]
        song["forms"] = [{"id": "f", "name": "F", "steps": [{"section": "a"}]}]
        for stem in song["stems"]:
            stem["crc32"] = 0
        songs = [{**song, "id": f"song-{i}", "title": f"Song {i}"} for i in range(SONGS)]
        document["songs"] = songs
        document["entries"] = [{"id": f"e{i}", "song": s["id"]} for i, s in enumerate(songs)]
        first, kept = timed(document, folder, {})
        songs[7]["gain_db"] = -1.0
        again, _ = timed(document, folder, kept)
        length = SONGS * seconds
        print(f"{length / 3600:.2f} h of show: run in {first:.1f} s, 1/{length / first:.0f} of its length")
        print(f"after one song was changed: {again:.1f} s, 1/{length / again:.0f}")


def timed(document: dict, folder: Path, kept: dict) -> tuple[float, dict]:
    began = time.perf_counter()
    run = dress_run(read_show(json.loads(json.dumps(document))), folder, kept=Kept(document, kept))
    assert run.seconds > 0
    return time.perf_counter() - began, run.kept


if __name__ == "__main__":
    main()
