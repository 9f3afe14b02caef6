"""Layers by hand in the page, to the samples of the recording (rules V3 and V4)."""

import io

import numpy as np
import soundfile
from material import onsets
from playwright.sync_api import expect
from steps import WIRES, make_rig, make_setlist, make_song, mark, stop, take_to_the_stage
from test_evening import RATE, recording
from test_pages import axe

from upbeat.shelf.shipped import sound_of

BEAT = round(RATE * 60 / 110)


def test_a_song_is_lifted_by_layers_that_are_heard_first_and_come_in_by_hand_at_the_bar_line(signed_in, tmp_path):
    page = signed_in
    make_song(page, "Layer Yard", "110")
    mark(page, 1, 4, "Intro")
    mark(page, 5, 8, "Chorus")
    page.get_by_role("link", name="Tacet sheet").click()
    page.get_by_role("button", name="Layers…").press("Enter")
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_text("1 bar of 4/4 at 104")).to_be_visible()
    assert axe(page) == []
    # Heard under the song before it is taken: the page says where it is, and nothing was added.
    dialog.get_by_role("button", name="Hear it here: Shaker, sixteenths").click()
    dialog.get_by_role("button", name="Stop hearing").click(timeout=60_000)
    expect(dialog.get_by_role("button", name="Stop hearing")).to_have_count(0)
    dialog.get_by_role("button", name="Claps", exact=True).click()
    dialog.get_by_label("waits until it is brought in by hand").check()
    dialog.get_by_role("button", name="Add Claps on every beat").click()
    row = page.get_by_role("rowheader", include_hidden=True).filter(has_text="Claps on every beat")
    expect(row).to_contain_text("waits to be brought in")
    # An own loop: two bars of six at 90, measured and said by its name.
    own = tmp_path / "Fair drum 6-8.wav"
    out = io.BytesIO()
    soundfile.write(out, sound_of("toms-6", RATE), RATE, format="WAV", subtype="PCM_16")
    own.write_bytes(out.getvalue())
    dialog.get_by_label("Files of loops").set_input_files(own)
    expect(dialog.get_by_label("Metre: Fair drum 6-8")).to_have_value("6/8", timeout=30_000)
    expect(dialog.get_by_text("at 88")).to_be_visible()
    assert axe(page) == []
    dialog.get_by_label("Name of the stack").fill("Yard")
    dialog.get_by_label("Name of the stack").press("Enter")
    expect(dialog.get_by_role("button", name="Take the stack Yard")).to_be_visible()
    dialog.get_by_role("button", name="Close").click()
    row.click()
    facts = page.get_by_role("region", name="Layer Claps on every beat")
    facts.get_by_label("Pace").select_option(label="in double time")
    expect(facts.get_by_label("Pace")).to_have_value("2")
    page.get_by_role("button", name="Undo").click()
    expect(facts.get_by_label("Pace")).to_have_value("1")
    assert axe(page) == []
    make_setlist(page, "Yard night", ["Layer Yard"])
    setlist = page.url
    make_rig(page, "Yard rig", WIRES)
    page.goto(setlist)
    take_to_the_stage(page, "Yard rig")
    page.get_by_role("button", name="Record the sockets").click()
    expect(page.get_by_role("button", name="Finish the recording")).to_be_visible()
    page.keyboard.press("g")
    page.keyboard.press("p")
    expect(page.get_by_test_id("section")).to_have_text("Intro", timeout=60_000)
    part = page.get_by_role("list", name="Parts").get_by_role("listitem").filter(has_text="Claps on every beat")
    expect(part).to_contain_text("waits for you")
    page.get_by_role("radio", name="next bar").or_(page.get_by_role("button", name="next bar")).first.click()
    part.get_by_role("button", name="bring in").click()
    expect(page.get_by_test_id("section")).to_have_text("Chorus", timeout=60_000)
    page.wait_for_timeout(3000)
    stop(page)
    page.keyboard.press("p")
    page.get_by_role("button", name="Finish the recording").click()
    expect(page.get_by_role("button", name="Record the sockets")).to_be_visible()
    sound = recording(page)
    clicks = np.array(onsets(sound[:, 4], floor=0.02))
    claps = np.array(onsets(sound[:, 0], floor=0.02, apart=BEAT // 2))
    assert len(claps) >= 12
    # In from a bar line on, on every beat; where each is heard is the same to the frame.
    after = claps - clicks[np.searchsorted(clicks, claps, side="right") - 1]
    assert after.max() <= 60
    assert np.ptp(after) <= 1
    first = int(np.searchsorted(clicks, claps[0], side="right")) - 1
    assert first % 4 == 0
    assert first >= 8
    assert len(claps) == len(clicks) - first
    # The layer goes to the house and to nothing else.
    assert not sound[:, 2:4].any()
