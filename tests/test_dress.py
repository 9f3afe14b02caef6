"""The dress run in the page: run, heard, mended by a press, left with a reason."""

import re

from large import asked
from playwright.sync_api import expect
from test_pages import axe


def gain_of(page, title, gain_db):
    """Set how loud a song is, by the API."""
    song = next(s for s in page.request.get("/api/songs/").json() if s["title"] == title)
    asked(page, "POST", f"songs/{song['id']}/edits/", {"do": "set_level", "args": {"gain_db": gain_db}})


def test_a_show_is_run_what_is_wrong_is_mended_by_a_press_and_the_rest_left(evening):
    page = evening
    gain_of(page, "Paper Boats", 15)
    page.goto("/setlists")
    page.get_by_role("link", name=re.compile("^Evening$")).or_(
        page.get_by_label("Name of the setlist")
    ).first.wait_for()
    page.get_by_role("link", name="Dress run").first.click()
    page.get_by_role("button", name="Run it").click()
    faults = page.get_by_role("region", name="What was found")
    expect(faults.get_by_text("goes over by").first).to_be_visible(timeout=180_000)
    assert axe(page) == []
    table = page.get_by_role("table")
    expect(table.get_by_role("row")).to_have_count(1 + 8)
    # Heard from the bar before it, and stopped.
    faults.get_by_role("button", name=re.compile("^Hear it: Socket")).first.click()
    expect(faults.get_by_role("button", name="Stop").first).to_be_visible()
    faults.get_by_role("button", name="Stop").first.click()
    # What is left keeps its reason when the page is loaded anew.
    leave = faults.get_by_role("button", name=re.compile("^Leave it: "))
    before = leave.count()
    leave.first.click()
    page.get_by_label("Why").fill("It is meant like that")
    assert axe(page) == []
    page.get_by_role("dialog").get_by_role("button", name="Leave it").click()
    expect(faults.get_by_text("Left as it is by")).to_be_visible()
    page.reload()
    expect(faults.get_by_text("It is meant like that")).to_be_visible()
    expect(leave).to_have_count(before - 1)
    # Mended by a press; the run that follows finds nothing.
    faults.get_by_role("button", name=re.compile("^Turn the song down")).first.click()
    expect(faults.get_by_role("heading", name="Nothing would go wrong")).to_be_visible(timeout=180_000)
    page.get_by_role("link", name="Evening").first.click()
    expect(page.get_by_text(re.compile("^Run .*Nothing would go wrong"))).to_be_visible()
    gain_of(page, "Paper Boats", 0)
    page.reload()
    expect(page.get_by_text("One change since")).to_be_visible()


def test_the_running_order_is_printed_and_its_changes_are_taken_back(evening):
    page = evening
    page.goto("/setlists")
    note = page.get_by_label("Note for Paper Boats")
    note.fill("Pia takes the second microphone")
    note.press("Enter")
    page.get_by_role("button", name="Undo").click()
    expect(note).to_have_value("")
    page.get_by_role("button", name="Redo").click()
    expect(note).to_have_value("Pia takes the second microphone")
    for item, asked_for in (
        ("For the floor, in large type", "print/?for=floor"),
        ("For the crew, with times and notes", "print/?for=crew"),
        ("As a table (CSV)", "table/"),
    ):
        page.get_by_role("button", name="Print").click()
        with page.context.expect_event("request", lambda r, end=asked_for: r.url.endswith(end), timeout=30_000):
            page.get_by_role("menuitem", name=item).click()
