"""The demo's set matched for every line-up, and measured by ffmpeg on what leaves the house sockets.

``UPBEAT_VAR=… .venv/bin/python benchmarks/match.py`` asks a running ./start with the demo: matches the
songs for each line-up, saves the show, plays every song of it with ``upbeat bounce``, and has ffmpeg's
ebur128 measure the sum of the house sockets. Prints loudness and true peak of each, and how far the
songs of a line-up lie apart (0.3 LU wanted, no true peak above -1 dBTP).
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import time
from importlib import import_module
from pathlib import Path
from typing import Any

import numpy as np

sys.path[:0] = [str(Path(__file__).parent), str(Path(__file__).resolve().parents[1] / "tools")]

from screenshots import fresh_link
from upbeat.audio.pcm import WavWriter, map_pcm

Visitor = import_module("import").Visitor
ROOT = Path(__file__).resolve().parents[1]


def house_of(document: dict[str, Any]) -> list[tuple[int, int]]:
    """(socket, side) of every patch of a house feed; side 0 is left."""
    house = {f["id"] for f in document["feeds"] if f["kind"] == "house"}
    return [(p["socket"], 1 if p["side"] == "right" else 0) for p in document["patch"] if p["feed"] in house]


def told_by_ffmpeg(path: Path) -> tuple[float, float]:
    said = subprocess.run(
        ["ffmpeg", "-hide_banner", "-nostats", "-i", str(path), "-af", "ebur128=peak=true", "-f", "null", "-"],
        capture_output=True,
        text=True,
    ).stderr
    summary = said[said.rindex("Summary:") :]
    return float(summary.split("I:")[1].split("LUFS")[0]), float(summary.split("Peak:")[1].split("dBFS")[0])


def matched(visitor: Any, setlist: str, line_up: str) -> dict[str, Any]:
    while not visitor.ask(f"setlists/{setlist}/loudness/?line_up={line_up}")["ready"]:
        time.sleep(0.5)
    return dict(visitor.ask(f"setlists/{setlist}/match/", "POST", {"line_up": line_up}))


def main() -> None:
    run = json.loads((Path(os.environ.get("UPBEAT_VAR", ROOT / "var")) / "run.json").read_text())
    visitor = Visitor(run["address"], fresh_link(run))
    setlist = visitor.ask("setlists/")[0]["id"]
    show = visitor.ask("shows/")[0]
    for line_up in visitor.ask("line-ups/"):
        answer = matched(visitor, setlist, line_up["id"])
        visitor.ask(f"shows/{show['id']}/", "PATCH", {"line_up": line_up["id"]})
        figures = []
        with tempfile.TemporaryDirectory() as folder:
            bundle = Path(folder) / "show.zip"
            bundle.write_bytes(visitor.opener.open(f"{run['address']}/api/shows/{show['id']}/bundle/").read())
            document = visitor.ask(f"shows/{show['id']}/document/")
            titles = {s["id"]: s["title"] for s in document["songs"] if s["stems"]}
            for number, entry in enumerate(document["entries"], 1):
                if entry["song"] not in titles:
                    continue
                out = Path(folder) / str(number)
                subprocess.run(
                    [str(ROOT / ".venv/bin/upbeat"), "bounce", str(bundle), "--entry", str(number), "--out", str(out)],
                    check=True,
                    capture_output=True,
                )
                pcm, rate = map_pcm(out / "sockets.wav") or (np.zeros((0, 2), np.float32), 48000)
                house = np.zeros((len(pcm), 2), np.float32)
                for socket, side in house_of(document):
                    house[:, side] += pcm[:, socket - 1]
                with WavWriter(Path(folder) / "house.wav", rate, 2) as writer:
                    writer.write(house)
                figures.append((titles[entry["song"]], *told_by_ffmpeg(Path(folder) / "house.wav")))
        levels = [lufs for _, lufs, _ in figures]
        print(
            f"{line_up['name']}: target {answer['target']} LUFS, apart {max(levels) - min(levels):.1f} LU, highest true peak {max(p for *_, p in figures):.1f} dBTP"
        )
        for title, lufs, peak in figures:
            print(f"  {title}: {lufs:.1f} LUFS, {peak:.1f} dBTP")


if __name__ == "__main__":
    main()
