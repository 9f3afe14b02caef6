"""Songs and shows for the tests, small and with known truth."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np

from upbeat.audio.pcm import WavWriter
from upbeat.show.document import read_show
from upbeat.show.ready import ReadyShow, make_ready

RATE = 48000


def write_wav(path: Path, sound: np.ndarray, rate: int = RATE, dtype: type = np.float32) -> Path:
    """``sound``: (frames,) or (frames, channels)."""
    sound = sound[:, None] if sound.ndim == 1 else sound
    with WavWriter(path, rate, sound.shape[1], dtype) as writer:
        writer.write(sound if dtype is np.float32 else np.round(sound * 32767))
    return path


def ramp_stem(frames: int) -> np.ndarray:
    """Its value tells its frame: 1 ppm a frame, so that a jump is seen to the frame."""
    return np.arange(1, frames + 1, dtype=np.float32) / np.float32(1 << 22)


def song(**changes: Any) -> dict[str, Any]:
    """Eight bars of 4/4 at 120 in three sections, click and calls off unless asked for."""
    base: dict[str, Any] = {
        "id": "song",
        "title": "Paper Boats",
        "tempo": [{"bar": 1, "bpm": "120"}],
        "meters": [{"bar": 1, "meter": "4/4"}],
        "sections": [
            {"id": "a", "name": "Verse", "bars": 3},
            {"id": "b", "name": "Chorus", "bars": 3},
            {"id": "c", "name": "Coda", "bars": 2},
        ],
        "stems": [],
        "count_in": {"bars": 0, "aloud": False},
        "calls": False,
        "click": {"accent": "beep", "beat": "rim", "gain_db": 0},
    }
    return {**base, **changes}


def show(*songs: dict[str, Any], links: tuple[dict[str, Any], ...] = (), **changes: Any) -> dict[str, Any]:
    """A show on four sockets: house left and right, click, cues."""
    base: dict[str, Any] = {
        "format": "upbeat-cue-show",
        "version": 1,
        "title": "Evening",
        "sample_rate": RATE,
        "songs": list(songs),
        "entries": [
            {"id": f"e{i}", "song": s["id"], **({"link": links[i]} if i < len(links) else {})}
            for i, s in enumerate(songs)
        ],
        "feeds": [
            {
                "id": "house",
                "name": "House",
                "kind": "house",
                "sends": [{"source": f"group:{g}"} for g in ("rhythm", "tonal", "voices", "full_mix")],
            },
            {"id": "click", "name": "Click", "kind": "monitor", "channels": 1, "sends": [{"source": "click"}]},
            {"id": "cues", "name": "Cues", "kind": "monitor", "channels": 1, "sends": [{"source": "cues"}]},
        ],
        "rig": {"sockets": [{"number": n} for n in (1, 2, 3, 4)]},
        "patch": [
            {"feed": "house", "side": "left", "socket": 1},
            {"feed": "house", "side": "right", "socket": 2},
            {"feed": "click", "side": "mono", "socket": 3},
            {"feed": "cues", "side": "mono", "socket": 4},
        ],
    }
    return {**base, **changes}


def ready(document: dict[str, Any], folder: Path, speak: bool = False) -> ReadyShow:
    return make_ready(read_show(document), folder, speak=speak)


def onsets(sound: np.ndarray, floor: float = 0.05, apart: int = 2000) -> list[int]:
    """Frames where a sound that begins at its peak (a click) begins."""
    loud = np.flatnonzero(np.abs(sound) > floor)
    return [int(f) for i, f in enumerate(loud) if i == 0 or f - loud[i - 1] > apart]


def beat_frame(beats: int, bpm: str = "120", start: int = 0) -> int:
    """Frame of a quarter-note beat, rounded from the exact time (rule T2)."""
    seconds = Fraction(60) / Fraction(bpm) * beats
    return start + int(seconds * RATE + Fraction(1, 2))


LEVEL = 0.25


def steady(folder: Path, *stems: dict[str, Any], seconds: int = 18, **changes: Any) -> ReadyShow:
    """A song whose stems are all one value, :data:`LEVEL`, so that what is heard is the gain."""
    write_wav(folder / "one.wav", np.full(seconds * RATE, LEVEL, np.float32))
    rest = changes.pop("show", {})
    listed = [
        {"id": f"s{i}", "name": f"S{i}", "file": "one.wav", "group": "tonal", "pan": -1, **stem}
        for i, stem in enumerate(stems)
    ]
    return ready(show(song(stems=listed, **changes), **rest), folder)


def gains(sound: np.ndarray) -> np.ndarray:
    """The gain of a :func:`steady` song on its first socket."""
    return sound[0] / LEVEL
