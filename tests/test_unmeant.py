"""What hands do not mean: each way in which a song was once started, stopped, begun again or skipped by accident."""

import re

import pytest
from playwright.sync_api import expect
from steps import go, hold, stop


@pytest.fixture
def stands_by(evening):
    """The first song stands by, and nothing was passed over."""
    evening.get_by_label("Running order").get_by_role("button", name=re.compile(r"Paper Boats")).first.click()
    expect(evening.get_by_label("Now")).to_contain_text("Paper Boats stands by")
    return evening


def still_plays(page):
    """The song goes on a second later."""
    bar = page.get_by_test_id("bar-beat").inner_text()
    page.wait_for_timeout(1200)
    expect(page.get_by_test_id("bar-beat")).not_to_have_text(bar)
    expect(page.get_by_role("button", name=re.compile("^Stop"))).to_be_enabled()


def test_a_song_is_started_by_none_of_them(stands_by):
    page = stands_by
    # Next song, however often and however long: one song is passed over.
    following = page.get_by_role("button", name=re.compile("^Next song"))
    following.focus()
    for _ in range(12):
        page.keyboard.down("Enter")
        page.wait_for_timeout(30)
    page.keyboard.up("Enter")
    for _ in range(3):
        page.keyboard.press("n")
        page.wait_for_timeout(100)
    expect(page.get_by_label("Now")).to_contain_text("Click alone stands by")
    # A click, and then Space: it is not done again, and Space is go.
    page.get_by_label("Running order").get_by_role("button", name=re.compile("Paper Boats")).first.click()
    expect(page.get_by_label("Now")).to_contain_text("Paper Boats stands by")
    pull, back = (page.get_by_role("button", name=re.compile(name)) for name in ("^Pull the house", "^Bring it back"))
    pull.click()
    expect(back).to_be_visible()
    assert page.evaluate("document.activeElement === document.body")
    back.click()
    expect(pull).to_be_visible()
    # Enter held on what toggles.
    pull.focus()
    for _ in range(15):
        page.keyboard.down("Enter")
        page.wait_for_timeout(30)
    page.keyboard.up("Enter")
    expect(back).to_be_visible()
    page.keyboard.press("h")
    expect(pull).to_be_visible()
    assert "stands by" in page.get_by_label("Now").inner_text()


def test_a_song_is_stopped_by_none_of_them_and_begun_again_by_none(stands_by):
    page = stands_by
    go(page)
    # A key whose release was lost does not repeat.
    page.keyboard.down("s")
    page.wait_for_timeout(1500)
    still_plays(page)
    page.keyboard.up("s")
    # A tap while the page stands still for longer than a hold.
    box = page.get_by_role("button", name=re.compile("^Stop")).bounding_box()
    page.mouse.move(box["x"] + 20, box["y"] + 20)
    page.mouse.down()
    page.evaluate("() => { const end = performance.now() + 900; while (performance.now() < end); }")
    page.mouse.up()
    still_plays(page)
    # Another window comes in front while it is held.
    page.mouse.down()
    page.evaluate("window.dispatchEvent(new Event('blur'))")
    page.wait_for_timeout(900)
    page.mouse.up()
    still_plays(page)
    # Loaded anew, gone back from, seen by a second tab that is closed.
    page.reload()
    expect(page.get_by_label("Now")).to_be_visible()
    page.goto("/songs")
    page.go_back()
    other = page.context.new_page()
    other.goto("/stage")
    expect(other.get_by_label("Now")).to_be_visible()
    other.close()
    still_plays(page)
    # Keys act while a list has the focus.
    page.get_by_label("Hear a feed in the browser").focus()
    page.keyboard.press("h")
    expect(page.get_by_role("button", name=re.compile("^Bring it back"))).to_be_visible()
    page.keyboard.press("h")
    # Space would open the list.
    page.evaluate("document.activeElement.blur()")
    # Go and Space while it plays, and once it is stopped.
    for key in ("g", " "):
        page.keyboard.press(key)
    still_plays(page)
    stop(page)
    expect(page.get_by_role("button", name=re.compile("^Resume"))).to_be_visible()
    for key in ("g", " ", "g"):
        page.keyboard.press(key)
        page.wait_for_timeout(150)
    expect(page.get_by_label("Now")).to_contain_text("Paper Boats, stopped")
    # Held, it is meant.
    hold(page, "g", lambda: page.get_by_test_id("section").inner_text() == "Count-in")
    stop(page)
