"""Screens in the browser (rule B4): a film that follows the show, words, the conductor's, a clock; opened by the code alone."""

import json
import re

import numpy as np
import pytest
from numbered_film import WATCH, numbered_film, off, press
from playwright.sync_api import expect
from steps import go, make_rig, make_setlist, make_song, mark, stop, take_to_the_stage
from test_pages import axe


@pytest.fixture
def evening(signed_in, tmp_path):
    page = signed_in
    make_song(page, "Lantern Film", "120")
    mark(page, 1, 8, "Intro")
    mark(page, 9, 24, "Chorus")
    song = page.url.rstrip("/").rsplit("/", 1)[1]
    page.get_by_role("link", name="Messages").click()
    screens = page.get_by_role("region", name="On screens")
    screens.locator("input[type=file]").set_input_files(numbered_film(tmp_path / "Lanterns.webm"))
    film = screens.get_by_role("combobox").first
    expect(film.locator("option")).to_have_count(2, timeout=60_000)
    film.select_option(index=1)
    expect(screens.get_by_label("Begins at, seconds after bar 1")).to_have_value("0")
    assert axe(page) == []
    yield page, song
    # What failed in the middle of the song leaves the stage to the tests after it.
    status = page.request.get("/api/engine/").json().get("status")
    if status in ("playing", "count_in"):
        press(page, "stop")


def test_a_film_is_where_the_song_is_also_after_a_jump(evening, browser, product):
    page, _ = evening
    make_setlist(page, "Film night", ["Lantern Film"])
    setlist = page.url
    page.get_by_role("button", name="Colour, players and screens of Lantern Film").click()
    page.get_by_role("menuitem", name="Screens and timecode").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("What screens show with it").select_option(label="the film")
    dialog.get_by_label(re.compile("^Timecode of its bar 1")).fill("25:00:00:00")
    dialog.get_by_label(re.compile("^Timecode of its bar 1")).press("Enter")
    expect(page.get_by_text("is no time for 24 frames a second").first).to_be_visible()
    assert axe(page) == []
    dialog.get_by_role("button", name="Done").click()
    make_rig(page, "Film rig", [])
    page.goto(setlist)
    take_to_the_stage(page, "Film rig")
    code = json.loads((product.var / "joining.json").read_text())["code"]
    context = browser.new_context(base_url=product.address, viewport={"width": 1280, "height": 720})
    screen = context.new_page()
    screen.goto(f"/screen?code={code}")
    assert axe(screen) == []
    screen.get_by_role("button", name="Join").click()
    expect(screen.get_by_role("heading", name="What is this screen for?")).to_be_visible()
    assert axe(screen) == []
    screen.get_by_role("button", name="Audience").click()
    expect(screen.get_by_text("Black: nothing is shown now.")).to_be_attached()
    go(page)
    expect(screen.locator("video")).to_be_visible(timeout=60_000)
    screen.wait_for_timeout(1500)
    steady = off(page, screen.evaluate(WATCH, 2))
    assert len(steady) > 10
    assert np.median(np.abs(steady)) <= 1
    press(page, "go_to", step=1, when="at_once")
    expect(page.get_by_test_id("section")).to_have_text("Chorus", timeout=60_000)
    screen.wait_for_timeout(500)
    after = off(page, screen.evaluate(WATCH, 1.5))
    assert np.median(np.abs(after)) <= 1
    # The other screens, by the same pass.
    screen.goto("/screen?show=conductor")
    expect(screen.get_by_text("Chorus")).to_be_visible()
    assert axe(screen) == []
    screen.goto("/screen?show=clock")
    expect(screen.locator("time")).to_have_text(re.compile(r"^\d\d:\d\d:\d\d$"))
    screen.goto("/screen?show=audience")
    expect(screen.locator("video")).to_be_visible(timeout=60_000)
    stop(page)
    expect(screen.locator("video")).to_have_count(0)
    context.close()
