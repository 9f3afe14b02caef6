"""The whole product, started as ./start does it, and a browser."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from contextlib import suppress
from pathlib import Path
from typing import ClassVar

import numpy as np
import pytest
from playwright.sync_api import Error, Page, Response, expect
from steps import WIRES, add_stems, make_rig, make_setlist, make_song, mark, plays, set_ending, stop, take_to_the_stage

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT / "core" / "tests"), str(ROOT / "tools"), str(Path(__file__).parent)]

from material import write_wav

from cluster import Cluster

RATE = 44_100
# Not a measure of anything: a slow machine shows the same, later.
expect.set_options(timeout=45_000)


class Product:
    """A running Upbeat Cue with files of its own."""

    made: ClassVar[set[Path]] = set()

    def __init__(self, var: Path, *options: str):
        self.var = var
        self.made.add(var)
        self.log = open(var.with_suffix(".log"), "wb")
        env = {**{k: v for k, v in os.environ.items() if k != "DJANGO_SETTINGS_MODULE"}, "UPBEAT_VAR": str(var)}
        self.process = subprocess.Popen(
            [sys.executable, str(ROOT / "tools" / "run.py"), "--port", "0", *options],
            env=env,
            stdout=self.log,
            stderr=self.log,
        )
        until = time.monotonic() + 180
        while not (var / "run.json").exists():
            assert self.process.poll() is None, var.with_suffix(".log").read_text()
            assert time.monotonic() < until, "the product did not come up"
            time.sleep(0.1)
        time.sleep(0.1)
        self.answer = json.loads((var / "run.json").read_text())

    @property
    def address(self) -> str:
        return str(self.answer["address"])

    def pid(self, part: str) -> int:
        return int(json.loads((self.var / "run.json").read_text())[part])

    def database_pid(self) -> int:
        """The first process of the database."""
        return int((Cluster(self.var).data / "postmaster.pid").read_text().split()[0])

    def sign_in_link(self) -> str:
        env = dict(
            item.split("=", 1)
            for item in Path(f"/proc/{self.pid('web')}/environ").read_text().split("\0")
            if "=" in item
        )
        made = subprocess.run(
            [sys.executable, "manage.py", "sign_in_link", "--base", self.address],
            cwd=ROOT / "server",
            env=env,
            capture_output=True,
            text=True,
            check=True,
        )
        return made.stdout.strip()

    def stop(self) -> int:
        self.process.send_signal(signal.SIGINT)
        status = self.process.wait(40)
        self.log.close()
        return status


@pytest.fixture(scope="session", autouse=True)
def databases_go_away():
    """Where the tests' folder is closed to the postgres user, a cluster lies beside Debian's: it goes with the tests."""
    yield
    for cluster in map(Cluster, Product.made):
        cluster.remove()
        assert not cluster.home.exists()


@pytest.fixture(scope="session")
def product(tmp_path_factory):
    running = Product(tmp_path_factory.mktemp("product") / "var", "--no-demo", "--buffer", "64")
    yield running
    running.stop()


@pytest.fixture(scope="session")
def browser_type_launch_args(browser_type_launch_args):
    args = [
        "--no-sandbox",
        "--autoplay-policy=no-user-gesture-required",
        "--disable-background-networking",
        "--disable-component-update",
        "--no-first-run",
        "--disable-quic",
        # A microphone that beeps once a second, lent without asking.
        "--use-fake-device-for-media-stream",
        "--use-fake-ui-for-media-stream",
    ]
    return {**browser_type_launch_args, "executable_path": "/usr/bin/chromium", "args": args}


@pytest.fixture
def browser_context_args(browser_context_args, product):
    return {**browser_context_args, "base_url": product.address, "viewport": {"width": 1280, "height": 800}}


def tell_answers(page: Page) -> None:
    """Print what a page asks to be changed, and every refusal: pytest shows it where a test fails.

    A notice of the page is gone by then.
    """

    def told(response: Response) -> None:
        if response.status >= 400 or response.request.method != "GET":
            print(response.status, response.request.method, response.url)
        if response.status >= 400:
            # A page that was left has no answers any more.
            with suppress(Error):
                print(response.text())

    page.on("response", told)


@pytest.fixture(scope="session")
def membership(product, browser):
    """The cookies of a member who followed a sign-in link."""
    context = browser.new_context(base_url=product.address)
    page = context.new_page()
    page.goto(product.sign_in_link())
    expect(page.get_by_role("navigation").first).to_be_visible()
    cookies = context.cookies()
    context.close()
    return cookies


@pytest.fixture
def signed_in(page, product, membership, request):
    """A page of a member, which fails the test for whatever goes wrong in its console."""
    wrong: list[str] = []
    page.on("pageerror", lambda error: wrong.append(str(error)))
    page.on(
        "console",
        lambda message: (
            wrong.append(message.text) if message.type == "error" and "status of 4" not in message.text else None
        ),
    )
    tell_answers(page)
    page.set_default_timeout(60_000)
    page.context.add_cookies(membership)
    page.goto("/")
    yield page
    assert wrong == [] or request.node.get_closest_marker("console_may_complain")


@pytest.fixture(scope="session")
def folder_of_stems(tmp_path_factory):
    """Exported stems at 120: hits on the beats, a bass, a tune; at 44.1 kHz, two of them stereo."""
    folder = tmp_path_factory.mktemp("stems") / "Paper Boats 120 bpm"
    folder.mkdir()
    t = np.arange(32 * RATE) / RATE
    rng = np.random.default_rng(7)
    hits = np.exp(-((t * 2) % 1) * 25) * rng.standard_normal(len(t)) * 0.3
    bass = 0.3 * np.sin(2 * np.pi * 55 * t) * np.exp(-((t * 2) % 1) * 3)
    tune = 0.2 * np.sin(2 * np.pi * (330 + 110 * (t // 4 % 3)) * t)
    for sound in (hits, bass, tune):
        sound[-RATE // 2 :] = 0
    for name, sound in {"Drums": hits, "Bass": bass, "Organ": tune}.items():
        both = sound if name == "Bass" else np.stack((sound, sound * 0.8), axis=1)
        write_wav(folder / f"Paper Boats 120 - {name}.wav", both.astype(np.float32), RATE, np.int16)
    return folder


@pytest.fixture
def evening(signed_in, folder_of_stems):
    """Two songs, a setlist, a rig of eight sockets, on the stage; made once, by hand."""
    page = signed_in
    page.goto("/songs")
    expect(page.get_by_role("heading", name="Songs")).to_be_visible()
    if page.get_by_role("link", name="Paper Boats").count() == 0:
        make_song(page, "Paper Boats")
        add_stems(page, folder_of_stems)
        mark(page, 1, 4, "Intro")
        mark(page, 5, 8, "Verse")
        mark(page, 9, 16, "Chorus")
        set_ending(page, "Verse", "vamp")
        make_song(page, "Click alone", "96", "3/4")
        make_setlist(page, "Evening", ["Paper Boats", "Click alone"])
        make_rig(page, "Eight", WIRES)
        expect(page.get_by_text("Click stays out of the house")).to_be_visible()
    page.goto("/setlists")
    take_to_the_stage(page, "Eight")
    expect(page.get_by_label("Now")).to_contain_text("Paper Boats stands by")
    yield page
    # A test that failed in the middle of a song must not take the next ones with it: nothing is loaded over one.
    page.goto("/stage")
    expect(page.get_by_label("Now")).to_be_visible()
    if plays(page):
        stop(page)
