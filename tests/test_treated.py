"""The tone and echo of a stem, by hand in the page, to the samples of the recording (rule M8)."""

import re

import numpy as np
import pytest
from material import onsets, write_wav
from playwright.sync_api import expect
from steps import WIRES, add_stems, go, make_rig, make_setlist, make_song, mark, stop, take_to_the_stage
from test_evening import RATE, recording
from test_pages import axe

BEAT, SECONDS, HZ = RATE // 2, 50, 250


@pytest.fixture
def stems(tmp_path):
    """A short low tone on the first beat of every bar of 4/4 at 120."""
    folder = tmp_path / "stems"
    folder.mkdir()
    t = np.arange(RATE // 10) / RATE
    blip = 0.5 * np.sin(2 * np.pi * HZ * t) * np.exp(-30 * t)
    sound = np.zeros(SECONDS * RATE)
    for bar in range(SECONDS // 2):
        sound[4 * BEAT * bar : 4 * BEAT * bar + len(blip)] = blip
    write_wav(folder / "Marimba.wav", sound, RATE, np.int16)
    return folder


def reached(page, bar):
    """The bar that is heard, once it is this one or a later one."""
    shown = page.get_by_test_id("bar-beat")
    later = "|".join(str(one) for one in range(bar, SECONDS))
    expect(shown).to_have_text(re.compile(rf"^({later})\."), timeout=60_000)
    return int(shown.inner_text().split(".")[0])


def test_a_stem_has_an_echo_and_is_thinned_by_hand_and_bypassed_by_one_press(signed_in, stems):
    page = signed_in
    make_song(page, "Echo Yard", "120")
    add_stems(page, stems)
    mark(page, 1, 4, "Intro")
    mark(page, 5, 24, "Chorus")
    page.get_by_role("link", name="Tacet sheet").click()
    cell = page.get_by_role("gridcell", name="Marimba, B Chorus")
    cell.click()
    page.get_by_role("button", name="Tone and echo…").press("Enter")
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Where").select_option(label="In B Chorus alone")
    dialog.get_by_label("For what").select_option(label="echoes on the beat")
    expect(dialog.get_by_label("Echo", exact=True)).to_be_checked()
    dialog.get_by_label("Times").fill("1")
    first = dialog.get_by_label("The first at, dB")
    first.fill("5")
    first.press("Enter")
    expect(page.get_by_text(re.compile("echo.db.*expected a number <= 0")).first).to_be_visible()
    first.fill("-6")
    first.press("Enter")
    expect(first).to_have_value("−6.0")
    expect(dialog.get_by_label("For what")).to_have_value("own")
    assert axe(page) == []
    dialog.get_by_role("button", name="Done").click()
    expect(cell).to_have_accessible_name(re.compile("with tone"))
    expect(page.get_by_role("gridcell", name="Marimba, A Intro")).not_to_have_accessible_name(re.compile("with tone"))
    make_setlist(page, "Yonder echoes", ["Echo Yard"])
    setlist = page.url
    make_rig(page, "Echo rig", WIRES)
    page.goto(setlist)
    take_to_the_stage(page, "Echo rig")
    page.get_by_role("button", name="Record the sockets").click()
    expect(page.get_by_role("button", name="Finish the recording")).to_be_visible()
    go(page)
    expect(page.get_by_test_id("section")).to_have_text("Chorus", timeout=60_000)
    page.keyboard.press("p")
    page.get_by_role("button", name="Tone and echo of Marimba").click()
    sweep = page.get_by_role("slider", name="Level of Marimba, low sweep by hand")
    assert axe(page) == []
    # Bars 5 and 6 with their echo; then the lows are cut; then all of it is out.
    reached(page, 7)
    sweep.press("End")
    expect(page.get_by_role("listitem").filter(has_text="low sweep")).to_contain_text("100 %")
    thin = reached(page, 7) + 2
    reached(page, thin + 1)
    page.get_by_role("button", name="Without tone").click()
    expect(page.get_by_role("button", name="With tone again")).to_be_visible()
    plain = reached(page, thin + 1) + 2
    reached(page, plain + 1)
    stop(page)
    page.keyboard.press("p")
    page.get_by_role("button", name="Finish the recording").click()
    expect(page.get_by_role("button", name="Record the sockets")).to_be_visible()
    sound = recording(page)
    clicks = onsets(sound[:, 4], floor=0.02)
    begin = clicks[0] + 2 * 4 * BEAT  # after two bars of count-in

    def loud(bar, beat):
        at = begin + ((bar - 1) * 4 + beat - 1) * BEAT
        return np.abs(sound[at : at + RATE // 10, 2]).max()

    for bar in (2, 3, 4):
        assert loud(bar, 2) < 0.01 * loud(bar, 1)
    # What is struck on the first frame of the section is sent by a ramp of 5 ms (rule M1).
    assert loud(5, 2) == pytest.approx(10 ** (-6 / 20) * loud(5, 1), rel=0.15)
    assert loud(6, 2) == pytest.approx(10 ** (-6 / 20) * loud(6, 1), rel=0.02)
    for bar in (5, 6):
        assert loud(bar, 3) < 0.01 * loud(bar, 1)
    assert loud(thin, 1) < 0.1 * loud(5, 1)
    assert loud(plain, 1) == pytest.approx(loud(3, 1), rel=0.02)
    assert loud(plain, 2) < 0.01 * loud(plain, 1)
