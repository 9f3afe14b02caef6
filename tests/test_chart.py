"""The chart in the real product: a newcomer's first song, sections by hand, forms and seams, two people at one song."""

import re

import numpy as np
import pytest
from conftest import RATE
from material import write_wav
from playwright.sync_api import Page, expect
from steps import add_stems, compared, make_song, mark, section_button
from test_pages import axe

BPM, BARS = 118, 40
# Where six sections begin, and how loud drums, organ and choir are in each.
PARTS = {
    1: (0.0, 0.5, 0.0),
    9: (0.6, 0.6, 0.0),
    17: (0.9, 0.8, 0.7),
    25: (0.5, 0.6, 0.0),
    33: (0.9, 0.8, 0.7),
    37: (0.0, 0.4, 0.0),
}
NAMES = ("Intro", "Verse", "Chorus", "Verse", "Chorus", "Outro")


@pytest.fixture(scope="session")
def six_sections(tmp_path_factory):
    """Stems of a song in six sections at 118, which begins 1.75 s in; nothing in the names says so."""
    folder = tmp_path_factory.mktemp("six") / "Harbour Lanterns"
    folder.mkdir()
    beat = 60 / BPM
    t = np.arange(int((1.75 + BARS * 4 * beat + 0.01) * RATE)) / RATE - 1.75
    at = t / beat
    bar = np.floor(at / 4).astype(int) + 1
    level = np.zeros((3, len(t)))
    for first, levels in PARTS.items():
        level[:, bar >= first] = np.array(levels)[:, None]
    level[:, (t < 0) | (bar > BARS)] = 0
    rng = np.random.default_rng(3)
    hits = np.exp(-(at % 1) * beat * 40) * rng.standard_normal(len(t)) * 0.5
    root = 110 * 2 ** (
        np.array([0, 3, 7, 10])[(bar - 1) % 4] / 12
        + np.where((bar >= 17) & (bar < 25) | (bar >= 33) & (bar < 37), 5, 0) / 12
    )
    turns = 2 * np.pi * np.cumsum(root) / RATE
    organ = (
        sum(np.sin(k * turns) / k for k in (1, 2, 3, 4))
        * 0.2
        * np.exp(-(at % 4) * 0.1)
        * np.minimum(1, (at % 4) * beat / 0.01)
    )
    choir = sum(np.sin(k * 2 * turns) / k for k in (1, 2, 3)) * 0.2 * np.minimum(1, (at % 4) * beat / 0.05)
    for name, sound, loud in (("Drums", hits, level[0]), ("Organ", organ, level[1]), ("Choir", choir, level[2])):
        write_wav(folder / f"{name}.wav", (sound * loud).astype(np.float32), RATE, np.int16)
    return folder


class Hand:
    """Counts presses and drops; what is typed into a field is not counted, the press that opens or ends it is."""

    def __init__(self, page: Page):
        self.page, self.count = page, 0

    def press(self, what) -> None:
        what.click()
        self.count += 1

    def key(self, key: str) -> None:
        self.page.keyboard.press(key)
        self.count += 1

    def button(self, name) -> None:
        self.press(self.page.get_by_role("button", name=name))


def test_a_newcomer_makes_a_song_in_few_presses(signed_in, six_sections):
    """From a folder of stems to a song with grid, six named sections, chords for two of them and a short form."""
    page, hand = signed_in, Hand(signed_in)
    page.goto("/songs")
    page.locator("input[type=file]").first.set_input_files(six_sections)
    hand.count += 1
    hand.button("Make the song with 3 stems")
    expect(page.get_by_role("complementary").get_by_role("button", name=re.compile("^Stem "))).to_have_count(
        3, timeout=60_000
    )
    hand.press(page.get_by_role("link", name="Grid"))
    hand.press(page.get_by_role("button", name=re.compile(r"^Set 118\.\d+ and bar 1")))
    expect(page.get_by_text(re.compile("The band is under the click"))).to_be_visible()
    divide_and_write(page, hand)
    make_a_short_form(page, hand)
    assert hand.count <= 40, hand.count
    assert axe(page) == []
    what_was_made_is_the_song(page)


def divide_and_write(page, hand):
    hand.press(page.get_by_role("link", name="Chart"))
    hand.button("Hear where its sections begin")
    take = page.get_by_role("button", name=re.compile(r"^Take these \d sections"))
    expect(take).to_be_visible(timeout=60_000)
    assert axe(page) == []
    for bar, name in zip(PARTS, NAMES, strict=True):
        field = page.get_by_label(f"Name of the section at bar {bar}", exact=True)
        hand.press(field)
        field.fill(name)
    hand.press(take)
    expect(page.get_by_role("button", name=re.compile("^Section [A-F] "))).to_have_count(6)
    for first, last, text in ((9, 16, "Em C | G D"), (17, 24, "Am | F | C/E | G7sus4")):
        hand.press(page.locator(f"[data-bar='{first}']"))
        page.locator(f"[data-bar='{last}']").click(modifiers=["Shift"])
        hand.count += 1
        field = page.get_by_label(f"Chords in bars {first} to {last}")
        hand.press(field)
        field.fill(text)
        hand.key("Enter")
        expect(page.locator(f"[data-bar='{last}']")).to_have_attribute("aria-label", re.compile("G D$|G7sus4$"))


def make_a_short_form(page, hand):
    hand.press(page.get_by_role("link", name="Forms"))
    hand.button("New form")
    short = page.get_by_role("region", name="Form Short")
    expect(short.get_by_role("listitem")).to_have_count(6)
    hand.press(short.get_by_role("button", name="Take out Verse, step 4"))
    expect(short.get_by_role("listitem")).to_have_count(5)
    hand.press(short.get_by_role("button", name="Take out Chorus, step 4"))
    expect(short.get_by_role("listitem")).to_have_count(4)
    expect(short.get_by_text("28 bars")).to_be_visible()


def what_was_made_is_the_song(page):
    """It stands there also after a reload."""
    page.get_by_role("link", name="Chart").click()
    page.reload()
    expect(page.get_by_role("button", name=re.compile("^Section [A-F] "))).to_have_count(6)
    shown = [
        b.inner_text().replace("\n", " ") for b in page.get_by_role("button", name=re.compile("^Section [A-F] ")).all()
    ]
    assert shown == [f"Section {m} {n}" for m, n in zip("ABCDEF", NAMES, strict=True)]
    page.get_by_role("combobox", name="Form").select_option(label="Short · 4 sections")
    expect(page.locator("[data-bar='25']")).to_have_count(0)
    page.get_by_role("link", name="Seams").click()
    expect(
        page.get_by_role("list", name="Seams, likeliest to be heard first").get_by_role("listitem").first
    ).to_contain_text("Chorus", timeout=60_000)
    page.get_by_role("button", name="Hear Chorus into Outro", exact=True).click()
    expect(page.get_by_role("button", name="Stop hearing")).to_be_visible()
    expect(page.get_by_role("button", name="Hear it", exact=True)).to_be_visible(timeout=60_000)
    assert axe(page) == []


def test_sections_are_dragged_by_hand_and_started_while_it_plays(signed_in, folder_of_stems):
    page = signed_in
    make_song(page, "By hand", "120")
    add_stems(page, folder_of_stems)
    compared(page)
    mark(page, 1, 8, "Verse")
    # Over the bars by hand.
    a, b = (page.locator(f"[data-bar='{n}']").bounding_box() for n in (9, 12))
    page.mouse.move(a["x"] + 20, a["y"] + 20)
    page.mouse.down()
    page.mouse.move(b["x"] + 20, b["y"] + 20, steps=6)
    page.mouse.up()
    expect(page.get_by_text("Bars 9 to 12")).to_be_visible()
    page.get_by_label("Name of the section").fill("Chorus")
    page.get_by_label("Name of the section").press("Enter")
    expect(section_button(page, "Chorus")).to_be_visible()
    # Its start dragged to bar 6, and far past its neighbour: it stops where one bar is left.
    for target, first in ((6, 6), (1, 2)):
        slider = page.get_by_role("slider", name="Start of Chorus")
        expect(slider).to_be_visible()
        start = slider.bounding_box()
        to = page.locator(f"[data-bar='{target}']").bounding_box()
        page.mouse.move(start["x"] + 6, start["y"] + 20)
        page.mouse.down()
        page.mouse.move(to["x"] + to["width"] / 2, to["y"] + 20, steps=8)
        page.mouse.up()
        expect(page.get_by_role("slider", name="Start of Chorus")).to_have_attribute("aria-valuenow", str(first))
    page.keyboard.press("Control+z")
    expect(page.get_by_role("slider", name="Start of Chorus")).to_have_attribute("aria-valuenow", "6")
    # A section starts here, by key, while it plays.
    page.locator("[data-bar='14']").click()
    page.keyboard.press(" ")
    expect(page.get_by_label("Bar and beat")).to_have_text(re.compile(r"^14 \. [2-4]|^15 \. "))
    page.keyboard.press("s")
    expect(page.get_by_role("slider", name=re.compile("Start of Section")).last).to_have_attribute(
        "aria-valuenow", re.compile("1[4-6]")
    )
    page.get_by_role("button", name="Stop hearing").click()
    # From the whole song on one screen to one bar.
    zoom = page.get_by_role("combobox", name="Bars in a row")
    zoom.select_option(label="Whole song")
    box = page.get_by_role("group", name="Chart of By hand").bounding_box()
    last = page.locator("[data-bar='16']").bounding_box()
    assert last["y"] + last["height"] <= box["y"] + box["height"]
    assert axe(page) == []
    zoom.select_option(label="1 bar in a row")
    assert page.locator("[data-bar='1']").bounding_box()["width"] > 700
    zoom.select_option(label="8 bars in a row")


def test_the_second_of_two_people_sees_what_the_first_did(signed_in, product, browser):
    page = signed_in
    make_song(page, "Two hands", "120")
    address = page.url
    other = browser.new_context(base_url=product.address).new_page()
    other.goto(product.sign_in_link())
    other.goto(address)
    expect(other.locator("[data-bar='1']")).to_be_visible()
    mark(page, 1, 4, "Intro")
    key = other.get_by_label("Key", exact=True)
    key.fill("E minor")
    key.press("Enter")
    dialog = other.get_by_role("dialog", name="Somebody else was quicker")
    expect(dialog).to_contain_text("Section “Intro” is new")
    assert axe(other) == []
    dialog.get_by_role("button", name="Make mine as well").click()
    expect(dialog).to_have_count(0)
    expect(section_button(other, "Intro")).to_be_visible()
    expect(other.get_by_label("Key", exact=True)).to_have_value("E minor")
    page.reload()
    expect(page.get_by_label("Key", exact=True)).to_have_value("E minor")
    expect(section_button(page, "Intro")).to_be_visible()
    other.context.close()
