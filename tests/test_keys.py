"""Another key, another tempo and a tone, by hand in the page, to the samples of the recording (rules V1 and M8)."""

import re

import numpy as np
import pytest
from material import onsets, write_wav
from playwright.sync_api import expect
from steps import WIRES, add_stems, go, make_rig, make_setlist, make_song, mark, stop, take_to_the_stage
from test_evening import RATE, recording
from test_pages import axe

from upbeat.song.tone import PURPOSES, response_db

HZ, SECONDS, STRUCK = 440, 26, 0.02


@pytest.fixture
def stems(tmp_path):
    """A held tone, and a drum on every beat of 120: bursts that begin on it."""
    t = np.arange(SECONDS * RATE) / RATE
    folder = tmp_path / "stems"
    folder.mkdir()
    write_wav(folder / "Organ.wav", 0.2 * np.sin(2 * np.pi * HZ * t), RATE, np.int16)
    drum = np.zeros(SECONDS * RATE)
    burst = 0.6 * np.random.default_rng(4).uniform(-1, 1, RATE // 10) * np.exp(-60 * np.arange(RATE // 10) / RATE)
    for beat in range(2 * SECONDS):
        first = beat * RATE // 2
        drum[first : first + len(burst)] += burst[: len(drum) - first]
    write_wav(folder / "Drums.wav", drum, RATE, np.int16)
    return folder


def highest(sound):
    """The frequency that is loudest."""
    spectrum = np.abs(np.fft.rfft(sound * np.hanning(len(sound)), 1 << 19))
    return np.argmax(spectrum) * RATE / (1 << 19)


def test_a_song_is_played_a_tone_up_and_slower_through_a_low_cut(signed_in, stems):
    page = signed_in
    make_song(page, "Tone Ferry", "120")
    add_stems(page, stems)
    mark(page, 1, 6, "Intro")
    mark(page, 7, 12, "Chorus")
    make_setlist(page, "Tone night", ["Tone Ferry"])
    setlist = page.url
    page.get_by_role("button", name="Colour, players and screens of Tone Ferry").click()
    page.get_by_role("menuitem", name="Key and tempo").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_role("combobox").select_option(label="+2 semitones")
    typed = dialog.get_by_label(re.compile("^Tempo, as"))
    typed.fill("fast")
    typed.press("Enter")
    expect(page.get_by_text("“fast” is not a tempo").first).to_be_visible()
    typed.fill("96")
    typed.press("Enter")
    expect(dialog.get_by_text(re.compile("at .* 96.00; it was recorded in"))).to_be_visible()
    assert axe(page) == []
    expect(dialog.get_by_text("It is prepared.")).to_be_visible(timeout=120_000)
    dialog.get_by_role("button", name="Done").click()
    make_rig(page, "Key rig", WIRES)
    page.get_by_role("button", name=re.compile("^Feed House tonal")).first.click()
    page.get_by_role("dialog").get_by_label("For what").select_option(label="under water")
    expect(page.get_by_role("img", name=re.compile("^How loud each frequency is"))).to_be_visible()
    assert axe(page) == []
    page.get_by_role("button", name="Done").click()
    page.goto(setlist)
    take_to_the_stage(page, "Key rig")
    page.get_by_role("button", name="Record the sockets").click()
    expect(page.get_by_role("button", name="Finish the recording")).to_be_visible()
    go(page)
    page.wait_for_timeout(5000)
    page.get_by_role("button", name="Without tone").click()
    expect(page.get_by_role("button", name="With tone again")).to_be_visible()
    page.wait_for_timeout(4000)
    stop(page)
    page.get_by_role("button", name="Finish the recording").click()
    expect(page.get_by_role("button", name="Record the sockets")).to_be_visible()
    sound = recording(page)
    page.goto("/outputs")
    page.get_by_role("button", name=re.compile("^Feed House tonal")).first.click()
    page.get_by_role("dialog").get_by_label("For what").select_option(label="as it is")
    expect(page.get_by_role("img", name=re.compile("^How loud each frequency is"))).to_have_count(0)

    clicks = onsets(sound[:, 4], floor=0.02)
    beat = RATE * 60 // 96
    assert set(np.diff(clicks)) == {beat}
    # Drums keep their pitch and lie on the click; the organ is a tone higher.
    music = clicks[8]
    drums = onsets(sound[: music + 8 * RATE, 0], floor=0.05, apart=beat // 2)
    off = [min(abs(d - c) for c in clicks) for d in drums]
    assert len(drums) > 8
    assert np.median(off) < STRUCK * RATE / 10
    tone = sound[music + RATE : music + 3 * RATE, 2]
    assert highest(tone) == pytest.approx(HZ * 2 ** (2 / 12), abs=2)
    # Under water there is less of it than without, by as much as its curve says.
    less = response_db(PURPOSES["under_water"], np.array([HZ * 2 ** (2 / 12)]))[0]
    assert less < -2
    without = sound[music + 7 * RATE : music + 8 * RATE, 2]
    assert 20 * np.log10(np.std(tone) / np.std(without)) == pytest.approx(less, abs=0.5)
