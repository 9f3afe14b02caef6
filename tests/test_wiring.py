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


@pytest.fixture
def on_stage(evening):
    """The show of the evening on the stage, with nothing playing; gives the page."""
    page, _ = evening
    show = next(s for s in asked(page, "GET", "shows/") if s["title"] == "Friday" and s["rig"] in page.url)
    asked(page, "POST", f"shows/{show['id']}/load/", {"sure": True})
    return page


def level_of(page, socket):
    """What the desk stand-in shows as the level of a socket, in dB; None in silence."""
    channel = page.get_by_role("listitem").filter(has=page.get_by_text(f"Socket {socket}", exact=True))
    shown = channel.locator("[data-level]").get_attribute("data-level")
    return float(shown) if shown else None


def test_a_line_check_walks_through_the_sockets_from_a_phone_and_arrives_at_the_desk(on_stage):
    page = on_stage
    phone = page.context.new_page()
    phone.set_viewport_size({"width": 390, "height": 844})
    phone.goto("/stage/line-check")
    phone.get_by_role("button", name="Begin").click()
    expect(phone.get_by_text("a tone of 1 kHz, −30 dBFS")).to_be_visible()
    assert axe(phone) == []
    assert phone.evaluate("document.documentElement.scrollWidth <= innerWidth")
    page.goto("/stage/desk")
    channels = page.get_by_role("list", name="Channels").get_by_role("listitem")
    expect(channels.filter(has_text="House rhythm L").locator("[data-level='-30.0']")).to_be_visible()
    assert [level_of(page, n) for n in (2, 3)] == [None, None]
    phone.get_by_role("button", name="3 dB louder").click()
    phone.get_by_role("button", name="Onwards").click()
    expect(channels.filter(has_text="House rhythm R").locator("[data-level='-27.0']")).to_be_visible()
    page.get_by_role("button", name="Hear socket 2").click()
    expect(page.get_by_role("button", name="Heard: stop hearing socket 2")).to_be_visible()
    assert axe(page) == []
    phone.get_by_role("button", name="End").click()
    expect(phone.get_by_text("No line check is on.")).to_be_visible()
    phone.close()


def test_why_is_asked_on_the_stage_by_one_press_and_answered_by_another(on_stage):
    page = on_stage
    page.goto("/stage")
    page.get_by_role("button", name=re.compile("^Pull the house")).click()
    page.keyboard.press("y")
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Source").select_option(index=1)
    expect(dialog.get_by_role("heading", name="Not heard. The house is pulled.")).to_be_visible()
    assert axe(page) == []
    dialog.get_by_role("button", name="Let it through").click()
    expect(dialog.get_by_role("heading", name=re.compile("^Heard, at"))).to_be_visible()
    page.keyboard.press("Escape")
    page.get_by_role("button", name=re.compile("^1 ?House rhythm.*What is heard here, and why")).click()
    expect(dialog.get_by_role("heading", name="What is heard there, the loudest first")).to_be_visible()
