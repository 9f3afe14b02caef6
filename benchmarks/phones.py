"""How exactly a phone shows the beat, and what 200 joined phones cost.

``.venv/bin/python benchmarks/phones.py [--phones 200] [--seconds 60]`` runs the product with its demo. The beat is read in a
browser whose line to the stage's server is delayed (0, 30 and 150 ms, with 30 ms of jitter), and held against the beats that the
engine's device has heard, by the machine's one clock.
"""

from __future__ import annotations

import argparse
import asyncio
import contextlib
import json
import random
import sys
import tempfile
import threading
import time
from pathlib import Path
from typing import Any

ROOT = Path(__file__).parents[1]
sys.path[:0] = [str(ROOT / "tests"), str(ROOT / "tools"), str(ROOT / "playout" / "tests"), str(ROOT / "core" / "tests")]

import numpy as np
import psutil
import websockets
import zmq
from conftest import Product
from playwright.sync_api import Page, sync_playwright
from process import stolen
from websockets.typing import Origin

from cluster import Cluster
from prepared import until_prepared

DELAYS_MS, JITTER_MS = (0, 30, 150), 30
BEATS = """() => { window.beats = []; const at = document.querySelector('[data-testid=beat]');
  new MutationObserver(() => window.beats.push([at.dataset.bar + '.' + at.dataset.beat, performance.timeOrigin + performance.now()]))
    .observe(at, { attributes: true, attributeFilter: ['data-beat'] }); }"""


class Delay:
    """A line to a port on which every piece is late, and never overtakes the one before."""

    def __init__(self, port: int, delay_ms: float):
        self.port, self.delay, self.cut = port, delay_ms / 1000, False
        self.listening = 0
        self._ready = threading.Event()
        threading.Thread(target=lambda: asyncio.run(self._run()), daemon=True).start()
        assert self._ready.wait(10)

    async def _run(self) -> None:
        server = await asyncio.start_server(self._line, "127.0.0.1", 0)
        self.listening = server.sockets[0].getsockname()[1]
        self._ready.set()
        await asyncio.sleep(3600)

    async def _line(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        there, back = await asyncio.open_connection("127.0.0.1", self.port)
        await asyncio.gather(self._late(reader, back), self._late(there, writer), return_exceptions=True)

    async def _late(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        pieces: asyncio.Queue[tuple[float, bytes]] = asyncio.Queue()

        async def give() -> None:
            while True:
                due, piece = await pieces.get()
                await asyncio.sleep(max(0.0, due - time.monotonic()))
                while self.cut:  # as a radio that is lost: what was sent comes once it is back
                    await asyncio.sleep(0.005)
                writer.write(piece)

        task = asyncio.create_task(give())
        last = 0.0
        while piece := await reader.read(65536):
            jitter = random.uniform(0, JITTER_MS / 1000) if self.delay else 0.0
            last = max(last, time.monotonic() + self.delay + jitter)
            pieces.put_nowait((last, piece))
        task.cancel()
        writer.close()


def heard_beats(state_port: int, seconds: float) -> list[tuple[str, float]]:
    """Every beat with when it was heard at the device, in ms since 1970, by the engine's own states; a vamp has some often."""
    socket = zmq.Context.instance().socket(zmq.SUB)
    socket.setsockopt(zmq.SUBSCRIBE, b"state")
    socket.connect(f"tcp://127.0.0.1:{state_port}")
    found: list[tuple[str, list[float]]] = []
    until, wall = time.monotonic() + seconds, time.time() - time.monotonic()
    while time.monotonic() < until:
        state = json.loads(socket.recv_multipart()[1])
        at = state.get("position")
        if at and state["status"] == "playing":
            begun = state["heard_at"] - at["phase"] * at["beat_s"]
            name = f"{at['bar']}.{at['beat']}"
            if not found or found[-1][0] != name:
                found.append((name, []))
            found[-1][1].append(1000 * (wall + begun))
    return [(name, float(np.median(times))) for name, times in found]


def exactness(product: Product, page: Page, code: str, stage_port: int, state_port: int) -> None:
    for delay_ms in DELAYS_MS:
        line = Delay(stage_port, delay_ms)
        browser = page.context.browser
        assert browser is not None
        context = browser.new_context(base_url=product.address, viewport={"width": 390, "height": 844}, bypass_csp=True)
        phone = context.new_page()
        to = {"stage_port": line.listening}
        phone.route("**/api/join/", lambda route, _request, to=to: route.fulfill(json=to))
        phone.goto(f"/band?code={code}")
        phone.get_by_label("Your name").fill(f"Late {delay_ms}")
        phone.get_by_role("button", name="Join").click()
        phone.get_by_test_id("section").wait_for()
        phone.wait_for_timeout(3000)
        phone.evaluate(BEATS)
        true: list[tuple[str, float]] = []
        steal = stolen()
        reading = threading.Thread(target=lambda true=true: true.extend(heard_beats(state_port, 20)))
        reading.start()
        phone.wait_for_timeout(20_000)
        reading.join()
        shown = [(name, at) for name, at in phone.evaluate("window.beats") if any(name == n for n, _ in true)]
        off = [min((at - t for n, t in true if n == name), key=abs) for name, at in shown]
        print(
            f"{delay_ms} ms late, {JITTER_MS if delay_ms else 0} ms of jitter: {len(off)} beats, "
            f"{np.median(off):+.1f} ms in the middle, from {min(off):+.1f} to {max(off):+.1f}, "
            f"{sum(abs(o) <= 30 for o in off)} within 30 ms; {stolen() - steal:.1f} s taken by the machine below"
        )
        lost_and_back(phone, line)
        context.close()


def lost_and_back(phone: Page, line: Delay) -> None:
    line.cut = True
    began = time.monotonic()
    phone.get_by_role("alert").wait_for()
    said = time.monotonic() - began
    line.cut = False
    began = time.monotonic()
    phone.get_by_role("alert").wait_for(state="detached")
    print(
        f"  contact cut: said after {1000 * said:.0f} ms; after its return in step after {1000 * (time.monotonic() - began):.0f} ms"
    )


async def one_phone(address: str, origin: str, code: str, until: float, got: list[int], index: int) -> None:
    async with websockets.connect(address, origin=Origin(origin), max_queue=64) as line:
        await line.send(json.dumps({"join": code, "name": f"Phone {index}"}))
        while time.monotonic() < until:
            with contextlib.suppress(TimeoutError):
                text = await asyncio.wait_for(line.recv(), 1)
                got[index] += '"at"' in str(text)[:200]


def crowd(product: Product, code: str, stage_port: int, count: int, seconds: float, dropouts: Any) -> None:
    got, before, taken = [0] * count, dropouts(), stolen()
    server = psutil.Process(product.pid("stage"))

    async def all_of_them() -> None:
        until = time.monotonic() + seconds + 5
        where = f"ws://127.0.0.1:{stage_port}/ws/band/"
        tasks = []
        for i in range(count):
            tasks.append(asyncio.create_task(one_phone(where, product.address, code, until, got, i)))
            await asyncio.sleep(0.01)
        await asyncio.sleep(3)
        begun, first = list(got), time.monotonic()
        used = sum(server.cpu_times()[:2])
        await asyncio.sleep(seconds - 3)
        took = time.monotonic() - first
        rates = (np.array(got) - begun) / took
        share = (sum(server.cpu_times()[:2]) - used) / took
        print(
            f"{count} phones: the slowest got {rates.min():.1f} states a second, the middle {np.median(rates):.1f}; "
            f"stage's server {100 * share:.0f} % of a core; "
            f"{stolen() - taken:.1f} s taken by the machine below"
        )
        failed = [e for e in await asyncio.gather(*tasks, return_exceptions=True) if e is not None]
        if failed:
            print(f"{len(failed)} phones ended early: {failed[0]!r}")

    # The browser's own loop runs in this thread.
    thread = threading.Thread(target=lambda: asyncio.run(all_of_them()))
    thread.start()
    thread.join()
    print(f"{dropouts() - before} dropouts")


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--phones", type=int, default=200)
    parser.add_argument("--seconds", type=float, default=60)
    parser.add_argument("--crowd", action="store_true", help="without the beats of a browser")
    args = parser.parse_args()
    with tempfile.TemporaryDirectory() as made:
        product = Product(Path(made) / "var")
        try:
            lines = Path(f"/proc/{product.pid('web')}/environ").read_text().split("\0")
            env = dict(line.split("=", 1) for line in lines if "=" in line)
            with sync_playwright() as p:
                browser = p.chromium.launch(executable_path="/usr/bin/chromium", args=["--no-sandbox"])
                page = browser.new_page(base_url=product.address, viewport={"width": 1280, "height": 800})
                page.goto(product.sign_in_link())
                headers = {"X-CSRFToken": page.evaluate("document.cookie.match(/csrftoken=([^;]*)/)[1]")}
                until_prepared(lambda path: page.request.get(f"/api/{path}").json())
                show = page.request.get("/api/shows/").json()[0]["id"]
                assert page.request.post(
                    f"/api/shows/{show}/load/", data={"sure": True}, headers=headers, timeout=180_000
                ).ok
                page.goto("/stage")
                page.get_by_role("button", name="Stage: nights").click()
                page.get_by_role("menuitem", name="Phones in the show").click()
                code = page.get_by_test_id("code").inner_text()
                page.request.post("/api/engine/", data={"press": "go"}, headers=headers)
                page.wait_for_timeout(6000)
                page.request.post(
                    "/api/engine/", data={"press": "ending_tonight", "args": {"ending": "vamp"}}, headers=headers
                )
                ports = int(env["UPBEAT_STAGE_PORT"]), int(env["UPBEAT_ENGINE_STATE"])
                if not args.crowd:
                    exactness(product, page, code, *ports)
                # The page with its pictures would take the processor that the phones are measured on.
                page.goto("about:blank")
                crowd(
                    product,
                    code,
                    ports[0],
                    args.phones,
                    args.seconds,
                    lambda: page.request.get("/api/engine/").json()["dropouts"],
                )
                browser.close()
        finally:
            product.stop()
            Cluster(product.var).remove()


if __name__ == "__main__":
    main()
