"""The chart of a large song in Chromium: 400 bars, 40 sections, 24 stems.

``.venv/bin/python benchmarks/chart.py`` starts the product on data of its own, brings in 24 stems of
nine minutes, and prints frames a second while scrolling and while playing, and how long edits take
from the press to the frame that shows them. Beside each figure, the frames a second of an empty page
on the same machine in the same run.
"""

from __future__ import annotations

import json
import os
import signal
import statistics
import subprocess
import sys
import tempfile
import time
from collections import defaultdict
from importlib import import_module
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
from playwright.sync_api import Locator, Page, sync_playwright

sys.path[:0] = [str(Path(__file__).parent), str(Path(__file__).parents[1] / "tools")]

from cluster import Cluster
from upbeat.audio.pcm import WavWriter

Visitor, PIECE = (getattr(import_module("import"), name) for name in ("Visitor", "PIECE"))
ROOT = Path(__file__).resolve().parents[1]
BARS, SECTIONS, STEMS, BPM, RATE = 400, 40, 24, 180, 48_000
NAMES = ("Verse", "Chorus", "Bridge", "Solo", "Interlude")

FRAMES = """(ms) => new Promise((done) => {
  const times = []; const began = performance.now();
  const tick = (now) => { times.push(now); now - began < ms ? requestAnimationFrame(tick) : done(times); };
  requestAnimationFrame(tick);
})"""
WATCHED = f"(ms) => {{ window.frames = ({FRAMES})(ms); }}"
# From the press until its outcome stands on the page (after the frame in which it does), and until what the
# server answers has been drawn.
UNTIL_DRAWN = """(holds) => { window.shown = new Promise((done) => {
  let began = 0, seen = 0;
  const outcome = new Function(`return ${holds}`);
  const look = () => { if (outcome()) setTimeout(() => { seen = performance.now() - began; }); else requestAnimationFrame(look); };
  addEventListener('keydown', () => { began = performance.now(); requestAnimationFrame(look); }, { capture: true, once: true });
  const real = window.fetch;
  window.fetch = async (...all) => {
    const answer = await real(...all);
    if (/edits|undo/.test(String(all[0]))) {
      window.fetch = real;
      const read = answer.json.bind(answer);
      answer.json = async () => {
        const got = await read();
        requestAnimationFrame(() => setTimeout(() => done([seen || performance.now() - began, performance.now() - began])));
        return got;
      };
    }
    return answer;
  };
}); }"""


def made(visitor: Any, folder: Path) -> str:
    """A song as large as the benchmark wants it, in the running product."""
    song = visitor.ask("songs/", "POST", {"title": "Four hundred bars", "bpm": str(BPM)})["id"]
    seconds = BARS * 4 * 60 / BPM
    rng = np.random.default_rng(1)
    t = np.arange(int(seconds * RATE)) / RATE
    for i in range(STEMS):
        sound = (
            0.2 * np.sin(2 * np.pi * (80 + 23 * i) * t) * (0.4 + 0.6 * np.exp(-((t * BPM / 60) % 1) * (2 + i)))
            + 0.01 * rng.standard_normal(len(t))
        ).astype(np.float32)
        path = folder / f"Stem {i + 1:02d}.wav"
        with WavWriter(path, RATE, 1, np.int16) as writer:
            writer.write((sound[:, None] * 32767).astype(np.int16))
        content = path.read_bytes()
        upload = visitor.ask("uploads/", "POST", {"song": song, "name": path.name, "size": len(content)})["id"]
        for at in range(0, len(content), PIECE):
            visitor.ask(f"uploads/{upload}/piece/?offset={at}", "PUT", raw=content[at : at + PIECE])
        path.unlink()
    while any(u["status"] != "done" for u in visitor.ask(f"uploads/?song={song}")):
        time.sleep(0.5)
    sections = [{"bar": 1 + i * BARS // SECTIONS, "name": f"{NAMES[i % len(NAMES)]} {i + 1}"} for i in range(SECTIONS)]
    chords = {"first": 1, "last": BARS, "fill": True, "text": "Em C/E | G | D7sus4 | %"}
    edits: list[tuple[str, dict[str, Any]]] = [
        ("set_length", {"bars": BARS}),
        ("set_sections", {"sections": sections}),
        ("set_chords", chords),
    ]
    for do, args in edits:
        visitor.ask(f"songs/{song}/edits/", "POST", {"do": do, "args": args})
    while not visitor.ask(f"songs/{song}/")["findings"]["ready"]:
        time.sleep(0.5)
    return str(song)


def got(times: list[float]) -> str:
    steps = [b - a for a, b in pairwise(times)]
    return f"{1000 * len(steps) / sum(steps):.1f} frames a second, the slowest {max(steps):.0f} ms, {sum(s > 25 for s in steps)} of {len(steps)} above 25 ms"


def timed(page: Page, field: Locator, key: str, holds: str) -> tuple[float, float]:
    """Milliseconds from a press in a field to the frame in which ``holds`` is true of the page, and to the frame with the server's answer."""
    page.evaluate(UNTIL_DRAWN, holds)
    field.press(key)
    seen, answered = page.evaluate("() => window.shown")
    page.wait_for_timeout(400)
    return float(seen), float(answered)


def label(bar: int) -> str:
    return f"document.querySelector('[data-bar=\"{bar}\"]').getAttribute('aria-label')"


#: What was done to (seen, answered) in ms, of every time.
Cases = dict[str, list[tuple[float, float]]]


def measured(page: Page, song: str) -> None:
    page.goto("about:blank")
    print("an empty page:      ", got(page.evaluate(FRAMES, 3000)))
    page.goto(f"/songs/{song}")
    page.wait_for_selector("[data-bar='1']")
    page.wait_for_timeout(2000)
    # A finger on the chart, there and back.
    page.evaluate(WATCHED, 6000)
    hand = page.context.new_cdp_session(page)
    for distance in (-4000, 4000):
        hand.send(
            "Input.synthesizeScrollGesture",
            {"x": 700, "y": 500, "yDistance": distance, "speed": 1600, "gestureSourceType": "touch"},
        )
    print("scrolling the chart:", got(page.evaluate("() => window.frames")))
    page.get_by_role("button", name="Hear it", exact=True).click()
    page.wait_for_timeout(2500)
    print("while it plays:     ", got(page.evaluate(FRAMES, 6000)))
    page.get_by_role("button", name="Stop hearing").click()
    page.wait_for_timeout(500)
    for what, ms in {**edited_chart(page), **edited_sheet(page)}.items():
        seen, answered = ([m[side] for m in ms] for side in (0, 1))
        until = f"{statistics.median(answered):.0f} to the server's answer in a frame"
        print(
            f"edit, {what}: {statistics.median(seen):.0f} ms (worst {max(seen):.0f}) from the press to the frame that shows it, {until}"
        )


def edited_chart(page: Page) -> Cases:
    cases: Cases = defaultdict(list)
    for i in range(6):
        field = page.get_by_label("Key", exact=True)
        field.fill(f"K{i} minor")
        cases["key of the song"].append(
            timed(page, field, "Enter", f"document.querySelector('[aria-label=Key]').value === 'K{i} minor'")
        )
        page.locator("[data-bar='13']").scroll_into_view_if_needed()
        page.locator("[data-bar='13']").click()
        page.locator("[data-bar='15']").click(modifiers=["Shift"])
        name = page.get_by_label("Name of the section")
        name.fill(f"New {i}")
        cases["a section of three bars"].append(timed(page, name, "Enter", f"{label(13)}.includes('New {i}')"))
        page.locator("[data-bar='22']").click()
        chords = page.get_by_label("Chords from bar 22")
        written = f"Bm{(6, 7, 9)[i % 3]}"
        chords.fill(written)
        cases["chords of a bar"].append(timed(page, chords, "Enter", f"{label(22)}.includes('{written}')"))
        page.keyboard.press("Escape")
        boundary = page.get_by_role("slider").nth(8)
        boundary.focus()
        start = int(boundary.get_attribute("aria-valuenow") or 0) + (1 if i % 2 else -1)
        holds = f"document.querySelectorAll('[role=slider]')[8].getAttribute('aria-valuenow') === '{start}'"
        cases["start of a section by key"].append(timed(page, boundary, "ArrowRight" if i % 2 else "ArrowLeft", holds))
        tempo = page.get_by_label("Tempo in beats a minute")
        tempo.fill(str(181 + i))
        above = "document.querySelector('[data-bar=\"1\"]').parentElement.textContent"
        cases["tempo"].append(timed(page, tempo, "Enter", f"{above}.includes('= {181 + i}')"))
        page.get_by_role("button", name="Take back").focus()
        cases["undo"].append(
            timed(page, page.get_by_role("button", name="Take back"), "Control+z", f"{above}.includes('= 180')")
        )
    return cases


def edited_sheet(page: Page) -> Cases:
    page.get_by_role("link", name="Tacet sheet").click()
    page.get_by_role("gridcell").first.wait_for()
    page.wait_for_timeout(2000)
    cases: Cases = defaultdict(list)
    for i in range(6):
        place = f"{2 + 3 * i}:{5 + 2 * i}"
        cell = page.locator(f"[data-cell='{place}']")
        cell.focus()
        seen_of = f"document.querySelector('[data-cell=\"{place}\"]').getAttribute('aria-label')"
        cases["a cell of the sheet"].append(timed(page, cell, "t", f"{seen_of}.endsWith('tacet')"))
        page.keyboard.press("ArrowRight")
        louder = page.locator(f"[data-cell='{2 + 3 * i}:{6 + 2 * i}']")
        seen_of = f"document.querySelector('[data-cell=\"{2 + 3 * i}:{6 + 2 * i}\"]').getAttribute('aria-label')"
        cases["half a decibel"].append(timed(page, louder, "+", f"{seen_of}.endsWith('+0.5 dB')"))
        page.keyboard.press("Home")
        page.keyboard.press("Shift+End")
        last = page.locator(f"[data-cell='{2 + 3 * i}:39']")
        seen_of = f"document.querySelector('[data-cell=\"{2 + 3 * i}:39\"]').getAttribute('aria-label')"
        cases["a whole row of the sheet"].append(timed(page, last, "t", f"{seen_of}.endsWith('tacet')"))
    return cases


def main() -> None:
    with tempfile.TemporaryDirectory() as temporary:
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
            run_file = Path(temporary) / "var" / "run.json"
            while not run_file.exists():
                time.sleep(0.2)
            time.sleep(0.5)
            run = json.loads(run_file.read_text())
            visitor = Visitor(run["address"], run["sign_in"])
            song = made(visitor, Path(temporary))
            with sync_playwright() as p:
                args = ["--no-sandbox", "--autoplay-policy=no-user-gesture-required"]
                browser = p.chromium.launch(executable_path="/usr/bin/chromium", args=args)
                context = browser.new_context(base_url=run["address"], viewport={"width": 1280, "height": 800})
                context.add_cookies([{"name": c.name, "value": c.value, "url": run["address"]} for c in visitor.jar])
                measured(context.new_page(), song)
                browser.close()
        finally:
            os.killpg(server.pid, signal.SIGINT)
            server.wait()
            Cluster(Path(temporary) / "var").remove()


if __name__ == "__main__":
    main()
