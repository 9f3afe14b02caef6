"""Somebody's first evening: from a folder of stems to go, by what the pages propose and nothing else."""

import re

import pytest
from conftest import Product, tell_answers
from playwright.sync_api import Locator, Page, expect
from test_import import flawed_folder  # noqa: F401  (a fixture)

MOST_PRESSES = 40


class Hands:
    """Every press of a button, an entry of a menu or a key is counted; what is typed is not."""

    def __init__(self, page: Page):
        self.page, self.presses = page, 0

    def press(self, what: Locator) -> None:
        expect(what).to_be_enabled()
        what.click()
        self.presses += 1

    def button(self, name: str | re.Pattern[str], within: Locator | Page | None = None) -> None:
        self.press((within or self.page).get_by_role("button", name=name).first)

    def link(self, name: str | re.Pattern[str]) -> None:
        self.press(self.page.get_by_role("link", name=name).first)

    def choose(self, role: str, name: str) -> None:
        self.press(self.page.get_by_role(role, name=name, exact=True).first)

    def key(self, name: str) -> None:
        self.page.keyboard.press(name)
        self.presses += 1


@pytest.fixture
def newcomer(page, tmp_path):
    """A page of somebody whose band has nothing yet."""
    product = Product(tmp_path / "var", "--no-demo", "--buffer", "64")
    page.set_default_timeout(60_000)
    tell_answers(page)
    page.goto(product.sign_in_link())
    page.wait_for_url("**/songs")
    yield page
    page.goto("about:blank")
    product.stop()


def test_a_newcomer_comes_from_a_folder_of_stems_to_go_in_forty_presses(newcomer, flawed_folder):  # noqa: F811
    page, hands = newcomer, Hands(newcomer)
    bring_in(page, hands, flawed_folder)
    what_is_left(page, hands)
    order(page, hands)
    outputs(page, hands)
    hands.press(page.get_by_role("navigation", name="Places").get_by_role("link", name="Setlists"))
    hands.button("Take to the stage")
    hands.button("Take to the stage", page.get_by_role("dialog"))
    expect(page.get_by_label("Now")).to_be_visible(timeout=120_000)
    hands.key("g")
    expect(page.get_by_test_id("section")).to_have_text("Count-in", timeout=60_000)
    expect(page.get_by_test_id("section")).to_have_text("Intro", timeout=60_000)
    print(f"{hands.presses} presses")
    assert hands.presses <= MOST_PRESSES


def bring_in(page: Page, hands: Hands, folder) -> None:
    page.locator("input[type=file]").set_input_files(folder)
    hands.presses += 1
    hands.button(re.compile("Make the song with"))
    left = page.get_by_role("region", name="What is left to do")
    expect(left.get_by_text("2 faults were found in the stems.")).to_be_visible(timeout=120_000)


def what_is_left(page: Page, hands: Hands) -> None:
    """What the song's own list says, one after the other, until nothing is left."""
    shown = page.get_by_role("region", name="What the stems show")
    # Worst first: each finding has its mend beside it.
    rows = shown.get_by_role("listitem")
    while before := rows.count():
        hands.press(rows.first.locator("button.pri").first)
        expect(rows).not_to_have_count(before)
    left = page.get_by_role("region", name="What is left to do")
    expect(left.get_by_text(re.compile("in the stems"))).to_have_count(0)
    hands.press(way(left, "says something of the song"))
    hands.button("Take it")
    expect(page.locator("[data-bar='9']")).to_be_visible()
    # The rows below move up when it goes: a press in that moment would meet none of them.
    expect(left.get_by_text("says something of the song")).to_have_count(0)
    hands.press(way(left, "looked at the grid"))
    expect(page.get_by_text("The band", exact=False).first).to_be_visible(timeout=60_000)
    hands.press(left.get_by_role("button", name="The grid is right"))
    hands.press(left.get_by_role("button", name="The parts are right"))
    page.get_by_label("Key", exact=True).fill("D")
    page.get_by_label("Key", exact=True).press("Enter")
    expect(page.get_by_text("Nothing is left to do.")).to_be_visible()


def way(left: Locator, what: str) -> Locator:
    """What leads to a thing that is left to do."""
    return left.get_by_role("listitem").filter(has_text=what).get_by_role("link", name="Go to it")


def order(page: Page, hands: Hands) -> None:
    hands.press(page.get_by_role("navigation", name="Places").get_by_role("link", name="Setlists"))
    hands.button("New setlist")
    hands.button("Add a song")
    hands.choose("menuitem", "Umbrella Reel")
    left = page.get_by_role("region", name="What is left to do")
    expect(left.get_by_role("listitem")).to_have_count(1)
    hands.press(left.get_by_role("button", name="Make a show of it"))
    expect(page.get_by_text(re.compile("There is no rig yet"))).to_be_visible()


def outputs(page: Page, hands: Hands) -> None:
    hands.press(page.get_by_role("dialog").get_by_role("link", name="To the outputs"))
    expect(page.get_by_role("button", name=re.compile("^Feed Click "))).to_be_visible()
    hands.button("New rig")
    page.get_by_role("dialog").get_by_label("Name of the rig").fill("Village hall")
    hands.button("Make the rig")
    expect(page.get_by_role("dialog")).to_have_count(0)
    wires = [
        ("House rhythm, left", 1),
        ("House rhythm, right", 2),
        ("House tonal, left", 3),
        ("House tonal, right", 4),
        ("Click", 5),
        ("Cues", 6),
    ]
    for feed, socket in wires:
        hands.button(f"Socket {socket}, ")
        hands.choose("menuitemcheckbox", feed)
        page.keyboard.press("Escape")
        expect(page.locator(f"[data-socket='{socket}']")).to_contain_text(feed.split(",")[0])
