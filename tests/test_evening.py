"""From a folder of stems to a recording of every socket, by hand in the page; and what may die meanwhile."""

import io
import os
import re
import signal
import time

import numpy as np
import pytest
import soundfile
from material import onsets
from playwright.sync_api import expect
from steps import go, stop
from test_pages import axe

RATE = 48000
BEAT = RATE // 2


def recording(page):
    """Every socket as (frames, 8), from the page's own link."""
    answer = page.request.get("/api/engine/recording/")
    assert answer.ok
    sound, rate = soundfile.read(io.BytesIO(answer.body()), always_2d=True, dtype="float32")
    assert rate == RATE
    return sound


def test_go_jump_release_stop_and_every_socket_is_right(evening):
    page = evening
    page.get_by_role("button", name="Record the sockets").click()
    expect(page.get_by_role("button", name="Finish the recording")).to_be_visible()
    go(page)
    # A jump by tapping the section, at the next bar; the page says where beforehand.
    page.get_by_role("radio", name="next bar").click()
    expect(page.get_by_test_id("landing")).to_contain_text("now that is bar")
    page.get_by_role("button", name="Next up: B Verse").click()
    expect(page.get_by_label("Next up", exact=True)).to_contain_text("Verse comes at bar")
    expect(page.get_by_test_id("section")).to_have_text("Verse", timeout=60_000)
    expect(page.get_by_label("Now")).to_contain_text("round 2 of the vamp", timeout=90_000)
    page.get_by_role("button", name="Release").click()
    expect(page.get_by_test_id("section")).to_have_text("Chorus", timeout=90_000)
    levels = page.get_by_role("list", name="Level of every socket").get_by_role("listitem")
    expect(levels.nth(0)).not_to_have_attribute("data-level", "")
    expect(page.get_by_test_id("bar-beat")).to_have_text(re.compile(r"^1\d\."))
    stop(page)
    expect(page.get_by_role("button", name="Resume")).to_be_visible()
    page.get_by_role("button", name="Finish the recording").click()
    expect(page.get_by_role("button", name="Record the sockets")).to_be_visible()

    sound = recording(page)
    clicks = onsets(sound[:, 4], floor=0.02)
    # T2 and J2: not one beat is off its frame, through count-in, jump, vamp and release.
    assert len(clicks) > 30
    assert set(np.diff(clicks)) == {BEAT}
    # M3: where the click is, the house has nothing of it. In the count-in the house is silent.
    assert not sound[: clicks[7], :4].any()
    assert sound[:, 0].any()
    assert sound[:, 2].any()
    assert sound[:, 5].any()
    assert not sound[:, 6:].any()
    # The stems begin on the frame of bar 1, which is the ninth click.
    begin = int(np.flatnonzero(np.abs(sound[:, 0]) > 0.01)[0])
    assert abs(begin - clicks[8]) < 300


@pytest.mark.console_may_complain
def test_the_web_server_may_die_while_a_show_plays(evening, product):
    page = evening
    page.get_by_role("button", name="Record the sockets").click()
    expect(page.get_by_role("button", name="Finish the recording")).to_be_visible()
    go(page)
    before = product.pid("web")
    os.kill(before, signal.SIGKILL)
    until = time.monotonic() + 120
    while product.pid("web") == before and time.monotonic() < until:
        time.sleep(0.2)
    # The page finds its way back by itself and shows a song that never stopped.
    expect(page.get_by_test_id("section")).to_have_text("Verse", timeout=120_000)
    stop(page)
    page.get_by_role("button", name="Finish the recording").click()
    expect(page.get_by_role("button", name="Record the sockets")).to_be_visible()
    sound = recording(page)
    clicks = onsets(sound[:, 4], floor=0.02)
    assert len(clicks) > 16
    assert set(np.diff(clicks)) == {BEAT}
    music = sound[clicks[8] : clicks[-1], 0]
    # The tone of the left house rhythm crosses zero, but never rests there for as long as a block.
    sounding = np.flatnonzero(music)
    assert np.diff(sounding).max() < 64


def killed(product, part):
    """Kill a part; gives the process id it had."""
    pid = product.database_pid() if part == "database" else product.pid(part)
    os.kill(pid, signal.SIGKILL)
    return pid


def is_back(product, part, before):
    try:
        return (product.database_pid() if part == "database" else product.pid(part)) != before
    except (OSError, ValueError, IndexError):
        return False


@pytest.mark.console_may_complain
def test_presses_are_heard_while_database_worker_and_web_server_are_gone(evening, product):
    page = evening
    page.get_by_role("button", name="Record the sockets").click()
    expect(page.get_by_role("button", name="Finish the recording")).to_be_visible()
    go(page)
    pull, back = (page.get_by_role("button", name=name) for name in ("Pull the house", "Bring it back"))
    for part in ("database", "worker", "web", "database"):
        before = killed(product, part)
        page.keyboard.press("h")
        expect(back).to_be_visible(timeout=5_000)
        page.keyboard.press("h")
        expect(pull).to_be_visible(timeout=5_000)
        until = time.monotonic() + 120
        while not is_back(product, part, before) and time.monotonic() < until:
            time.sleep(0.1)
        assert is_back(product, part, before)
    # The database answers again, without anybody's doing.
    page.wait_for_timeout(1000)
    expect(page.get_by_test_id("section")).to_have_text("Verse")
    stop(page)
    finish = page.get_by_role("button", name="Finish the recording")
    for _ in range(20):
        finish.click()
        page.wait_for_timeout(500)
        if page.get_by_role("button", name="Record the sockets").is_visible():
            break
    clicks = onsets(recording(page)[:, 4], floor=0.02)
    assert len(clicks) > 16
    assert set(np.diff(clicks)) == {BEAT}


def test_a_stage_page_is_opened_while_the_database_is_gone(evening, product):
    page = evening
    go(page)
    database = product.database_pid()
    os.kill(database, signal.SIGSTOP)
    try:
        page.goto("/stage")
        expect(page.get_by_test_id("section")).to_have_text("Verse", timeout=90_000)
        page.keyboard.press("h")
        expect(page.get_by_role("button", name="Bring it back")).to_be_visible()
        page.keyboard.press("h")
    finally:
        os.kill(database, signal.SIGCONT)
    stop(page)


@pytest.mark.console_may_complain
def test_the_stages_own_server_may_die_and_the_page_comes_back(evening, product):
    page = evening
    go(page)
    before = killed(product, "stage")
    expect(page.get_by_text("No contact since")).to_be_visible()
    expect(page.get_by_test_id("section")).to_have_text("Verse", timeout=30_000)
    assert product.pid("stage") != before
    stop(page)


def test_the_house_can_be_pulled_and_a_feed_be_heard(evening):
    page = evening
    go(page)
    page.get_by_label("Hear a feed in the browser").select_option(label="Hear Click")
    levels = page.get_by_role("list", name="Level of every socket").get_by_role("listitem")
    page.keyboard.press("h")
    expect(page.get_by_role("button", name="Bring it back")).to_have_attribute("aria-pressed", "true")
    expect(levels.nth(0)).to_have_attribute("data-level", "")
    page.keyboard.press("h")
    expect(page.get_by_role("button", name="Pull the house")).to_be_visible()
    # Go is guarded while a song plays, and says so.
    page.keyboard.press("g")
    expect(page.get_by_label("Next up", exact=True)).to_contain_text("go is live again")
    stop(page)
    page.keyboard.press("n")
    expect(page.get_by_label("Now")).to_contain_text("Click alone stands by")


def test_parts_are_taken_out_on_a_bar_line_levelled_by_key_and_back_as_prepared(evening):
    page = evening
    page.get_by_role("button", name="Record the sockets").click()
    expect(page.get_by_role("button", name="Finish the recording")).to_be_visible()
    page.keyboard.press("p")
    parts = page.get_by_role("region", name="Parts by hand")
    expect(parts).to_be_visible()
    # Before it plays: on a busy machine axe may take longer than the song.
    assert axe(page) == []
    go(page)
    expect(page.get_by_test_id("bar-beat")).to_have_text("2.1", timeout=60_000)
    parts.get_by_role("button", name="Click is in: take it out").first.click()
    expect(page.get_by_text("The click goes out at bar")).to_be_visible()
    expect(parts.get_by_role("button", name="Click is out: bring in").first).to_be_visible(timeout=20_000)
    # A word on the spot, and a level by key.
    page.get_by_role("button", name="Say Hold", exact=True).click()
    expect(page.get_by_text("“Hold” is said")).to_be_visible()
    level = parts.get_by_role("slider", name="Level of drums by hand")
    level.focus()
    for _ in range(3):
        page.keyboard.press("ArrowLeft")
        page.wait_for_timeout(100)
    expect(level).to_have_attribute("aria-valuetext", "−3.0 dB")
    expect(page.get_by_test_id("bar-beat")).to_have_text("5.1", timeout=60_000)
    parts.get_by_role("button", name="As prepared", exact=True).click()
    expect(level).to_have_attribute("aria-valuetext", "0.0 dB")
    page.keyboard.press("l")
    expect(page.get_by_test_id("bar-beat")).to_have_text("7.1", timeout=60_000)
    assert axe(page) == []
    page.keyboard.press("l")
    stop(page)
    page.get_by_role("button", name="Finish the recording").click()
    expect(page.get_by_role("button", name="Record the sockets")).to_be_visible()

    clicks = onsets(recording(page)[:, 4], floor=0.02)
    away = [i for i, apart in enumerate(np.diff(clicks)) if apart > BEAT]
    assert len(away) == 1
    # Two bars of count-in, then whole bars of the song; none from a bar line on; back on a beat of the same grid.
    assert away[0] >= 15
    assert (away[0] + 1) % 4 == 0
    assert (clicks[away[0] + 1] - clicks[away[0]]) % BEAT == 0
    assert all(apart == BEAT for i, apart in enumerate(np.diff(clicks)) if i != away[0])
