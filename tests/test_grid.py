"""The grid page in the real product: listened to, said, taken with one press, moved by hand and key."""

import re

import numpy as np
import pytest
from conftest import RATE
from material import write_wav
from playwright.sync_api import expect
from steps import add_stems, make_song
from test_follow import played
from test_pages import axe

from upbeat.listening.follow.novelty import RATE as HEARD_RATE


@pytest.fixture(scope="session")
def drums_at_118(tmp_path_factory):
    folder = tmp_path_factory.mktemp("grid") / "Lantern"
    folder.mkdir()
    line = played(1.75 + np.arange(81) * 60 / 118)
    wide = np.interp(np.arange(int(len(line) / HEARD_RATE * RATE)) / RATE, np.arange(len(line)) / HEARD_RATE, line)
    write_wav(folder / "Drums.wav", (0.7 * wide / np.abs(wide).max()).astype(np.float32), RATE, np.int16)
    return folder


def test_a_song_is_put_under_the_click_with_one_press(signed_in, drums_at_118):
    page = signed_in
    make_song(page, "Lantern", "117.6")
    add_stems(page, drums_at_118)
    page.get_by_role("link", name="Grid").click()
    off = page.get_by_text(re.compile(r"The band is 17[45]\d ms off at bar 1 and 1[56]\d\d ms by bar"))
    expect(off).to_be_visible(timeout=60_000)
    assert axe(page) == []
    page.get_by_role("button", name="Set 118.00 and bar 1").click()
    expect(page.get_by_text(re.compile("The band is under the click: the worst bar is [0-3]"))).to_be_visible()
    # By key: a millisecond, then back; the plot and the strip say so at once.
    page.get_by_role("slider").first.focus()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowRight")
    expect(page.get_by_role("button", name="Shift by 3 ms")).to_be_visible()
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    expect(page.get_by_text(re.compile("The band is under the click"))).to_be_visible()
    # By hand: the sound is dragged to the right, the grid goes to the left.
    box = page.get_by_role("slider").first.bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 20)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 2 + 30, box["y"] + 20, steps=5)
    page.mouse.up()
    expect(page.get_by_text(re.compile(r"The band is (3\d|2\d) ms behind the click from start to end"))).to_be_visible()
    page.get_by_role("button", name=re.compile("The onset after")).first.click()
    expect(page.get_by_text(re.compile("The band is under the click"))).to_be_visible()
    page.get_by_role("button", name=re.compile("^Hear from bar")).first.click()
    expect(page.get_by_role("button", name="Stop hearing")).to_be_visible()
    page.get_by_role("button", name="Stop hearing").click()
    assert axe(page) == []


def test_an_edit_of_the_grid_shows_within_a_tenth_of_a_second(signed_in, drums_at_118):
    """Not the speed of this machine: the picture has moved before the server has answered."""
    page = signed_in
    make_song(page, "Quick", "118")
    add_stems(page, drums_at_118)
    page.get_by_role("link", name="Grid").click()
    strip = page.get_by_role("slider").first
    expect(page.get_by_role("button", name=re.compile("^Shift by"))).to_be_visible(timeout=60_000)
    before = strip.get_attribute("aria-valuetext")
    page.route("**/edits/", lambda route: None)  # the server never answers
    strip.focus()
    page.keyboard.press("ArrowRight")
    expect(strip).not_to_have_attribute("aria-valuetext", before)
    page.unroute("**/edits/")
