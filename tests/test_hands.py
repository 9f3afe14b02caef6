"""Hands in the browser: learned by pressing, on the stage by keys, and phones that join, see and choose."""

import os
import re
import signal

import pytest
from playwright.sync_api import expect
from steps import stop
from test_pages import axe

PHONE = {"width": 390, "height": 844}


def press(page, pad, name="Nine pads"):
    """Press a simulated box by touch."""
    page.get_by_role("region", name=name).get_by_role("button", name=re.compile(f"^{pad}")).click()


@pytest.fixture
def hands(evening):
    """The page of the hands, with nothing bound before and after."""
    page = evening
    address = "/api/hands/file/"
    headers = {"X-CSRFToken": page.evaluate("document.cookie.match(/csrftoken=([^;]*)/)[1]")}
    page.request.post(address, data={"bindings": []}, headers=headers)
    page.goto("/hands")
    expect(page.get_by_role("region", name="Nine pads")).to_be_visible()
    yield page
    page.request.post(address, data={"bindings": []}, headers=headers)


def test_a_pad_is_learned_tried_taken_over_and_plays(hands):
    page = hands
    assert axe(page) == []
    press(page, "Pad 1")
    side = page.get_by_role("complementary")
    expect(side).to_contain_text("Pad 1 of Nine pads")
    side.get_by_role("button", name="Go, or resume").click()
    expect(side).to_contain_text("Does: Go, or resume")
    assert axe(page) == []
    # Tried, it starts nothing.
    side.get_by_role("button", name="Try it without sound").click()
    expect(side).to_contain_text("Nothing that is pressed now reaches the stage.")
    press(page, "Pad 1")
    side.get_by_role("button", name="End the trying").click()
    # Another one for the same pad is asked about.
    side.get_by_role("button", name="Stop", exact=True).click()
    expect(side.get_by_role("alert")).to_contain_text("Pad 1 does “Go, or resume” already.")
    assert axe(page) == []
    side.get_by_role("button", name="Leave it").click()
    # The other way round: what it does, then the pad.
    side.get_by_role("button", name="Done").click()
    side.get_by_role("button", name="Stop", exact=True).click()
    press(page, "Pad 2")
    expect(side).to_contain_text("Does: Stop")
    page.keyboard.press("Control+z")
    expect(page.get_by_role("button", name=re.compile("^Pad 2"))).to_contain_text("nothing yet")
    page.keyboard.press("Control+Shift+z")
    expect(page.get_by_role("button", name=re.compile("^Pad 2"))).to_contain_text("hold half a second")
    page.goto("/stage")
    expect(page.get_by_label("Now")).to_contain_text("Paper Boats stands by")
    page.goto("/hands")
    press(page, "Pad 1")
    page.goto("/stage")
    expect(page.get_by_role("button", name=re.compile("^Stop"))).to_be_enabled()
    stop(page)


def test_a_pad_presses_again_when_the_process_of_the_ports_was_killed(hands, product):
    page = hands
    press(page, "Pad 1")
    page.get_by_role("complementary").get_by_role("button", name="Go, or resume").click()
    expect(page.get_by_role("complementary")).to_contain_text("Does: Go, or resume")
    before = product.pid("ports")
    os.kill(before, signal.SIGKILL)
    for _ in range(100):
        if product.pid("ports") not in (0, None, before):
            break
        page.wait_for_timeout(100)
    # It presses nothing until the process is up again.
    for _ in range(60):
        press(page, "Pad 1")
        page.wait_for_timeout(500)
        if page.request.get("/api/engine/").json()["status"] in ("count_in", "playing"):
            break
    page.goto("/stage")
    expect(page.get_by_role("button", name=re.compile("^Stop"))).to_be_enabled()
    stop(page)


def test_the_keys_of_a_page_pedal_play_the_stage(hands):
    page = hands
    page.get_by_role("button", name="Begin with …").click()
    page.get_by_role("menuitem", name="Page up and page down for the whole night").click()
    expect(page.get_by_role("region", name="Keys of this page")).to_contain_text("Vamp here, and out of it")
    page.goto("/stage")
    expect(page.get_by_label("Now")).to_contain_text("Paper Boats stands by")
    page.wait_for_timeout(1500)  # until the page knows which keys are bound
    page.keyboard.press("PageDown")
    expect(page.get_by_role("button", name=re.compile("^Stop"))).to_be_enabled()
    expect(page.get_by_test_id("section")).to_have_text("Intro", timeout=60_000)
    page.keyboard.press("PageUp")
    expect(page.get_by_role("button", name=re.compile("^Vamp: take back"))).to_be_visible()
    page.keyboard.down("PageDown")
    page.wait_for_timeout(900)
    page.keyboard.up("PageDown")
    expect(page.get_by_role("button", name=re.compile("^Resume"))).to_be_visible()


def test_a_phone_joins_sees_chooses_and_is_turned_out(evening, browser, product):
    page = evening
    page.get_by_role("button", name="Stage: nights").click()
    page.get_by_role("menuitem", name="Phones in the show").click()
    code = page.get_by_test_id("code").inner_text()
    assert axe(page) == []
    context = browser.new_context(base_url=product.address, viewport=PHONE)
    phone = context.new_page()
    phone.goto("/band")
    phone.get_by_label("Code of the show").fill("XXXXXX")
    phone.get_by_role("button", name="Join").click()
    expect(phone.get_by_role("alert")).to_contain_text("not the code of the show")
    assert axe(phone) == []
    phone.goto(f"/band?code={code}")
    phone.get_by_label("Your name").fill("Noor")
    phone.get_by_role("button", name="Join").click()
    expect(phone.get_by_test_id("section")).to_have_text("Intro")
    assert axe(phone) == []
    # What it may do is given on the stage, and holds at once.
    page.get_by_label("What Noor may do").select_option("sections")
    chorus = phone.get_by_role("button", name=re.compile("Chorus"))
    expect(chorus).to_be_visible()
    assert axe(phone) == []
    page.get_by_role("button", name="Close").click()
    page.keyboard.press("g")
    expect(page.get_by_test_id("section")).to_have_text("Intro", timeout=60_000)
    chorus.click()
    expect(page.get_by_label("Next up")).to_contain_text("Chorus")
    expect(phone.get_by_label("Next up")).to_contain_text("asked for, next")
    # In landscape nothing is cut off.
    phone.set_viewport_size({"width": 844, "height": 390})
    assert phone.evaluate("document.documentElement.scrollWidth <= innerWidth")
    phone.set_viewport_size(PHONE)
    page.get_by_role("button", name="Stage: nights").click()
    page.get_by_role("menuitem", name="Phones in the show").click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("Pressed last: A section, by Noor (phone)")
    page.get_by_label("What Noor may do").select_option("everything")
    hold_stop = phone.get_by_role("button", name=re.compile("^Stop"))
    expect(hold_stop).to_be_enabled()
    assert axe(phone) == []
    hold_stop.hover()
    phone.mouse.down()
    phone.wait_for_timeout(900)
    phone.mouse.up()
    expect(phone.get_by_role("button", name="Resume")).to_be_visible()
    page.get_by_role("button", name="Turn out").click()
    expect(phone.get_by_role("alert")).to_be_visible()
    context.close()


@pytest.fixture
def in_one_hand(evening):
    evening.set_viewport_size(PHONE)
    yield evening
    evening.set_viewport_size({"width": 1280, "height": 800})


def test_the_directors_remote_is_the_stage_in_one_hand(in_one_hand):
    page = in_one_hand
    page.goto("/stage/remote")
    go = page.get_by_role("button", name="Go")
    expect(go).to_be_enabled()
    assert axe(page) == []
    go.click()
    expect(page.get_by_test_id("section")).to_have_text("Intro", timeout=60_000)
    page.get_by_role("button", name="Parts by hand").click()
    page.get_by_role("button", name="Take Bass out").click()
    expect(page.get_by_role("button", name="Bring Bass in")).to_be_visible()
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    page.get_by_role("button", name="Bring Bass in").click()
