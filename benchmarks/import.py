"""Eight stereo stems of four minutes on their way in, beside ffmpeg's loudness meter on the same files.

``.venv/bin/python benchmarks/import.py`` starts the product on data of its own, sends all but the
last byte of each file, and takes the time from the last bytes on until every stem is ready
(decoded, measured, prepared, peaks drawn), and until they have been compared as well. Then the
memory of a two-hour file. 44.1 kHz 16-bit, so that every stem has to be converted.
"""

from __future__ import annotations

import http.cookiejar
import json
import os
import resource
import shutil
import signal
import subprocess
import sys
import tempfile
import time
import urllib.request
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import numpy as np

sys.path[:0] = [str(Path(__file__).parent), str(Path(__file__).parents[1] / "tools")]

import made_show

from cluster import Cluster
from upbeat.audio.pcm import WavWriter
from upbeat.audio.prepare import prepare

ROOT = Path(__file__).resolve().parents[1]
PIECE = 4 << 20


class Visitor:
    """A signed-in member of the band, by HTTP."""

    def __init__(self, address: str, link: str):
        self.address = address
        self.jar = http.cookiejar.CookieJar()
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.jar))
        self.opener.open(link).read()

    def ask(self, path: str, method: str = "GET", body: Any = None, raw: bytes | None = None) -> Any:
        token = next((c.value for c in self.jar if c.name == "csrftoken"), "")
        data = raw if raw is not None else json.dumps(body).encode() if body is not None else None
        kind = "application/octet-stream" if raw is not None else "application/json"
        request = urllib.request.Request(
            f"{self.address}/api/{path}",
            data,
            {"Content-Type": kind, "X-CSRFToken": token or "", "Referer": self.address},
            method=method,
        )
        with self.opener.open(request) as answer:
            return json.loads(answer.read() or b"null")


def sent(visitor: Visitor, files: list[Path]) -> tuple[float, float]:
    """Seconds from the last bytes to ready, and to compared."""
    song = visitor.ask("songs/", "POST", {"title": "Measured", "bpm": "120"})["id"]
    uploads = []
    for file in files:
        size = file.stat().st_size
        upload = visitor.ask("uploads/", "POST", {"song": song, "name": file.name, "size": size})["id"]
        with open(file, "rb") as source:
            for at in range(0, size - 1, PIECE):
                visitor.ask(f"uploads/{upload}/piece/?offset={at}", "PUT", raw=source.read(min(PIECE, size - 1 - at)))
            uploads.append((upload, size - 1, source.read(1)))
    began = time.perf_counter()
    for upload, at, last in uploads:
        visitor.ask(f"uploads/{upload}/piece/?offset={at}", "PUT", raw=last)
    while any(u["status"] != "done" for u in visitor.ask(f"uploads/?song={song}")):
        time.sleep(0.05)
    ready = time.perf_counter() - began
    while not visitor.ask(f"songs/{song}/")["findings"]["ready"]:
        time.sleep(0.1)
    return ready, time.perf_counter() - began


def metered(files: list[Path]) -> float:
    """Seconds that ffmpeg's EBU R128 meter with true peak takes, one file after the other."""
    began = time.perf_counter()
    for file in files:
        command = ["ffmpeg", "-v", "error", "-nostats", "-i", str(file), "-af", "ebur128=peak=true", "-f", "null", "-"]
        subprocess.run(command, check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    return time.perf_counter() - began


def memory_of_two_hours(folder: str) -> None:
    path = Path(folder) / "long.wav"
    block = (np.random.default_rng(1).standard_normal((44100 * 60, 2)) * 3000).astype(np.int16)
    with WavWriter(path, 44100, 2, np.int16) as writer:
        for _ in range(120):
            writer.write(block)
    prepare(path, Path(folder) / "prepared.wav", 48000)
    print(
        f"a two-hour stereo file: {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB at most (600 allowed)"
    )


def main() -> None:
    with tempfile.TemporaryDirectory() as temporary:
        made_show.RATE = 44100
        files = made_show.write_stems(Path(temporary) / "stems", 240)
        env = {
            **{k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"},
            "UPBEAT_VAR": f"{temporary}/var",
        }
        server = subprocess.Popen(
            [str(ROOT / "start"), "--port", "0", "--no-demo"],
            env=env,
            stdout=subprocess.DEVNULL,
            start_new_session=True,
        )
        try:
            got = Path(temporary) / "var" / "run.json"
            while not got.exists():
                time.sleep(0.2)
            run = json.loads(got.read_text())
            visitor = Visitor(run["address"], run["sign_in"])
            # The worker's first file waits for its compiled loops; it is another one, since sound is kept by content.
            sent(visitor, [made_show.write_stems(Path(temporary) / "first", 10)[0]])
            theirs = metered(files)
            ready, compared = sent(visitor, files)
            theirs = min(theirs, metered(files))
        finally:
            os.killpg(server.pid, signal.SIGINT)
            server.wait()
            Cluster(Path(temporary) / "var").remove()
        print(
            f"eight stems of four minutes: ready {ready:.1f} s after the last byte, compared {compared:.1f} s; ffmpeg ebur128 {theirs:.1f} s"
        )
        print(f"{ready / theirs:.2f} of ffmpeg's time (at most 1 wanted), {compared / theirs:.2f} with the comparison")
        shutil.rmtree(temporary, ignore_errors=True)
    with tempfile.TemporaryDirectory() as temporary:
        child = get_context("spawn").Process(target=memory_of_two_hours, args=(temporary,))
        child.start()
        child.join()


if __name__ == "__main__":
    main()
