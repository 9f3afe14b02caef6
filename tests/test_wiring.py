"""Outputs in the page: taken back, taken to another rig, asked why; axe finds nothing there."""

import re
import uuid

import pytest
from large import asked
from playwright.sync_api import expect
from steps import WIRES, add_stems, make_rig, make_song
from test_pages import axe


@pytest.fixture
def evening(signed_in, folder_of_stems):
    """A song with stems in a show on a rig; gives the page of outputs and the song's id."""
    page, name = signed_in, f"Eight {uuid.uuid4().hex[:6]}"
    make_song(page, "Lantern Song", "112")
    add_stems(page, folder_of_stems)
    song = page.url.rstrip("/").rsplit("/", 1)[1]
    make_rig(page, name, WIRES)
    rig = next(r for r in asked(page, "GET", "rigs/") if r["name"] == name)
    setlist = asked(page, "POST", "setlists/", {"name": "Wired", "entries": [{"song": song}]})
    asked(page, "POST", "shows/", {"title": "Friday", "setlist": setlist["id"], "rig": rig["id"], "date": "2099-01-01"})
    page.goto(f"/outputs/{rig['id']}")
    expect(page.get_by_role("button", name="Take a show to another rig")).to_be_visible()
    return page, song


def test_a_deleted_feed_is_taken_back(evening):
    page, _ = evening
    house = page.get_by_role("button", name=re.compile("^Feed House rhythm"))
    house.click()
    page.get_by_role("button", name="Delete this feed").click()
    expect(house).to_have_count(0)
    expect(page.locator("[data-socket='1']")).not_to_contain_text("House rhythm")
    page.get_by_role("button", name="Undo").click()
    expect(house).to_be_visible()
    expect(page.locator("[data-socket='1']")).to_contain_text("House rhythm L")


def test_the_show_goes_to_the_village_hall_and_what_is_lost_is_told(evening):
    page, _ = evening
    hall = f"Hall {uuid.uuid4().hex[:6]}"
    asked(page, "POST", "rigs/", {"name": hall, "shape": {"sockets": 2}})
    page.reload()
    page.get_by_role("button", name="Take a show to another rig").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Rig").select_option(label=hall)
    expect(dialog.get_by_role("row", name=re.compile("^1 Click"))).to_be_visible()
    expect(dialog.get_by_text("“House rhythm” is in mono.")).to_be_visible()
    assert axe(page) == []
    dialog.get_by_role("button", name="Wire it so").click()
    expect(dialog).to_have_count(0)
    page.get_by_role("button", name="Rigs").click()
    page.get_by_role("menuitem", name=hall).click()
    expect(page.locator("[data-socket='1']")).to_contain_text("Click")
    expect(page.locator("[data-socket='2']")).to_contain_text("House rhythm M")


def test_why_says_what_stops_a_stem_and_mends_it(evening):
    page, song = evening
    stems = asked(page, "GET", f"songs/{song}/")["stems"]
    drums = next(s for s in stems if s["group"] == "rhythm")
    asked(page, "POST", f"songs/{song}/edits/", {"do": "set_stem", "args": {"stem": drums["id"], "muted": True}})
    page.get_by_role("button", name="Why don’t I hear it?").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Source").select_option(label=drums["name"])
    expect(dialog.get_by_role("heading", name=re.compile("Not heard.*is muted"))).to_be_visible()
    assert axe(page) == []
    dialog.get_by_role("button", name="Let it sound").click()
    expect(dialog.get_by_role("heading", name=re.compile("^Heard, at"))).to_be_visible()
