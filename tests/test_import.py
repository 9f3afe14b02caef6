"""A folder goes in, a song comes out: names put right, findings mended, a killed worker noticed by nobody."""

import os
import re
import signal
import time

import numpy as np
import pytest
from material import RATE, write_wav
from playwright.sync_api import expect
from steps import STEM
from test_pages import axe


@pytest.fixture(scope="session")
def flawed_folder(tmp_path_factory):
    """Four stems and their sum; the keys are 15 ms late, the choir has a side upside down. A list of parts beside."""
    folder = tmp_path_factory.mktemp("flawed") / "Umbrella Reel 126 bpm"
    folder.mkdir()
    rng = np.random.default_rng(3)
    total = np.zeros((40 * RATE, 2), np.float32)
    for name, step in (("Drums", 0.5), ("Bass", 1.0), ("Keys", 1.5), ("Choir", 2.0)):
        line = np.zeros(40 * RATE, np.float32)
        for at in np.arange(0.5, 36, step):
            line[int(at * RATE) : int(at * RATE) + 8000] += (
                0.08 * rng.standard_normal(8000) * np.exp(-np.arange(8000) / 1500)
            ).astype(np.float32)
        sound = np.stack((line, 0.9 * line), axis=1)
        total += sound
        late = np.vstack((np.zeros((720, 2), np.float32), sound))[: len(sound)]
        write_wav(
            folder / f"umbrella_reel_{name.lower()}_126.wav",
            {"Keys": late, "Choir": sound * np.float32([1, -1])}.get(name, sound),
            RATE,
            np.int16,
        )
    write_wav(folder / "umbrella_reel_full mix_126.wav", total, RATE, np.int16)
    (folder / "parts.txt").write_text("0\t15.24\tIntro\n15.24\t40\tReel\n")
    return folder


def test_a_folder_becomes_a_song_that_says_what_is_wrong_with_it(signed_in, flawed_folder):
    page = signed_in
    page.goto("/songs")
    expect(page.get_by_text("Drop a folder of stems, or a zip")).to_be_visible()
    page.locator("input[type=file]").set_input_files(flawed_folder)
    dialog = page.get_by_role("dialog", name="A song from these files")
    expect(dialog.get_by_label("Title")).to_have_value("Umbrella Reel")
    expect(dialog.get_by_label("Tempo in beats a minute")).to_have_value("126")
    expect(dialog.get_by_label("Group of umbrella_reel_full mix_126.wav")).to_have_value("full_mix")
    assert axe(page) == []
    dialog.get_by_label("Name of umbrella_reel_keys_126.wav").fill("Harmonium")
    dialog.get_by_role("button", name="Make the song with 5 stems").click()
    stems = page.get_by_role("complementary").get_by_role("button", name=STEM)
    expect(stems).to_have_count(5, timeout=120_000)
    shown = page.get_by_role("region", name="What the stems show")
    expect(shown.get_by_text("“Harmonium” comes 15.0 ms late against the full mix")).to_be_visible(timeout=60_000)
    expect(shown.get_by_role("listitem")).to_have_count(2)
    assert axe(page) == []
    shown.get_by_role("button", name="Hear it mended").first.click()
    expect(page.get_by_role("button", name="Stop hearing")).to_be_visible()
    page.get_by_role("button", name="Stop hearing").click()
    shown.get_by_role("button", name="Shift it").click()
    # By keyboard from here on.
    flip = shown.get_by_role("button", name="Flip the side")
    flip.focus()
    page.keyboard.press("Enter")
    expect(shown.get_by_text("All 5 stems are well.")).to_be_visible()
    shown.get_by_role("button", name="2 notes").click()
    expect(shown.get_by_role("button", name="Take the mend back")).to_have_count(2)
    shown.get_by_role("button", name="Take the mend back").first.click()
    expect(shown.get_by_text(re.compile("^Wrong:"))).to_be_visible()
    offers = page.get_by_role("region", name="What the files offer")
    expect(offers.get_by_text("parts.txt marks 2 sections: Intro at 1, Reel at 9.")).to_be_visible()
    offers.get_by_role("button", name="Take it").click()
    expect(offers).to_be_hidden()
    expect(page.get_by_role("button", name=re.compile("Section B ?Reel"))).to_be_visible()


@pytest.mark.console_may_complain
def test_a_worker_killed_again_and_again_loses_no_file(signed_in, product, flawed_folder):
    page = signed_in
    page.goto("/songs")
    expect(page.get_by_text("Drop a folder of stems, or a zip")).to_be_visible()
    page.locator("input[type=file]").set_input_files(flawed_folder)
    dialog = page.get_by_role("dialog", name="A song from these files")
    dialog.get_by_label("Title").fill("Survivor")
    dialog.get_by_role("button", name="Make the song with 5 stems").click()
    page.wait_for_url("**/songs/*")
    # Once it has begun, and once more as soon as the next one stands in its place.
    song = re.search(r"/songs/([^/]+)", page.url)[1]
    until = time.monotonic() + 60
    while all(u["status"] in ("sending", "waiting") for u in page.request.get(f"/api/uploads/?song={song}").json()):
        assert time.monotonic() < until, "no file was begun"
        page.wait_for_timeout(50)
    for _ in range(2):
        worker = product.pid("worker")
        os.kill(worker, signal.SIGKILL)
        while product.pid("worker") == worker:
            assert time.monotonic() < until + 60, "no other worker came"
            time.sleep(0.1)
    stems = page.get_by_role("complementary").get_by_role("button", name=STEM)
    expect(stems).to_have_count(5, timeout=120_000)
    expect(
        page.get_by_role("region", name="What the stems show").get_by_text(re.compile("15.0 ms late"))
    ).to_be_visible(timeout=60_000)
    expect(stems).to_have_count(5)
