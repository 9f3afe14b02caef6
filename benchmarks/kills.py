"""Every process of the product killed with −9 while a song of the demo plays, ten times each, with the stage page open.

``.venv/bin/python benchmarks/kills.py [--times 10]`` prints for each part how soon a press in the page was
answered meanwhile, how soon the part was back, and the blocks that were missing from the sound; then how
soon everything stands by again at its bar once ``./start`` is run anew.
"""

from __future__ import annotations

import argparse
import contextlib
import os
import signal
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

ROOT = Path(__file__).parents[1]
sys.path[:0] = [str(Path(__file__).parent), str(ROOT / "tests"), str(ROOT / "tools"), str(ROOT / "playout" / "tests")]

import psutil
from conftest import Product
from playwright.sync_api import Page, TimeoutError, sync_playwright
from process import stolen

from cluster import Cluster
from playout import shared
from playout.client import EngineClient, EngineSilent
from playout.shared import RENDERERS, Shared
from prepared import until_prepared

PATIENCE_S = 60
PARTS = ("web", "worker", "database", "leader", "follower", "feeder")
SHOW = "Thursday, dome tent"


class Played:
    """The product with a page on its stage, and a look into its engine."""

    def __init__(self, product: Product, page: Page):
        self.product, self.page = product, page
        self.memory = Shared(shared.path_of(product.var / "engine"), 48000, 1000, create=False)

    def go(self) -> None:
        page = self.page
        until_prepared(lambda path: page.request.get(f"/api/{path}").json())
        page.goto("/stage")
        load, running = page.get_by_role("button", name=SHOW), page.get_by_label("Now")
        load.or_(running).first.wait_for()
        if load.is_visible():
            load.click()
        running.wait_for()
        page.keyboard.press("g")
        page.get_by_role("button", name="Stop", exact=False).and_(page.locator(":enabled")).first.wait_for()

    def pressed(self) -> float:
        """Milliseconds until pulling the house, or bringing it back, is seen in the page."""
        pulled = self.page.get_by_role("button", name="Pull the house").is_visible()
        began = time.monotonic()
        done = self.page.get_by_role("button", name="Bring it back" if pulled else "Pull the house")
        for _ in range(10):
            self.page.keyboard.press("h")
            with contextlib.suppress(TimeoutError):
                done.wait_for(timeout=2000)
                break
            # One that was refused, and told so, is pressed again as a hand would.
        return 1000 * (time.monotonic() - began)

    def keep_playing(self) -> None:
        """Begin anew once the song is over."""
        if (
            self.page.get_by_role("button", name="Go", exact=False)
            .and_(self.page.locator(":enabled"))
            .first.is_visible()
        ):
            self.page.keyboard.press("g")

    def pid(self, part: str) -> int:
        memory = self.memory
        leader = memory.number(shared.LEADER)
        return {
            "feeder": lambda: memory.number(shared.FEEDER_PID),
            "leader": lambda: memory.own(leader, shared.PID),
            "follower": lambda: memory.own(RENDERERS - 1 - leader, shared.PID),
            "database": self.product.database_pid,
        }.get(part, lambda: self.product.pid(part))()

    def both(self) -> bool:
        """Whether both renderers have the show: one at a time is killed."""
        memory, now = self.memory, time.monotonic_ns()
        playing = memory.number(shared.PLAYING)
        alive = (now - memory.own(r, shared.ALIVE_NS) < 500_000_000 for r in range(RENDERERS))
        return all(alive) and all(
            memory.own(r, shared.JOINED) and memory.own(r, shared.READY) >= playing for r in range(RENDERERS)
        )

    def answers(self, path: str) -> bool:
        with contextlib.suppress(Exception):
            return self.page.request.get(path, timeout=2000).status == 200
        return False


def waited(done: Callable[[], bool], every: float = 0.01) -> float:
    """Seconds until something is so."""
    began = time.monotonic()
    while not done():
        if time.monotonic() - began > PATIENCE_S:
            return float("inf")
        time.sleep(every)
    return time.monotonic() - began


def killed(played: Played, part: str, times: int) -> str:
    before, lost = played.memory.number(shared.DROPOUTS), stolen()
    answered, back = [], []
    for _ in range(times):
        played.keep_playing()
        waited(played.both)
        old = played.pid(part)
        at = time.monotonic_ns()
        os.kill(old, signal.SIGKILL)
        if part == "feeder":
            fed = lambda at=at: played.memory.number(shared.FED_NS) > at + 1_000_000  # noqa: E731
            back.append(waited(fed, 0.001))
            answered.append(played.pressed())
        else:
            began = time.monotonic()
            answered.append(played.pressed())
            path = "/api/shows/" if part in ("web", "database") else None

            def again(path: str | None = path, old: int = old) -> bool:
                with contextlib.suppress(OSError, ValueError, IndexError):
                    return played.pid(part) != old and (path is None or played.answers(path))
                return False

            waited(again)
            back.append(time.monotonic() - began)
        time.sleep(1.5)
    missing = played.memory.number(shared.DROPOUTS) - before
    return (
        f"{part}, {times} times: a press in the page seen after at most {max(answered):.0f} ms; back after at most "
        f"{max(back):.2f} s; {missing} blocks missing ({stolen() - lost:.1f} s taken away below)"
    )


def family(product: Product) -> list[psutil.Process]:
    """Every process of the product."""
    first = psutil.Process(product.process.pid)
    found = [first, *first.children(recursive=True)]
    database = psutil.Process(product.database_pid())
    return [*found, database, *database.children(recursive=True)]


def engine_ports(var: Path) -> tuple[int, int] | None:
    for process in psutil.process_iter(["cmdline"]):
        line = process.info["cmdline"] or []
        if "playout.main" in line and str(var / "engine") in line:
            return int(line[line.index("--control") + 1]), int(line[line.index("--state") + 1])
    return None


def everything(var: Path, product: Product) -> tuple[str, Product]:
    """All processes killed at once, and ``./start`` run again; gives what came of it and the product that runs."""
    for process in family(product):
        with contextlib.suppress(psutil.Error):
            process.kill()
    product.process.wait()
    time.sleep(0.5)
    (var / "run.json").unlink(missing_ok=True)
    began, lost = time.monotonic(), stolen()
    os.posix_spawn(
        sys.executable,
        [sys.executable, str(ROOT / "tools" / "run.py"), "--port", "0"],
        {**os.environ, "UPBEAT_VAR": str(var)},
    )
    status = ""

    def stands() -> bool:
        nonlocal status
        ports = engine_ports(var)
        if ports is None:
            return False
        with contextlib.suppress(EngineSilent), EngineClient(*ports, timeout_ms=200) as client:
            state = client.ask("state").get("state") or {}
            status = f"{state.get('status')} at bar {state.get('position', {}).get('bar')}"
            return bool(state.get("show"))
        return False

    waited(stands)
    took, lost = time.monotonic() - began, stolen() - lost
    return f"everything, killed and started again: {status} after {took:.1f} s ({lost:.1f} s taken away below)", product


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--times", type=int, default=10)
    parser.add_argument("--parts", nargs="*", default=PARTS, choices=PARTS)
    args = parser.parse_args()
    with tempfile.TemporaryDirectory() as temporary:
        var = Path(temporary) / "var"
        product = Product(var)
        try:
            with sync_playwright() as p:
                browser = p.chromium.launch(executable_path="/usr/bin/chromium", args=["--no-sandbox"])
                page = browser.new_page(base_url=product.address, viewport={"width": 1280, "height": 800})
                page.goto(product.sign_in_link())
                page.wait_for_load_state("networkidle")
                played = Played(product, page)
                played.go()
                time.sleep(3)
                for part in args.parts:
                    print(killed(played, part, args.times), flush=True)
                browser.close()
            print(everything(var, product)[0], flush=True)
        finally:
            for process in psutil.process_iter(["cmdline", "environ"]):
                if str(var) in " ".join(process.info["cmdline"] or []):
                    process.terminate()
            for process in psutil.process_iter(["environ"]):
                if (process.info["environ"] or {}).get("UPBEAT_VAR") == str(var) and process.pid != os.getpid():
                    process.terminate()
            time.sleep(8)
            Cluster(var).remove()


if __name__ == "__main__":
    main()
