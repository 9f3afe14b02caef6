"""Who plays, what is tacet, how loud: by hand in the page, found in the sound of the saved show."""

import re
import subprocess

import numpy as np
import pytest
import soundfile
from playwright.sync_api import expect
from steps import WIRES, add_stems, make_rig, make_setlist, make_song, mark
from test_pages import axe

from upbeat import cli

RATE, BAR = 48_000, 96_000


@pytest.fixture
def prepared(signed_in, folder_of_stems):
    """Two songs of the same stems, the second half as loud; a bass player whom the bass covers."""
    page = signed_in
    page.goto("/songs")
    expect(page.get_by_role("heading", name="Songs")).to_be_visible()
    if page.get_by_role("link", name="Sheet Boats").count() == 0:
        for title in ("Sheet Boats", "Soft Boats"):
            make_song(page, title)
            add_stems(page, folder_of_stems)
            mark(page, 1, 4, "Intro")
            mark(page, 5, 8, "Verse")
            mark(page, 9, 12, "Chorus")
        make_setlist(page, "Sheet evening", ["Sheet Boats", "Soft Boats"])
        make_rig(page, "Sheet rig", WIRES)
        page.get_by_role("button", name=re.compile("players, links, sign out")).click()
        page.get_by_role("menuitem", name="Players of the band").click()
        page.get_by_label("New player").fill("Pia")
        page.get_by_label("New player").press("Enter")
        part = page.get_by_label("What Pia plays")
        part.fill("bass")
        part.press("Enter")
        page.keyboard.press("Escape")
    page.goto("/songs")
    page.get_by_role("link", name="Sheet Boats").click()
    expect(page.locator("[data-bar='1']")).to_be_visible()
    return page


def test_an_evening_without_the_bass_player(prepared, tmp_path):
    page = prepared
    leave_the_bass_player_out(page)
    write_the_sheet_by_keyboard(page)
    look_at_the_levels(page)
    match_the_set(page, tmp_path / "show.zip")
    the_house_is_as_written(tmp_path)


def have_the_bass_cover_pia(page):
    page.get_by_role("button", name=re.compile("^Stem .*Bass")).click()
    page.get_by_role("combobox", name="Sounds").select_option(label="covers Pia")
    page.get_by_role("button", name="Done").click()


def leave_the_bass_player_out(page):
    # A line-up without her is made from the song's page.
    have_the_bass_cover_pia(page)
    page.get_by_role("button", name="Line-ups").click()
    page.get_by_label("New line-up").fill("Without Pia")
    page.get_by_label("New line-up").press("Enter")
    page.get_by_role("checkbox", name="Pia plays in Without Pia").uncheck()
    assert axe(page) == []
    page.keyboard.press("Escape")
    page.get_by_label("Heard as on").select_option(label="Without Pia")
    expect(page.get_by_role("button", name=re.compile("^Stem .*Bass.*sounds: Pia is away"))).to_be_visible()


def write_the_sheet_by_keyboard(page):
    # The sheet, by keyboard alone: the organ is tacet in the intro, and 6 dB softer in the chorus after a fade.
    page.get_by_role("link", name="Tacet sheet").click()
    cell = page.get_by_role("gridcell", name=re.compile(r"Organ, A Intro, plays"))
    cell.focus()
    page.keyboard.press("t")
    expect(page.get_by_role("gridcell", name=re.compile(r"Organ, A Intro, tacet"))).to_be_focused()
    for key in ("ArrowRight", "ArrowRight"):
        page.keyboard.press(key)
    expect(page.get_by_role("gridcell", name=re.compile(r"Organ, C Chorus, plays"))).to_be_focused()
    for _ in range(12):
        page.keyboard.press("-")
    expect(page.get_by_role("gridcell", name=re.compile(r"Organ, C Chorus, −6\.0 dB"))).to_be_visible()
    page.get_by_label("Changes").select_option(label="over 4 beats")
    expect(page.get_by_role("gridcell", name=re.compile(r"Organ, C Chorus, −6\.0 over 4 beats, in dB"))).to_be_visible()
    page.get_by_role("gridcell", name=re.compile(r"Organ, C Chorus")).focus()
    page.keyboard.press("Shift+ArrowLeft")
    expect(page.get_by_text("1 stem in 2 sections")).to_be_visible()
    assert axe(page) == []


def look_at_the_levels(page):
    # Levels: measured for tonight, and axe finds nothing.
    page.get_by_role("link", name="Levels").click()
    expect(page.get_by_role("img", name=re.compile("Loudness along Sheet Boats"))).to_be_visible(timeout=60_000)
    assert axe(page) == []
    page.get_by_role("button", name=re.compile("^alone: .*Organ")).click()
    page.get_by_role("button", name="Hear it", exact=True).click()
    expect(page.get_by_role("button", name="Stop hearing")).to_be_visible()
    page.get_by_role("button", name="Stop hearing").click()


def match_the_set(page, saved_as):
    # The other song is made softer, then the set is matched in one press.
    page.goto("/songs")
    page.get_by_role("link", name="Soft Boats").click()
    page.get_by_role("link", name="Levels").click()
    whole = page.get_by_label("Whole song, Without Pia")
    expect(page.get_by_role("img", name=re.compile("Loudness along"))).to_be_visible(timeout=60_000)
    whole.fill("-6")
    whole.press("Enter")
    expect(whole).to_have_value("−6.00")
    page.goto("/setlists")
    own = page.get_by_label("Name of the setlist")
    expect(own).to_be_visible()
    if own.input_value() != "Sheet evening":
        page.get_by_role("button", name="Other setlists").click()
        page.get_by_role("menuitem", name="Sheet evening").click()
        expect(own).to_have_value("Sheet evening")
    page.get_by_role("button", name="Match the songs").click()
    dialog = page.get_by_role("dialog")
    match = dialog.get_by_role("button", name="Match", exact=True)
    expect(match).to_be_enabled(timeout=60_000)
    assert axe(page) == []
    match.click()
    expect(dialog.get_by_text("stays")).to_have_count(2)
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Take to the stage").click()
    page.get_by_label("Name of the show").fill("Sheet show")
    page.get_by_label("Rig").select_option(label="Sheet rig")
    page.get_by_label("Who is on tonight").select_option(label="Without Pia")
    page.get_by_role("button", name="Only keep it").click()
    expect(page.get_by_text("Pia is away")).to_be_visible()
    with page.expect_download() as saved:
        page.get_by_role("link", name="Save as a file").click()
    saved.value.save_as(saved_as)


def the_house_is_as_written(tmp_path):
    houses = [bounced(tmp_path, number) for number in (1, 2)]
    levels = [loudness(tmp_path, house) for house in houses]
    assert abs(levels[0] - levels[1]) <= 0.3
    first = houses[0]
    begin = int(np.flatnonzero(np.abs(first[:, 0]) > 1e-4)[0]) if np.abs(first[0, 0]) < 1e-4 else 0
    # Sockets 3 and 4 are the tonal house: organ alone. Silent in the intro, half as loud in the chorus.
    tonal = soundfile.read(tmp_path / "1" / "sockets.wav", always_2d=True, dtype="float32")[0][:, 2]
    count_in = 2 * BAR
    power = [
        float(np.sqrt(np.mean(tonal[count_in + bar * BAR : count_in + (bar + 1) * BAR] ** 2))) for bar in range(12)
    ]
    assert max(power[:4]) == 0
    # Two bars and a bar of fade lie between; the organ's tone is the same in bars 7 and 11.
    assert power[10] / power[6] == pytest.approx(0.501, abs=0.02)
    assert np.abs(tonal[count_in + 4 * BAR - 600 : count_in + 4 * BAR - 300]).max() == 0
    # The bass sounds: its 55 Hz is in the rhythm house.
    rhythm = first[begin + 5 * BAR : begin + 6 * BAR, 0]
    spectrum = np.abs(np.fft.rfft(rhythm))
    assert spectrum[108:113].max() > 5 * np.median(spectrum[150:300])


def bounced(folder, number):
    """The house of one entry, all its sockets added up, as (frames, 2)."""
    assert (
        cli.main(["bounce", str(folder / "show.zip"), "--entry", str(number), "--out", str(folder / str(number))]) == 0
    )
    sockets = soundfile.read(folder / str(number) / "sockets.wav", always_2d=True, dtype="float32")[0]
    return np.stack((sockets[:, 0] + sockets[:, 2], sockets[:, 1] + sockets[:, 3]), axis=1)


def loudness(folder, house):
    path = folder / "house.wav"
    soundfile.write(path, house, RATE, subtype="FLOAT")
    said = subprocess.run(
        ["ffmpeg", "-hide_banner", "-nostats", "-i", str(path), "-af", "ebur128", "-f", "null", "-"],
        capture_output=True,
        text=True,
    ).stderr
    return float(said[said.rindex("Summary:") :].split("I:")[1].split("LUFS")[0])


def test_a_covered_player_cannot_be_removed(prepared):
    page = prepared
    have_the_bass_cover_pia(page)
    page.get_by_role("button", name=re.compile("players, links, sign out")).click()
    page.get_by_role("menuitem", name="Players of the band").click()
    page.get_by_role("button", name="Remove Pia").click()
    page.get_by_role("button", name="Remove", exact=True).click()
    expect(
        page.get_by_text(
            re.compile("Pia is covered by “.*Bass” in Sheet Boats: say what those stems are for first.")
        ).first
    ).to_be_visible()
    expect(page.get_by_label("Name of Pia")).to_have_value("Pia")
