"""What a user does, as steps that the tests share."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Locator, Page, expect

STEM = re.compile("^Stem ")


def make_song(page: Page, title: str, bpm: str = "120", metre: str = "4/4") -> None:
    page.goto("/songs")
    page.get_by_role("button", name="New song").click()
    page.get_by_label("Title").fill(title)
    page.get_by_label("Tempo in beats a minute").fill(bpm)
    page.get_by_label("Metre").fill(metre)
    page.get_by_role("button", name="Make the song").click()
    expect(page.locator("[data-bar='1']")).to_be_visible()


def add_stems(page: Page, folder: Path) -> None:
    files = sorted(folder.iterdir())
    before = page.get_by_role("complementary").get_by_role("button", name=STEM).count()
    page.locator("input[type=file]").set_input_files(files)
    expect(page.get_by_role("complementary").get_by_role("button", name=STEM)).to_have_count(
        before + len(files), timeout=120_000
    )


def compared(page: Page) -> None:
    """Wait until the worker has compared the stems of the open song: what it found moves the chart down."""
    address = f"/api/songs/{page.url.rstrip('/').rsplit('/', 1)[1]}/"
    while not page.request.get(address).json()["findings"]["ready"]:
        page.wait_for_timeout(200)
    page.reload()
    expect(page.locator("[data-bar='1']")).to_be_visible()


def mark(page: Page, first: int, last: int, name: str) -> None:
    page.locator(f"[data-bar='{first}']").click()
    page.locator(f"[data-bar='{last}']").click(modifiers=["Shift"])
    page.get_by_label("Name of the section").fill(name)
    page.get_by_role("button", name="Make a section").click()
    expect(section_button(page, name)).to_be_visible()


def section_button(page: Page, name: str) -> Locator:
    return page.get_by_role("button", name=re.compile(rf"^Section \S+ ?{name}$"))


def set_ending(page: Page, section: str, ending: str) -> None:
    section_button(page, section).click()
    page.get_by_label("Where it ends").select_option(ending)
    page.get_by_role("button", name="Done").click()


def make_setlist(page: Page, name: str, songs: list[str]) -> None:
    page.goto("/setlists")
    new = page.get_by_role("button", name="New setlist")
    others = page.get_by_role("button", name="Other setlists")
    expect(new.or_(others).first).to_be_visible()
    if others.is_visible():
        others.click()
        page.get_by_role("menuitem", name="New setlist").click()
    else:
        new.click()
    field = page.get_by_label("Name of the setlist")
    expect(field).to_have_value("New setlist")
    field.fill(name)
    field.press("Enter")
    for i, song in enumerate(songs, 1):
        page.get_by_role("button", name="Add a song").click()
        page.get_by_role("menuitem", name=song, exact=True).click()
        expect(page.get_by_role("list", name="Running order").get_by_role("listitem")).to_have_count(i)


def make_rig(page: Page, name: str, wires: list[tuple[str, str, int]]) -> None:
    """``wires``: feed, side (``""`` for a mono feed), socket; put in by the menus of the sockets."""
    page.goto("/outputs")
    expect(page.get_by_text("Sockets on the interface")).to_be_visible()
    if page.get_by_role("button", name=re.compile("^Feed ")).count() == 0:
        page.get_by_role("button", name="Feeds to begin with").click()
        page.get_by_role("menuitem", name="House rhythm and tonal apart, click, cues").click()
        expect(page.get_by_role("button", name=re.compile("^Feed Click "))).to_be_visible()
    new = page.get_by_role("button", name="New rig")
    if new.is_visible():
        new.click()
    else:
        page.get_by_role("button", name="Rigs").click()
        page.get_by_role("menuitem", name="New rig").click()
    page.get_by_role("dialog").get_by_label("Name of the rig").fill(name)
    page.get_by_role("button", name="Make the rig").click()
    expect(page.get_by_role("dialog")).to_have_count(0)
    expect(page.get_by_label("Name of the rig")).to_have_value(name)
    for feed, side, socket in wires:
        page.get_by_role("button", name=f"Socket {socket}, ").click()
        page.get_by_role("menuitemcheckbox", name=f"{feed}, {side}" if side else feed, exact=True).click()
        page.keyboard.press("Escape")
        expect(page.locator(f"[data-socket='{socket}']")).to_contain_text(feed)


def take_to_the_stage(page: Page, rig: str) -> None:
    page.get_by_role("button", name="Take to the stage").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Rig").select_option(label=rig)
    dialog.get_by_role("button", name="Take to the stage").click()
    # Where another show is on the stage, taking it is asked for once more.
    sure, now = page.get_by_role("button", name="Take it all the same"), page.get_by_label("Now")
    expect(sure.or_(now).first).to_be_visible(timeout=120_000)
    if sure.is_visible():
        sure.click()
    expect(now).to_be_visible(timeout=120_000)


def go(page: Page) -> None:
    """Press go and wait until bar 1 is heard. While it stands by, the first section is shown too."""
    page.keyboard.press("g")
    expect(page.get_by_test_id("section")).to_have_text("Count-in", timeout=60_000)
    expect(page.get_by_test_id("section")).to_have_text("Intro", timeout=60_000)


def hold(page: Page, key: str, done: Callable[[], bool], seconds: float = 30) -> None:
    """Hold a key down as a keyboard does, where it repeats, until it has done what it was held for.

    A page that stands still counts no time as held, so a busy machine takes longer.
    """
    page.keyboard.down(key)
    for _ in range(round(10 * seconds)):
        page.wait_for_timeout(100)
        if done():
            break
        page.keyboard.down(key)
    page.keyboard.up(key)
    assert done(), f"“{key}” was held for {seconds:g} s, and nothing came of it"


def stop(page: Page) -> None:
    """Stop the song that plays."""
    hold(page, "s", lambda: not plays(page))


def plays(page: Page) -> bool:
    """Whether the stage offers to stop a song."""
    return page.get_by_role("button", name=re.compile("^Stop"), disabled=False).is_visible()


WIRES = [
    ("House rhythm", "left", 1),
    ("House rhythm", "right", 2),
    ("House tonal", "left", 3),
    ("House tonal", "right", 4),
    ("Click", "", 5),
    ("Cues", "", 6),
]
