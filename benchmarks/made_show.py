"""A show to measure with: eight stereo stems of made-up sound, and as many sockets as wanted."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np

from upbeat.audio.pcm import WavWriter

RATE = 48000
STEMS = 8


def write_stems(folder: Path, seconds: int, stems: int = STEMS) -> list[Path]:
    """Eight 16-bit stereo WAVs: tones and noise in bursts, each its own."""
    folder.mkdir(parents=True, exist_ok=True)
    files = []
    for i in range(stems):
        rng = np.random.default_rng(i)
        files.append(folder / f"stem-{i}.wav")
        with WavWriter(files[-1], RATE, 2, np.int16) as writer:
            for second in range(seconds):
                t = second + np.arange(RATE) / RATE
                tone = np.sin(2 * np.pi * (110 * (i + 1)) * t) * np.exp(-3 * (t * 2 % 1))
                noise = rng.standard_normal((RATE, 2)) * 0.05
                writer.write(np.clip((tone[:, None] * 0.2 + noise) * 8000, -32768, 32767).astype(np.int16))
    return files


def _feeds(sockets: int, guides: bool) -> list[dict[str, Any]]:
    """A house feed, or with ``guides`` one for each group and as many monitors with click and cues as there are sockets for."""
    house = [{"id": g, "name": g, "kind": "house", "sends": [{"source": f"group:{g}"}]} for g in ("rhythm", "tonal")]
    if not guides:
        house = [
            {
                "id": "house",
                "name": "House",
                "kind": "house",
                "gain_db": -18.0618,
                "sends": [{"source": "group:rhythm"}, {"source": "group:tonal"}],
            }
        ]

    def heard(i: int) -> list[dict]:
        return [
            {"source": "click"},
            {"source": "cues"},
            *({"source": f"feed:{h['id']}", "gain_db": -3 - i} for h in house),
        ]

    ears = [
        {"id": f"m{i}", "name": f"Monitor {i}", "kind": "monitor", "sends": heard(i)}
        for i in range((sockets - 2 * len(house)) // 2 if guides else 0)
    ]
    return house + ears


def show(files: list[Path], sockets: int, seconds: int, guides: bool) -> dict[str, Any]:
    """A show document with one song that lasts as long as the stems, vamping for ever where ``guides``."""
    bars = seconds // 2
    ending = {"kind": "vamp"} if guides else {"kind": "fine"}
    stems = [
        {"id": f"s{i}", "name": f.stem, "file": f.name, "group": ("rhythm", "tonal")[i % 2]}
        for i, f in enumerate(files)
    ]
    feeds = _feeds(sockets, guides)
    patch = [
        {"feed": f["id"], "side": side, "socket": 1 + 2 * i + k}
        for i, f in enumerate(feeds)
        for k, side in enumerate(("left", "right"))
        if 1 + 2 * i + k <= sockets
    ]
    return {
        "format": "upbeat-cue-show",
        "version": 1,
        "title": "Measured",
        "sample_rate": RATE,
        "songs": [
            {
                "id": "song",
                "title": "Measured",
                "tempo": [{"bar": 1, "bpm": "120"}],
                "meters": [{"bar": 1, "meter": "4/4"}],
                "sections": [{"id": "a", "name": "Verse", "bars": bars}],
                "stems": stems,
                "count_in": {"bars": 0, "aloud": False},
                "calls": False,
                "forms": [{"id": "full", "name": "Full", "steps": [{"section": "a", "ending": ending}]}],
            }
        ],
        "entries": [{"id": "e", "song": "song"}],
        "feeds": feeds,
        "rig": {"sockets": [{"number": n + 1} for n in range(sockets)]},
        "patch": patch,
    }


def write_show(folder: Path, sockets: int, seconds: int, guides: bool = True, stems: int = STEMS) -> list[Path]:
    files = write_stems(folder, seconds, stems)
    (folder / "show.json").write_text(json.dumps(show(files, sockets, seconds, guides)))
    return files
