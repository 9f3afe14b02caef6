"""How soon an edit of a running order of thirty entries is drawn, and how soon the server has answered it.

``.venv/bin/python benchmarks/setlist_edit.py [--entries 30]``. Each figure is the median and the worst of twenty edits:
milliseconds from the press to the picture that shows it, beside the same for a bare page that only sets a text.
"""

from __future__ import annotations

import argparse
import statistics
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT / "tests"), str(ROOT / "playout" / "tests")]

from conftest import Product
from large import asked
from playwright.sync_api import Page, sync_playwright

TIMES = 20
LONG = "The longest title that anybody has ever given to a song of theirs, number {}"

# Presses ``button`` and gives ms until a picture is drawn in which ``shown`` holds.
PRESS = """([press, shown]) => new Promise((done) => {
  const find = new Function("return " + press), holds = new Function("return " + shown);
  const began = performance.now();
  find().click();
  const look = () => (holds() ? requestAnimationFrame(() => done(performance.now() - began)) : requestAnimationFrame(look));
  requestAnimationFrame(look);
})"""


def pressed(page: Page, press: str, shown: str) -> float:
    return float(page.evaluate(PRESS, [press, shown]))


def bare(page: Page) -> float:
    page.set_content("<button onclick=\"this.textContent = 'b'\">a</button>")
    return pressed(page, "document.querySelector('button')", "document.querySelector('button').textContent === 'b'")


def measure(page: Page) -> list[float]:
    first = "document.querySelectorAll('ol > li')[0]"
    box = f"{first}.querySelectorAll('input[type=checkbox]')[1]"
    found = []
    for on in [True, False] * (TIMES // 2):
        found.append(pressed(page, box, f"{box}.checked === {str(on).lower()}"))
        page.wait_for_timeout(1500)
    return found


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--entries", type=int, default=30)
    entries = parser.parse_args().entries
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        product = Product(Path(folder) / "var", "--no-demo", "--buffer", "64")
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=["--no-sandbox"])
        try:
            page = browser.new_context(base_url=product.address, viewport={"width": 1280, "height": 800}).new_page()
            page.set_default_timeout(60_000)
            blank = statistics.median(bare(page) for _ in range(TIMES))
            page.goto(product.sign_in_link())
            page.wait_for_url("**/songs")
            songs = [asked(page, "POST", "songs/", {"title": LONG.format(i)})["id"] for i in range(entries)]
            made = asked(page, "POST", "setlists/", {"name": "Thirty", "entries": [{"song": s} for s in songs]})
            page.goto(f"/setlists/{made['id']}")
            page.locator("ol > li").nth(entries - 1).wait_for()
            page.wait_for_timeout(2000)
            answered = []
            page.on(
                "requestfinished", lambda r: answered.append(r.timing["responseEnd"]) if r.method == "PATCH" else None
            )
            drawn = measure(page)
            print(
                f"{entries} entries: an edit is drawn after {statistics.median(drawn):.0f} ms, {max(drawn):.0f} at worst"
            )
            print(f"a bare page: {blank:.0f} ms; ratio {statistics.median(drawn) / blank:.1f}")
            print(f"the server answers after {statistics.median(answered):.0f} ms, {max(answered):.0f} at worst")
        finally:
            browser.close()
            product.stop()


if __name__ == "__main__":
    main()
