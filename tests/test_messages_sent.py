"""Messages in the browser: a device, a message by keyboard alone, sent to a stand-in, undone."""

import re

from playwright.sync_api import expect
from steps import make_song, mark
from test_pages import axe


def test_a_message_is_put_by_keyboard_sent_to_the_simulated_desk_and_taken_back(signed_in):
    page = signed_in
    make_song(page, "Ember Ferris", "100")
    mark(page, 1, 8, "Intro")
    page.get_by_role("link", name="Messages").click()
    page.get_by_role("button", name="Add a device").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Name").fill("Front lights")
    dialog.get_by_role("button", name="Add a device").click()
    page.get_by_role("button", name="Open Front lights").click()
    # The port of the stand-in is there, through MIDI or inside.
    dialog.get_by_label("Port").select_option("Lighting desk")
    dialog.get_by_label("Channel").select_option("5")
    dialog.get_by_role("button", name="Add a note").click()
    dialog.get_by_label("Name of Message 1").fill("Ember glow")
    dialog.get_by_label("Name of Message 1").press("Enter")
    expect(dialog.get_by_label("Name of Ember glow")).to_be_visible()
    assert axe(page) == []
    dialog.get_by_role("button", name="Done").click()
    devices = page.get_by_role("region", name="Devices")
    expect(devices.get_by_text("there", exact=True)).to_be_visible()
    # From the start of the song to bar 3, by keys.
    page.get_by_role("gridcell", name="Front lights, Start of the song").focus()
    for _ in range(3):
        page.keyboard.press("ArrowRight")
    expect(page.get_by_role("gridcell", name=re.compile("^Front lights, bar 3, "))).to_be_focused()
    chosen = page.get_by_role("region", name="The chosen place")
    chosen.get_by_label("Beat").select_option("2")
    chosen.get_by_role("button", name="Put it here").press("Enter")
    put = page.get_by_role("gridcell", name=re.compile("^Front lights, bar 3, .*Ember glow$"))
    expect(put).to_be_visible()
    assert axe(page) == []
    put.click()
    chosen.get_by_role("button", name="Send it now").click()
    expect(page.get_by_text("Sent to Front lights.", exact=True)).to_be_visible()
    page.get_by_role("link", name="See what comes to").click()
    desk = page.get_by_role("region", name="Lighting desk")
    expect(desk.get_by_text("Ember glow")).to_be_visible()
    expect(desk.get_by_text(re.compile("94 3c 64$"))).to_be_visible()
    assert axe(page) == []
    page.go_back()
    expect(put).to_be_visible()
    # The key is heard once the page has the song anew.
    expect(page.get_by_role("button", name="Undo", exact=True)).to_be_enabled()
    page.wait_for_timeout(1000)
    page.keyboard.press("Control+z")
    expect(put).to_have_count(0)
    # The last change of the devices, and the device itself.
    page.get_by_role("button", name="Open Front lights").click()
    dialog.get_by_role("button", name="Take the device out").click()
    expect(page.get_by_text("No devices yet")).to_be_visible()
