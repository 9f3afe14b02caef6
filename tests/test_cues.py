"""Cues in the real page: the lane, calls by section, words recorded, clicks of one's own; all by keyboard."""

import re

import numpy as np
import pytest
from material import write_wav
from playwright.sync_api import expect
from steps import make_song, mark
from test_pages import axe

RATE = 44_100


@pytest.fixture
def cues(signed_in):
    page = signed_in
    make_song(page, "Words by night", "120")
    mark(page, 1, 8, "Verse")
    mark(page, 9, 16, "Chorus")
    page.get_by_role("link", name="Click and cues").click()
    expect(page.get_by_role("group", name="Words into B Chorus, each where it is heard")).to_be_visible()
    return page


def lane(page, into="B Chorus"):
    return page.get_by_role("group", name=f"Words into {into}, each where it is heard")


def test_words_stand_where_they_are_heard_and_follow_every_edit(cues):
    page = cues
    name = lane(page).get_by_title(re.compile("^Chorus, heard at bar 8, beat 1"))
    expect(name).to_be_visible()
    # The bar line of bar 8 and the word: it begins before it, and ends behind it.
    line = lane(page).get_by_text("8.1").bounding_box()
    word = name.bounding_box()
    assert word["x"] < line["x"] < word["x"] + word["width"]
    page.get_by_label("How early Chorus is called").select_option(label="2 bars")
    expect(lane(page).get_by_title(re.compile("^Chorus, heard at bar 7, beat 1"))).to_be_visible()
    expect(lane(page).get_by_title(re.compile("^one, heard at bar 8, beat 1"))).to_be_visible()
    wording = page.get_by_label("What is said for Chorus")
    wording.fill("Big tune")
    wording.press("Enter")
    expect(page.get_by_role("button", name=re.compile("“Big tune, one, two, three, four”"))).to_be_visible()
    page.keyboard.press("Control+z")
    expect(page.get_by_role("button", name=re.compile("“Chorus, one, two, three, four”"))).to_be_visible()
    page.get_by_label("Chorus is called", exact=True).uncheck()
    expect(lane(page).get_by_title(re.compile("heard at"))).to_have_count(0)
    page.get_by_label("What the count-in is struck on").select_option("sticks")
    assert axe(page) == []
    # The words are heard from the server's renderer.
    page.get_by_label("Chorus is called", exact=True).check()
    page.get_by_role("button", name=re.compile("Hear it: the words into B Chorus")).press("Enter")
    expect(page.get_by_label("Bar and beat")).to_have_text(re.compile(r"^[78] \. [1-4]"))
    page.get_by_role("button", name="Stop hearing").click()


def test_the_voice_is_another_language_and_words_are_ones_own(cues, tmp_path):
    page = cues
    voice = page.get_by_label("Voice", exact=True)
    voice.select_option("es")
    expect(lane(page).get_by_title(re.compile("^estribillo, heard at"))).to_be_visible()
    page.get_by_role("button", name="Words and recordings").press("Enter")
    dialog = page.get_by_role("dialog", name="The words of Words by night")
    record = dialog.get_by_role("button", name="Record “estribillo”")
    record.press("Enter")
    stop = dialog.get_by_role("button", name="End the recording of “estribillo”")
    expect(stop).to_be_visible()
    page.wait_for_timeout(1600)
    stop.press("Enter")
    expect(dialog.get_by_role("row", name=re.compile("^estribillo own recording"))).to_be_visible()
    assert axe(page) == []
    t = np.arange(RATE // 2) / RATE
    word = (0.3 * np.sin(2 * np.pi * 500 * t) * np.sin(np.pi * t * 2)).astype(np.float32)
    files = [write_wav(tmp_path / "dos.wav", word, RATE), write_wav(tmp_path / "tres.wav", word * 0, RATE)]
    dialog.locator("input[type=file]").set_input_files(files)
    expect(dialog.get_by_text("1 recording is taken: dos.")).to_be_visible()
    expect(
        dialog.get_by_text("Nothing is heard in the recording of “tres”: check the microphone and record it again.")
    ).to_be_visible()
    expect(dialog.get_by_role("row", name=re.compile("^dos own recording"))).to_be_visible()
    for name in ("dos", "estribillo"):
        dialog.get_by_role("button", name=f"Remove the recording of “{name}”").press("Enter")
        expect(dialog.get_by_role("row", name=re.compile(f"^{name} voice"))).to_be_visible()
    page.keyboard.press("Escape")
    voice.select_option("flite/rms")
    expect(lane(page).get_by_title(re.compile("^Chorus, heard at"))).to_be_visible()


def test_a_click_of_ones_own_is_chosen_and_stays_while_it_is_used(cues, tmp_path):
    page = cues
    stroke = np.concatenate((np.zeros(2000), np.exp(-np.arange(3000) / 300) * np.sin(np.arange(3000) / 4))).astype(
        np.float32
    )
    page.get_by_role("button", name="Own sounds").press("Enter")
    dialog = page.get_by_role("dialog", name="The band's own click sounds")
    dialog.locator("input[type=file]").set_input_files(write_wav(tmp_path / "Kitchen pot.wav", 0.5 * stroke, RATE))
    expect(dialog.get_by_text("Kitchen pot")).to_be_visible()
    assert axe(page) == []
    page.keyboard.press("Escape")
    sound = page.get_by_label("Sound of Accent")
    sound.select_option(label="Kitchen pot")
    page.get_by_role("button", name="Own sounds").press("Enter")
    page.get_by_role("button", name="Remove Kitchen pot").press("Enter")
    expect(
        page.get_by_text("“Kitchen pot” is used in Words by night: choose another sound there first.").first
    ).to_be_visible()
    page.get_by_role("button", name="Close").press("Enter")
    expect(dialog).to_have_count(0)
    sound.select_option(label="wood")
    page.get_by_role("button", name="Own sounds").press("Enter")
    page.get_by_role("button", name="Remove Kitchen pot").press("Enter")
    expect(page.get_by_text("None yet.")).to_be_visible()
