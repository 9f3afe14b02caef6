"""The pages: for everyone (axe, keyboard), hearing, bad input in the page, undo, wires."""

import re
from pathlib import Path

import pytest
from playwright.sync_api import expect
from steps import STEM, WIRES, add_stems, make_rig, make_setlist, make_song, mark, section_button

AXE = (Path(__file__).resolve().parents[1] / "web" / "node_modules" / "axe-core" / "axe.min.js").read_text()


def axe(page) -> list[str]:
    """What axe finds, as rule and place."""
    # Colours are measured once nothing moves any more.
    page.evaluate("Promise.allSettled(document.getAnimations().map(a => a.finished)).then(() => null)")
    # The page's policy keeps foreign scripts out; the test's own comes in by the debugger.
    page.evaluate(AXE + "; window.axe = axe; undefined")
    found = page.evaluate(
        "() => axe.run(document, {resultTypes: ['violations']}).then(r => r.violations.map(v => v.id + ': ' + v.nodes.map(n => n.target).join(' | ')))"
    )
    return list(found)


@pytest.fixture
def song(signed_in):
    make_song(signed_in, "Harbour Lights", "112")
    return signed_in


def test_axe_finds_nothing_on_any_page(song, folder_of_stems):
    page = song
    add_stems(page, folder_of_stems)
    mark(page, 1, 4, "Intro")
    assert axe(page) == []
    page.locator("[data-bar='2']").click()
    assert axe(page) == []
    section_button(page, "Intro").click()
    assert axe(page) == []
    page.keyboard.press("Escape")
    page.get_by_role("button", name=re.compile("^Stem .*Bass")).click()
    assert axe(page) == []
    page.keyboard.press("Escape")
    page.get_by_role("link", name="2 bars, the last aloud").click()
    expect(page.get_by_role("region", name="Pattern of 4/4")).to_be_visible()
    assert axe(page) == []
    page.goto("/songs")
    expect(page.get_by_role("link", name="Harbour Lights").first).to_be_visible()
    assert axe(page) == []
    make_setlist(page, "For everyone", ["Harbour Lights"])
    page.get_by_role("button", name="Add an interval").click()
    assert axe(page) == []
    page.get_by_role("button", name="Take to the stage").click()
    assert axe(page) == []
    page.keyboard.press("Escape")
    make_rig(page, "Rig for everyone", WIRES[:2])
    assert axe(page) == []
    page.get_by_role("button", name=re.compile("^Feed Click ")).click()
    assert axe(page) == []
    page.keyboard.press("Escape")
    page.get_by_role("button", name=re.compile("^Socket 1: ")).click()
    assert axe(page) == []
    page.goto("/stage")
    expect(page.get_by_label("Now").or_(page.get_by_role("heading", name="Nothing stands by"))).to_be_visible()
    assert axe(page) == []
    page.goto("/signed-out")


def test_sections_are_made_and_undone_by_keyboard_alone(song):
    page = song
    page.locator("[data-bar='1']").focus()
    page.keyboard.press("ArrowDown")
    for _ in range(7):
        page.keyboard.press("Shift+ArrowRight")
    expect(page.get_by_label("Chosen bars")).to_contain_text("Bars 9 to 16")
    page.locator("[data-bar='16']").press("Enter")
    page.keyboard.type("Middle eight")
    page.keyboard.press("Enter")
    section = section_button(page, "Middle eight")
    expect(section).to_be_visible()
    page.locator("[data-bar='1']").focus()
    page.keyboard.press("Control+z")
    expect(section).to_have_count(0)
    page.keyboard.press("Control+Shift+z")
    expect(section).to_be_visible()
    page.reload()
    expect(section).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(section).to_have_count(0)


def test_bars_are_chosen_by_dragging(song):
    page = song
    page.locator("[data-bar='3']").hover()
    page.mouse.down()
    page.locator("[data-bar='6']").hover()
    page.mouse.up()
    expect(page.get_by_label("Chosen bars")).to_contain_text("Bars 3 to 6")
    page.get_by_label("Tempo from bar 3").fill("90")
    page.get_by_role("button", name="Set tempo").click()
    expect(page.get_by_role("group", name="Chart of")).to_contain_text("♩ = 90.00")
    page.get_by_label("Metre from bar 3").fill("7/8 2+2+3")
    page.get_by_role("button", name="Set metre").click()
    expect(page.get_by_role("group", name="Chart of")).to_contain_text("7/8 · 2+2+3")


def test_what_is_typed_wrong_is_said_and_nothing_is_lost(song):
    page = song
    tempo = page.get_by_label("Tempo in beats a minute")
    tempo.fill("fast")
    tempo.press("Enter")
    expect(page.get_by_text("“fast” is not a tempo").first).to_be_visible()
    page.reload()
    expect(page.get_by_label("Tempo in beats a minute")).to_have_value("112.00")


def test_a_file_that_is_no_sound_is_said_and_the_others_come_in(song, folder_of_stems, tmp_path):
    page = song
    bad = tmp_path / "notes.wav"
    bad.write_text("these are my notes")
    empty = tmp_path / "empty.wav"
    empty.touch()
    page.locator("input[type=file]").set_input_files([bad, empty, folder_of_stems / "Paper Boats 120 - Bass.wav"])
    expect(page.get_by_text("“notes.wav” is text, not sound").first).to_be_visible()
    expect(page.get_by_text("“empty.wav” is empty").first).to_be_visible()
    expect(page.get_by_role("button", name=STEM)).to_have_count(1)
    page.get_by_role("button", name="Put the note on notes.wav away").click()
    expect(page.get_by_text("“notes.wav” is text, not sound")).to_have_count(0)


def test_a_song_is_heard_from_a_bar_with_click_and_cues(song, folder_of_stems):
    page = song
    add_stems(page, folder_of_stems)
    page.locator("[data-bar='5']").click()
    page.get_by_role("button", name="Hear from bar 5").click()
    expect(page.get_by_role("button", name="Stop hearing")).to_be_visible()
    place = page.get_by_label("Bar and beat")
    expect(place).to_have_text("6 . 2")
    page.get_by_role("button", name="Stop hearing").click()
    expect(page.get_by_role("button", name="Hear it", exact=True)).to_be_visible()


def test_the_running_order_is_moved_by_keyboard_and_by_hand(signed_in):
    page = signed_in
    for title in ("Order one", "Order two", "Order three"):
        make_song(page, title)
    make_setlist(page, "Moved", ["Order one", "Order two", "Order three"])
    titles = page.get_by_role("list", name="Running order").get_by_role("link")
    page.get_by_role("button", name="Move Order three").focus()
    spoken = page.locator("[id^=DndLiveRegion]")
    page.keyboard.press("Space")
    expect(spoken).to_contain_text("place 3")
    # An arrow that comes before the list has been measured is not taken: the hand presses it again.
    for _ in range(5):
        page.keyboard.press("ArrowUp")
        page.wait_for_timeout(400)
        if "place 2" in spoken.inner_text():
            break
    expect(spoken).to_contain_text("place 2")
    page.keyboard.press("Space")
    expect(titles).to_have_text(["Order one", "Order three", "Order two"])
    grip, first = page.get_by_role("button", name="Move Order two"), page.get_by_role("button", name="Move Order one")
    grip.hover()
    page.mouse.down()
    box = first.bounding_box()
    page.mouse.move(box["x"] + 8, box["y"] + 30, steps=4)
    page.mouse.move(box["x"] + 8, box["y"] - 4, steps=8)
    # The page shows the new order at once; it is kept when the server has answered.
    with page.expect_response(lambda r: r.request.method != "GET" and "/setlists/" in r.url):
        page.mouse.up()
    expect(titles).to_have_text(["Order two", "Order one", "Order three"])
    page.reload()
    expect(titles).to_have_text(["Order two", "Order one", "Order three"])
    page.get_by_label("What happens after Order two").select_option("after")
    seconds = page.get_by_label("Seconds until the next song")
    seconds.fill("12")
    # It stands there before the server has it.
    with page.expect_response(lambda r: '"link_seconds":12' in (r.request.post_data or "")):
        seconds.press("Enter")
    page.reload()
    expect(page.get_by_label("Seconds until the next song")).to_have_value("12")


def test_wires_are_drawn_by_dragging_and_click_never_reaches_the_house(signed_in):
    page = signed_in
    make_rig(page, "Dragged", [("House rhythm", "left", 1)])
    jack = page.get_by_role("button", name="Wire of Click, in mono")
    jack.hover()
    page.mouse.down()
    page.locator("[data-socket='4']").hover()
    page.mouse.up()
    expect(page.locator("[data-socket='4']")).to_contain_text("Click")
    # The same to the house: refused, said, and the wire is not there.
    jack.focus()
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Put the wire on socket 1").click()
    expect(page.get_by_text("cannot go there too").first).to_be_visible()
    expect(page.locator("[data-socket='1']")).not_to_contain_text("Click")
    page.reload()
    page.get_by_role("button", name="Rigs").click()
    page.get_by_role("menuitem", name="Dragged").click()
    expect(page.locator("[data-socket='4']")).to_contain_text("Click")


def test_names_are_shown_as_text_never_as_markup(signed_in):
    page = signed_in
    title = "<img src=x onerror=alert(1)> & 夜"
    make_song(page, title)
    expect(page.get_by_label("Title")).to_have_value(title)
    page.goto("/songs")
    expect(page.get_by_role("link", name=title)).to_be_visible()
