"""The stage with the largest show: nothing lies over anything, and it does not grow while it plays."""

import pytest
from large import on_the_stage
from playwright.sync_api import expect
from steps import plays, stop

# Every button, field and meter of the stage that is seen, by where it is.
BOXES = """() => [...document.querySelectorAll("main button, main select, main a, main li[data-level]")]
  .map((e) => {
    const box = e.getBoundingClientRect();
    const column = e.closest("nav, aside, main > div").getBoundingClientRect();
    return { name: e.innerText.slice(0, 40), left: box.left, right: box.right, top: box.top, bottom: box.bottom,
             from: column.left, to: column.right, seen: e.checkVisibility() && box.width > 0 };
  })
  .filter((b) => b.seen)"""
TRANSPORT = ("Stop", "Once more", "Release", "Next song")


@pytest.fixture
def large(signed_in, tmp_path):
    page = signed_in
    on_the_stage(page, tmp_path / "stems")
    yield page
    if plays(page):
        stop(page)


def in_their_columns(page):
    boxes = page.evaluate(BOXES)
    assert len(boxes) > 60
    outside = [b["name"] for b in boxes if b["left"] < b["from"] - 1 or b["right"] > b["to"] + 1]
    assert outside == []


def hands_are_seen(page):
    """The transport and the *when* of a jump are on the screen as a whole, beside each other."""
    height = page.viewport_size["height"]
    names = ("at once", "at the section’s end")
    whens = [page.get_by_role("radio", name=name, exact=True).bounding_box() for name in names]
    boxes = [page.get_by_role("button", name=name).first.bounding_box() for name in TRANSPORT] + whens
    assert all(b is not None and b["y"] >= 0 and b["y"] + b["height"] <= height and b["width"] > 80 for b in boxes)


def grown(client):
    """Nodes of the page, and bytes that its scripts hold, once what is not needed is thrown away: the least of three."""
    found = []
    for _ in range(3):
        client.send("HeapProfiler.collectGarbage")
        metrics = {m["name"]: m["value"] for m in client.send("Performance.getMetrics")["metrics"]}
        found.append((metrics["Nodes"], metrics["JSHeapUsedSize"]))
    nodes, held = zip(*found, strict=True)
    return min(nodes), min(held)


def test_nothing_lies_over_anything_and_it_does_not_grow_while_it_plays(large):
    page = large
    client = page.context.new_cdp_session(page)
    client.send("Performance.enable")
    expect(page.get_by_role("button", name="Go", exact=False).first).to_be_enabled()
    for width, height in ((1920, 1080), (1280, 800)):
        page.set_viewport_size({"width": width, "height": height})
        in_their_columns(page)
        hands_are_seen(page)
    page.keyboard.press("g")
    expect(page.get_by_test_id("section")).to_have_text("Introduction 1", timeout=60_000)
    in_their_columns(page)
    hands_are_seen(page)
    expect(page.get_by_test_id("section")).to_have_text("Verse 1", timeout=60_000)
    # In its first half minute the browser keeps what it compiles: what is counted is what comes after.
    expect(page.get_by_test_id("section")).to_have_text("Verse 2", timeout=60_000)
    nodes, held = grown(client)
    expect(page.get_by_test_id("section")).to_have_text("Verse 3", timeout=60_000)
    more_nodes, more_held = grown(client)
    assert more_nodes - nodes < 200
    assert more_held - held < 1_000_000
    page.keyboard.press("p")
    expect(page.get_by_role("list", name="Parts").get_by_role("listitem").nth(23)).to_be_attached()
    in_their_columns(page)
    press = page.get_by_role("button", name="Stop")
    expect(press).to_be_enabled()
    press.hover()
    page.mouse.down()
    page.wait_for_timeout(900)
    page.mouse.up()
    expect(page.get_by_role("button", name="Resume")).to_be_visible()
