"""The largest show that a stage page is made for: 16 sockets, 24 stems, a form of 30 sections, the longest names."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
from material import write_wav
from playwright.sync_api import Page
from steps import WIRES, add_stems, make_rig, make_song

RATE = 48_000
TITLE = "The Unreasonably Long Ballad of the Lamplighter’s Seventeen Daughters and Their Comet, in Five"
NAMES = ("Introduction", "Verse", "Recitative of the harbour master", "Instrumental break with handclaps", "Chorus")


def asked(page: Page, method: str, path: str, body: dict[str, Any] | None = None) -> Any:
    """What the API answers the member whose page it is."""
    token = next(c["value"] for c in page.context.cookies() if c["name"] == "csrftoken")
    headers = {"X-CSRFToken": token, "Referer": page.url, "Content-Type": "application/json"}
    answer = page.request.fetch(f"/api/{path}", method=method, data=json.dumps(body or {}), headers=headers)
    assert answer.ok, answer.text()
    return answer.json() if answer.body() else None


def edit(page: Page, song: str, do: str, **args: Any) -> None:
    revision = page.request.get(f"/api/songs/{song}/").json()["revision"]
    asked(page, "POST", f"songs/{song}/edits/", {"do": do, "args": args, "revision": revision})


def _song(page: Page, folder: Path) -> str:
    folder.mkdir(exist_ok=True)
    noise = np.random.default_rng(3)
    for i in range(24):
        sound = noise.uniform(-0.05, 0.05, 20 * RATE).astype(np.float32)
        write_wav(folder / f"Contrabass clarinet and bowed saw {i + 1:02d}.wav", sound, RATE, np.int16)
    make_song(page, TITLE)
    add_stems(page, folder)
    song = page.url.rstrip("/").rsplit("/", 1)[1]
    starts = [{"bar": 1 + 2 * i, "name": f"{NAMES[i % 5]} {i // 5 + 1}"} for i in range(30)]
    edit(page, song, "set_length", bars=60)
    edit(page, song, "set_sections", sections=starts)
    return song


def on_the_stage(page: Page, folder: Path) -> None:
    """Make it, and take it to the stage; the page is the stage's then."""
    song = _song(page, folder)
    make_rig(page, "Sixteen", WIRES)
    rig = next(r for r in page.request.get("/api/rigs/").json() if r["name"] == "Sixteen")
    feeds = page.request.get("/api/feeds/").json()
    pair = next(f for f in feeds if f["name"] == "House rhythm")
    patches = [{"feed": p["feed"], "side": p["side"], "socket": p["socket"]} for p in rig["patches"]]
    patches += [{"feed": pair["id"], "side": ("left", "right")[n % 2], "socket": n} for n in range(7, 17)]
    sockets = [{"number": n} for n in range(1, 17)]
    asked(page, "PATCH", f"rigs/{rig['id']}/", {"sockets": sockets, "patches": patches, "revision": rig["revision"]})
    interface = {"rig": rig["id"], "name": "simulated", "outputs": 16, "block": 256, "buffer": 64}
    asked(page, "POST", "interfaces/", interface)
    setlist = asked(page, "POST", "setlists/", {"name": "Large", "entries": [{"song": song}] * 12})
    show = asked(page, "POST", "shows/", {"title": "Night of names", "setlist": setlist["id"], "rig": rig["id"]})
    asked(page, "POST", f"shows/{show['id']}/load/", {"sure": True})
    page.goto("/stage")
    page.get_by_label("Now", exact=True).wait_for()
