"""How many pictures a second the stage draws with the largest show, beside a blank page, and whether it grows.

``.venv/bin/python benchmarks/stage_pictures.py [--minutes 2] [--alone]``. Chromium draws without a graphics card here, on a machine
that others use too: a witness, a second browser with nothing but a square that moves, tells in the same minutes what can
be drawn at all; ``--alone``: without it, since it takes some of the processor. Held bytes and nodes are counted each minute, after what is not needed is thrown away.
"""

from __future__ import annotations

import argparse
import sys
import tempfile
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT / "tests"), str(ROOT / "playout" / "tests")]

from conftest import Product
from large import on_the_stage
from playwright.sync_api import Page, sync_playwright
from process import stolen

# Gaps between pictures, in milliseconds, over some seconds.
GAPS = """(seconds) => new Promise((done) => {
  const gaps = [], until = performance.now() + 1000 * seconds;
  let last = performance.now();
  const next = (now) => {
    gaps.push(now - last);
    last = now;
    if (now < until) requestAnimationFrame(next);
    else done(gaps.slice(1));
  };
  requestAnimationFrame(next);
})"""


WITNESS = """<div style="width:90px;height:90px;background:#1f4d43"></div><script>
  const square = document.querySelector("div");
  const move = (now) => {
    square.style.transform = `translateX(${(now / 10) % 300}px)`;
    requestAnimationFrame(move);
  };
  requestAnimationFrame(move);
</script>"""


def drawn(gaps: list[float]) -> tuple[float, float]:
    """Pictures a second, and the gap in ms that 99 of 100 are shorter than."""
    in_order = sorted(gaps)
    return 1000 * len(gaps) / sum(gaps), in_order[int(0.99 * (len(gaps) - 1))]


def drawn_beside(
    page: Page, witness: Page | None, seconds: float
) -> tuple[tuple[float, float], tuple[float, float] | None]:
    """:func:`drawn` of a page and of the witness, in the same seconds."""
    if witness is None:
        return drawn(page.evaluate(GAPS, seconds)), None
    witness.evaluate(f"(seconds) => {{ window.gaps = ({GAPS})(seconds); }}", seconds)
    own = page.evaluate(GAPS, seconds)
    return drawn(own), drawn(witness.evaluate("window.gaps"))


def grown(client: Any) -> tuple[int, float]:
    client.send("HeapProfiler.collectGarbage")
    metrics = {m["name"]: m["value"] for m in client.send("Performance.getMetrics")["metrics"]}
    return int(metrics["Nodes"]), metrics["JSHeapUsedSize"] / 1e6


def play_round(page: Page) -> None:
    """Begin the song, and keep it going round in its first section."""
    page.keyboard.press("g")
    page.get_by_test_id("section").get_by_text("Introduction").wait_for(timeout=60_000)
    page.keyboard.press("v")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=float, default=2)
    parser.add_argument("--alone", action="store_true", help="without a witness")
    args = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        product = Product(Path(folder) / "var", "--no-demo", "--buffer", "64")
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=["--no-sandbox"])
        other = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=["--no-sandbox"])
        try:
            context = browser.new_context(base_url=product.address, viewport={"width": 1280, "height": 800})
            page = context.new_page()
            page.set_default_timeout(120_000)
            page.goto(product.sign_in_link())
            on_the_stage(page, Path(folder) / "stems")
            client = context.new_cdp_session(page)
            client.send("Performance.enable")
            page.bring_to_front()
            play_round(page)
            page.wait_for_timeout(5000)
            witness = None if args.alone else other.new_page()
            if witness is not None:
                witness.set_content(WITNESS)
            measure(page, witness, client, args.minutes)
        finally:
            other.close()
            browser.close()
            product.stop()


def measure(page: Page, witness: Page | None, client: Any, minutes: float) -> None:
    done, rates = 0.0, []
    while done < minutes:
        before = stolen()
        (rate, gap), beside = drawn_beside(page, witness, min(60, 60 * (minutes - done)))
        done += 1
        nodes, held = grown(client)
        compared = ""
        if beside is not None:
            rates.append(rate / beside[0])
            compared = f" (witness {beside[0]:.1f}, {beside[1]:.1f} ms: {rates[-1]:.3f})"
        print(
            f"minute {done:.0f}: {rate:.1f} a second, 99 of 100 within {gap:.1f} ms{compared}; "
            f"{nodes} nodes, {held:.1f} MB; {stolen() - before:.1f} s taken by the machine below",
            flush=True,
        )
    if rates:
        print(f"ratio to the witness: mean {sum(rates) / len(rates):.4f}, least {min(rates):.3f}")


if __name__ == "__main__":
    main()
