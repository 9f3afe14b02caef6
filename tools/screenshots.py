"""Pictures of the main views for docs/screenshots, from the demo data of a running ./start.

``.venv/bin/python tools/screenshots.py [NAME …]`` writes the named views, or all of them.
"""

from __future__ import annotations

import base64
import json
import os
import re
import sys
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import APIResponse, Page, sync_playwright

from pictures import PICTURES, record
from prepared import until_prepared

ROOT = Path(__file__).resolve().parents[1]
VAR = Path(os.environ.get("UPBEAT_VAR", ROOT / "var"))
OUT = Path(os.environ.get("UPBEAT_SHOTS", PICTURES))
SONG = "Perihelion Parade"


def songs(page: Page) -> None:
    page.goto("/songs")
    page.get_by_role("link", name=SONG).wait_for()


def song(page: Page) -> None:
    songs(page)
    page.get_by_role("link", name=SONG).click()
    page.locator("[data-bar='1']").wait_for()


def grid(page: Page) -> None:
    song(page)
    page.get_by_role("link", name="Grid").click()
    page.get_by_text("The band").first.wait_for(timeout=60_000)
    page.get_by_role("slider").first.wait_for()
    page.wait_for_timeout(1500)


def _of_another(page: Page, view: str) -> None:
    """A view of a song that has a short form."""
    songs(page)
    page.get_by_role("link", name="Lamplighter’s Orbit").click()
    page.get_by_role("link", name=view).click()


def forms(page: Page) -> None:
    _of_another(page, "Forms")
    page.get_by_role("region", name="Form Short").wait_for()


def seams(page: Page) -> None:
    _of_another(page, "Seams")
    page.get_by_role("combobox", name="Form").select_option(index=1)
    page.get_by_role("list", name="Seams, likeliest to be heard first").get_by_role("listitem").first.wait_for(
        timeout=60_000
    )
    page.wait_for_timeout(2500)


def tacet(page: Page) -> None:
    """Without the bass player, with a cell chosen."""
    song(page)
    page.get_by_role("link", name="Tacet sheet").click()
    page.get_by_label("Heard as on").select_option(label="Without Pilar")
    page.get_by_role("gridcell", name="Organ, D Chorus, +1.5 dB").click()
    page.get_by_text("sounds: Pilar is away").first.wait_for()
    page.wait_for_timeout(500)


def levels(page: Page) -> None:
    song(page)
    page.get_by_role("link", name="Levels").click()
    page.get_by_role("img", name="Loudness along").wait_for(timeout=90_000)


def click(page: Page) -> None:
    song(page)
    page.get_by_role("link", name="Click and cues").click()
    page.get_by_role("region", name="Cues, as they will be spoken").wait_for(timeout=60_000)
    page.wait_for_timeout(500)


def messages(page: Page) -> None:
    """A bar of the vamp chosen, with what holds there."""
    song(page)
    page.get_by_role("link", name="Messages").click()
    page.get_by_role("gridcell", name="Teodor’s keyboard, bar 41").first.click()
    page.get_by_text("What holds where this bar begins").wait_for()
    page.wait_for_timeout(800)


def setlist(page: Page) -> None:
    page.goto("/setlists")
    page.get_by_role("list", name="Running order").wait_for()


def dress(page: Page) -> None:
    """A run of the demo's show, with one song too loud."""
    setlist(page)
    _set_gain(page, "Perihelion Parade", 4.0)
    page.get_by_role("link", name="Dress run").first.click()
    page.get_by_role("button", name=re.compile("^Run it")).click()
    page.get_by_role("button", name="Call it off").wait_for()
    page.get_by_role("button", name="Run it again").wait_for(timeout=240_000)
    _set_gain(page, "Perihelion Parade", 0.0)


def _set_gain(page: Page, title: str, gain_db: float) -> None:
    song = next(s for s in page.request.get("/api/songs/").json() if s["title"] == title)
    made = _post(page, f"songs/{song['id']}/edits/", {"do": "set_level", "args": {"gain_db": gain_db}})
    assert made.ok, made.text()


def outputs(page: Page) -> None:
    page.goto("/outputs")
    page.get_by_text("Click stays out of the house").wait_for()
    page.get_by_text("is left out").wait_for(timeout=60_000)


def stage(page: Page) -> None:
    page.goto("/stage")
    load = page.get_by_role("button", name="Thursday, dome tent")
    go = page.get_by_role("button", name="Go", exact=False).first
    load.or_(go).first.wait_for()
    if load.is_visible() and not page.get_by_label("Now").is_visible():
        load.click()
    page.get_by_label("Now").wait_for()
    _press(page, "stop")
    page.wait_for_timeout(500)
    page.get_by_label("Running order").get_by_role("button", name=SONG).first.click()
    page.get_by_label("Now").get_by_text(f"{SONG} stands by").wait_for()
    page.keyboard.press("g")
    page.wait_for_timeout(9000)
    page.keyboard.press("4")
    page.wait_for_timeout(400)


def parts(page: Page) -> None:
    """With a level by hand, a part that will go out, a word that was said, a sound that rings."""
    stage(page)
    page.keyboard.press("p")
    page.get_by_role("button", name="Fire Rocket start").click()
    page.get_by_role("radio", name="at the section’s end").click()
    page.get_by_role("button", name="Shakers, gongs is in: take it out").click()
    level = page.get_by_role("slider", name="Level of Choir by hand")
    for _ in range(4):
        level.press("ArrowLeft")
        page.wait_for_timeout(90)
    level.blur()
    page.get_by_role("button", name="Say Watch me").click()
    page.wait_for_timeout(300)


def night(page: Page) -> None:
    """Two songs played with jumps, a mark and a level by hand, told afterwards."""
    _standing_by(page)
    stem = page.request.get("/api/engine/show/").json()["entries"][0]["stems"][0]["id"]
    played: list[tuple[float, str, dict[str, object]]] = [
        (14, "go", {}),
        (1, "mark", {}),
        (1, "level", {"part": f"stem:{stem}", "db": -3.5}),
        (14, "go_to", {"step": 3, "when": "next_bar"}),
        (9, "go_to", {"step": 2, "when": "next_bar"}),
        (9, "once_more", {"when": "next_bar"}),
        (1, "stop", {}),
        (0, "stand_by", {"entry": 1}),
        (20, "go", {}),
        (1, "stop", {}),
    ]
    for seconds, name, args in played:
        _press(page, name, args)
        page.wait_for_timeout(1000 * seconds)
    page.goto("/nights")
    page.get_by_role("button", name="Make a form of it").first.wait_for()


def line_check(page: Page) -> None:
    """Before the last socket that is not for headphones, with noise."""
    _standing_by(page)
    page.goto("/stage/line-check")
    page.get_by_role("radio", name="Noise").click()
    page.get_by_role("button", name="Begin").click()
    for _ in range(2):
        page.wait_for_timeout(300)
        page.get_by_role("button", name="Onwards").click()
    page.wait_for_timeout(700)


def hands(page: Page) -> None:
    """A pad that was just pressed, while a song plays."""
    _standing_by(page)
    page.goto("/hands")
    page.get_by_role("region", name="Nine pads").get_by_role("button", name=re.compile("^Pad 1")).click()
    page.wait_for_timeout(6000)
    page.get_by_role("region", name="Nine pads").get_by_role("button", name=re.compile("^Pad 5")).click()
    page.wait_for_timeout(600)


def band(page: Page) -> None:
    """Two phones in one picture, in the middle of a vamp: a player's, and one that may do everything."""
    _standing_by(page)
    page.goto("/stage")
    page.get_by_role("button", name="Stage: nights").click()
    page.get_by_role("menuitem", name="Phones in the show").click()
    code = page.get_by_test_id("code").inner_text()
    browser = page.context.browser
    assert browser is not None
    for name in ("Wren", "Ozo"):
        context = browser.new_context(base_url=page.url.split("/stage")[0], viewport={"width": 390, "height": 800})
        phone = context.new_page()
        phone.goto(f"/band?code={code}")
        phone.get_by_label("Your name").fill(name)
        phone.get_by_role("button", name="Join").click()
        phone.get_by_test_id("section").wait_for()
        _PHONES.append(phone)
    page.get_by_label("What Ozo may do").last.select_option("everything")
    _press(page, "go")
    page.wait_for_timeout(9000)
    _press(page, "ending_tonight", {"ending": "vamp"})
    page.wait_for_timeout(1500)
    shots = [base64.b64encode(phone.screenshot()).decode() for phone in _PHONES]
    pictures = "".join(f'<img src="data:image/png;base64,{shot}" height="800">' for shot in shots)
    page.goto("about:blank")
    page.set_content(f'<body style="margin:0;display:flex;gap:40px;justify-content:center;background:#555">{pictures}')
    page.wait_for_timeout(300)


def screens(page: Page) -> None:
    """Film, words and conductor's screen in the middle of a song, and the film player that follows timecode."""
    _standing_by(page)
    page.goto("/stage")
    page.get_by_role("button", name="Stage: nights").click()
    page.get_by_role("menuitem", name="Phones in the show").click()
    code = page.get_by_test_id("code").inner_text()
    browser = page.context.browser
    assert browser is not None
    context = browser.new_context(base_url=page.url.split("/stage")[0], viewport={"width": 1280, "height": 720})
    film = context.new_page()
    film.goto(f"/screen?code={code}&show=audience")
    film.get_by_role("button", name="Join").click()
    page.get_by_role("button", name="Close").click()
    page.get_by_label("Running order").get_by_role("button", name=SONG).first.click()
    page.get_by_label("Now").get_by_text(f"{SONG} stands by").wait_for()
    _press(page, "go")
    film.locator("video").wait_for(timeout=60_000)
    _press(page, "go_to", {"step": 3, "when": "at_once"})
    others = [context.new_page() for _ in range(2)]
    for other, show in zip(others, ("words", "conductor"), strict=True):
        other.goto(f"/screen?show={show}")
    page.goto("/stand-ins")
    page.get_by_label("Film player").locator("video").wait_for(timeout=60_000)
    page.wait_for_timeout(6000)
    page.get_by_label("Film player").scroll_into_view_if_needed()
    shots = [base64.b64encode(one.screenshot()).decode() for one in (film, *others)]
    shots.append(base64.b64encode(page.get_by_label("Film player").screenshot()).decode())
    pictures = "".join(
        f'<img src="data:image/png;base64,{shot}" style="width:620px;height:380px;object-fit:contain;background:#111">'
        for shot in shots
    )
    page.goto("about:blank")
    page.set_content(
        f'<body style="margin:0;display:flex;flex-wrap:wrap;gap:13px;padding:13px;background:#555">{pictures}'
    )
    page.wait_for_timeout(300)


_PHONES: list[Page] = []


def _standing_by(page: Page) -> None:
    """The demo's show on the stage from its beginning, with nothing that sounds."""
    _press(page, "stop")
    page.wait_for_timeout(500)
    until_prepared(lambda path: page.request.get(f"/api/{path}").json())
    show = page.request.get("/api/shows/").json()[0]["id"]
    assert _post(page, f"shows/{show}/load/", {"sure": True}).ok
    page.wait_for_timeout(2500)


def _press(page: Page, name: str, args: dict[str, object] | None = None) -> None:
    _post(page, "engine/", {"press": name, "args": args or {}})


def _post(page: Page, path: str, data: dict[str, object]) -> APIResponse:
    token = next(c["value"] for c in page.context.cookies() if c["name"] == "csrftoken")
    return page.request.post(f"/api/{path}", data=data, headers={"X-CSRFToken": token, "Referer": page.url})


VIEWS: dict[str, Callable[[Page], None]] = {
    "songs": songs,
    "song": song,
    "grid": grid,
    "forms": forms,
    "seams": seams,
    "tacet": tacet,
    "click": click,
    "levels": levels,
    "messages": messages,
    "screens": screens,
    "setlist": setlist,
    "dress": dress,
    "outputs": outputs,
    "stage": stage,
    "parts": parts,
    "line-check": line_check,
    "hands": hands,
    "night": night,
    "band": band,
}


def main(names: list[str]) -> None:
    run = json.loads((VAR / "run.json").read_text())
    OUT.mkdir(parents=True, exist_ok=True)
    with sync_playwright() as p:
        browser = p.chromium.launch(
            executable_path="/usr/bin/chromium", args=["--no-sandbox", "--autoplay-policy=no-user-gesture-required"]
        )
        page = browser.new_page(base_url=run["address"], viewport={"width": 1280, "height": 800})
        page.goto(fresh_link(run))
        for name in names or list(VIEWS):
            VIEWS[name](page)
            page.wait_for_timeout(400)
            page.screenshot(path=OUT / f"{name}.png")
            if name == "stage":
                # Held as a keyboard does it: the key repeats.
                for _ in range(9):
                    page.keyboard.down("s")
                    page.wait_for_timeout(100)
                page.keyboard.up("s")
            if OUT == PICTURES:
                record([name])
        browser.close()


def fresh_link(run: dict[str, str]) -> str:
    import subprocess

    env = {
        **os.environ,
        **{
            k: v
            for line in Path(f"/proc/{run['web']}/environ").read_bytes().split(b"\0")
            if b"=" in line
            for k, v in [line.decode().split("=", 1)]
        },
    }
    made = subprocess.run(
        [sys.executable, "manage.py", "sign_in_link", "--base", run["address"]],
        cwd=ROOT / "server",
        env=env,
        capture_output=True,
        text=True,
        check=True,
    )
    return made.stdout.strip()


if __name__ == "__main__":
    main(sys.argv[1:])
