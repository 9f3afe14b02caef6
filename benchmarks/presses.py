"""How soon a press on the stage's line is answered while the web server lists 10,000 songs, imports and restarts.

``.venv/bin/python benchmarks/presses.py [--seconds 60]`` runs the product with its demo and presses five
times a second in each case; prints median, p99 and worst.
"""

from __future__ import annotations

import argparse
import asyncio
import contextlib
import importlib
import json
import os
import signal
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

ROOT = Path(__file__).parents[1]
sys.path[:0] = [str(Path(__file__).parent), str(ROOT / "tests"), str(ROOT / "tools"), str(ROOT / "playout" / "tests")]

import numpy as np
import websockets
from conftest import Product
from made_show import write_stems
from process import stolen

from cluster import Cluster
from prepared import until_prepared

SONGS = 10_000
FILL = f"""
from people.models import Band
from songs.models import Section, Song
from songs.summary import keep_missing_summaries
songs = Song.objects.bulk_create(Song(band=Band.objects.get(), title=f"Number {{i}}") for i in range({SONGS}))
Section.objects.bulk_create(Section(song=s, position=i, name=f"Part {{i}}", bars=8) for s in songs for i in range(4))
keep_missing_summaries()
"""
importing = importlib.import_module("import")


def fill(product: Product) -> None:
    """Songs enough for a list that takes seconds."""
    lines = Path(f"/proc/{product.pid('web')}/environ").read_text().split("\0")
    env = dict(line.split("=", 1) for line in lines if "=" in line)
    command = [sys.executable, "manage.py", "shell", "-v", "0", "-c", FILL]
    subprocess.run(command, cwd=ROOT / "server", env=env, check=True)


async def pressed(port: int, cookie: str, address: str, seconds: float) -> list[float]:
    """Milliseconds until each press was answered."""
    headers = {"Cookie": f"upbeat_pass={cookie}"}
    took: list[float] = []
    where = f"ws://127.0.0.1:{port}/ws/stage/"
    async with websockets.connect(where, additional_headers=headers, origin=address, max_size=None) as line:
        # As a page does: nothing is pressed before there is a state.
        while "state" not in json.loads(await line.recv()):
            pass
        await line.send('{"seen": true}')
        end, number = time.monotonic() + seconds, 0
        while time.monotonic() < end:
            number += 1
            began = time.monotonic()
            press = {"press": "go_to", "args": {"step": 0, "when": "section_end"}, "id": number}
            await line.send(json.dumps(press))
            while True:
                answer = json.loads(await line.recv())
                if "state" in answer:
                    await line.send('{"seen": true}')
                if answer.get("id") == number and "answer" in answer:
                    break
            assert answer["answer"]["ok"], answer
            took.append(1000 * (time.monotonic() - began))
            await asyncio.sleep(0.2)
    return took


def while_(work: Callable[[threading.Event], None], press: Callable[[], list[float]]) -> list[float]:
    stop = threading.Event()
    working = threading.Thread(target=work, args=(stop,))
    working.start()
    try:
        return press()
    finally:
        stop.set()
        working.join()


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seconds", type=float, default=60)
    args = parser.parse_args()
    with tempfile.TemporaryDirectory() as temporary:
        folder = Path(temporary)
        product = Product(folder / "var")
        try:
            measure(product, folder, args.seconds)
        finally:
            product.stop()
            Cluster(folder / "var").remove()


def measure(product: Product, folder: Path, seconds: float) -> None:
    visitor = importing.Visitor(product.address, product.sign_in_link())
    port = visitor.ask("me/")["stage_port"]
    cookie = next(c.value for c in visitor.jar if c.name == "upbeat_pass")
    until_prepared(visitor.ask)
    show = visitor.ask("shows/")[0]["id"]
    visitor.ask(f"shows/{show}/load/", "POST", {"sure": True})
    # The tag of the first song vamps for as long as nobody releases it.
    visitor.ask("engine/", "POST", {"press": "go"})
    fill(product)
    files = write_stems(folder / "stems", 60, 4)

    def press() -> list[float]:
        return asyncio.run(pressed(port, cookie, product.address, seconds))

    def lists(stop: threading.Event) -> None:
        while not stop.is_set():
            visitor.ask("songs/")

    def imports(stop: threading.Event) -> None:
        while not stop.is_set():
            importing.sent(visitor, files)

    def restarts(stop: threading.Event) -> None:
        while not stop.wait(6):
            with contextlib.suppress(OSError):
                os.kill(product.pid("web"), signal.SIGKILL)

    cases: dict[str, Any] = {"nothing": lambda stop: None, "lists": lists, "imports": imports, "restarts": restarts}
    for name, work in cases.items():
        lost = stolen()
        took = while_(work, press)
        print(
            f"beside {name}: {len(took)} presses, median {np.median(took):.0f} ms, p99 {np.percentile(took, 99):.0f} ms, "
            f"worst {max(took):.0f} ms ({stolen() - lost:.1f} s taken away below)",
            flush=True,
        )


if __name__ == "__main__":
    main()
