"""The night told afterwards, and the running order changed in many ways at once, in the browser."""

import re

from playwright.sync_api import expect
from steps import go, stop
from test_pages import axe


def test_the_night_is_told_a_form_is_made_of_it_and_its_mark_is_on_the_chart(evening):
    page = evening
    go(page)
    page.wait_for_timeout(1500)
    page.keyboard.press("k")
    page.wait_for_timeout(500)
    stop(page)
    page.wait_for_timeout(1500)
    page.goto("/nights")
    expect(page.get_by_role("heading", level=1)).to_be_visible()
    expect(page.get_by_text("not to its end").first).to_be_visible()
    assert axe(page) == []
    page.get_by_role("link", name="How long songs took").click()
    expect(page.get_by_role("heading", name="How long songs took")).to_be_visible()
    assert axe(page) == []
    page.goto("/nights")
    page.get_by_role("button", name=re.compile("^Make a form of it: Paper Boats")).last.click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Name of the form").fill("As tonight")
    assert axe(page) == []
    dialog.get_by_role("button", name="Make a form of it").click()
    form = page.get_by_role("region", name="Form As tonight")
    expect(form.get_by_role("listitem").first).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(form).to_have_count(0)
    page.goto("/nights")
    marked = page.get_by_role("link", name=re.compile("^Marked in bar"))
    bar = re.search(r"bar (\d+)", marked.last.inner_text())[1]
    marked.last.click()
    expect(page.locator(f"[data-bar='{bar}']")).to_be_focused()


def test_a_running_order_is_chosen_moved_made_a_set_compared_and_brought_back(evening):
    page = evening
    page.goto("/setlists")
    order = page.get_by_role("list", name="Running order").get_by_role("listitem")
    expect(order).to_have_count(2)
    page.get_by_role("button", name="Compare").click()
    name = page.get_by_label("A name for it as it is now")
    name.fill("Before")
    name.press("Enter")
    expect(page.get_by_role("option", name=re.compile("“Before”, kept"))).to_be_attached()
    assert axe(page) == []
    page.keyboard.press("Escape")
    page.get_by_role("checkbox", name="Choose Click alone").check()
    assert axe(page) == []
    page.get_by_role("button", name="Move them up").click()
    expect(order.first).to_contain_text("Click alone")
    page.get_by_role("button", name="Make them a set").click()
    expect(page.get_by_label("Name of the set", exact=True)).to_have_value("Set")
    page.get_by_label("What sounds after Click alone").select_option("warm")
    page.get_by_role("button", name="Colour, players and screens of Click alone").click()
    page.get_by_role("menuitemcheckbox", name="plum").click()
    page.keyboard.press("Escape")
    assert axe(page) == []
    page.get_by_role("button", name="Compare").click()
    choice = page.get_by_role("dialog").get_by_role("combobox")
    choice.select_option(value=page.get_by_role("option", name=re.compile("“Before”, kept")).get_attribute("value"))
    listed = page.get_by_role("list", name="What is different")
    expect(
        listed.get_by_text("Click alone moved to 1").or_(listed.get_by_text("Paper Boats moved to 2"))
    ).to_be_visible()
    page.get_by_role("button", name="Bring this back").click()
    expect(order).to_have_count(2)
    expect(order.first).to_contain_text("Paper Boats")
