"""The cue voice: which engine speaks, how fast and how high, and what a band says in other words."""

from __future__ import annotations

import re
import shutil
import subprocess
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

from upbeat.cues.wording import Wording, wording
from upbeat.errors import refuse

FLITE_SPEAKERS = ("rms", "slt", "awb", "kal16")
DEFAULT = "flite/rms"
SPEEDS, PITCHES, SHIFTS_MS = (0.6, 1.6), (-12.0, 12.0), (-100.0, 100.0)
MAX_TEXT = 80
_NAME = re.compile(r"flite/[a-z0-9]{1,12}|[A-Za-z0-9][A-Za-z0-9+_-]{0,31}")


@dataclass(frozen=True, kw_only=True)
class Voice:
    """``name``: ``flite/rms`` or a voice of espeak-ng (``es-419``, ``en-us+f3``); ``speed``: a ratio;
    ``pitch``: semitones, of espeak-ng's voices alone. ``words``: what is said instead of a name or a
    count; ``shifts``: by what is said, milliseconds that the word is put later (below 0: earlier)."""

    name: str = DEFAULT
    speed: float = 1.0
    pitch: float = 0.0
    words: Mapping[str, str] = field(default_factory=dict, hash=False)
    shifts: Mapping[str, float] = field(default_factory=dict, hash=False)

    def __post_init__(self) -> None:
        if not _NAME.fullmatch(self.name):
            raise refuse("voice-unknown", f"“{self.name[:40]}” is not a cue voice: choose a language such as en or fr.")
        if not SPEEDS[0] <= self.speed <= SPEEDS[1]:
            raise refuse(
                "voice-speed",
                f"A cue voice speaks {SPEEDS[0]:g} to {SPEEDS[1]:g} times as fast as usual, not {self.speed:g}.",
            )
        if not PITCHES[0] <= self.pitch <= PITCHES[1]:
            raise refuse("voice-pitch", f"A cue voice is moved by up to 12 semitones, not {self.pitch:+g}.")
        for text, shift in self.shifts.items():
            if not SHIFTS_MS[0] <= shift <= SHIFTS_MS[1]:
                raise refuse("word-shift", f"“{text}” can be put up to 100 ms earlier or later, not {shift:+g} ms.")
        for text, instead in self.words.items():
            if len(instead) > MAX_TEXT or len(text) > MAX_TEXT:
                raise refuse("word-long", f"What is said for “{text[:20]}” is too long: at most {MAX_TEXT} characters.")

    @property
    def engine(self) -> str:
        return "flite" if self.name.startswith("flite/") else "espeak-ng"

    @property
    def speaker(self) -> str:
        """The name by which the engine knows it."""
        return self.name.removeprefix("flite/")

    @property
    def language(self) -> str:
        """The language that it speaks, as a tag."""
        return "en" if self.engine == "flite" else self.name.split("+")[0]

    @property
    def wording(self) -> Wording:
        return wording(self.language, self.words)


def voice_of(raw: str | Mapping[str, Any] | None) -> Voice:
    """A voice as a show document has it: its name alone, or all of it. Raises :class:`Refused`."""
    if not raw:
        return Voice()
    if isinstance(raw, str):
        return Voice(name=raw)
    return Voice(
        name=raw.get("name") or DEFAULT,
        speed=raw.get("speed", 1.0),
        pitch=raw.get("pitch", 0.0),
        words=raw.get("words", {}),
        shifts=raw.get("shifts", {}),
    )


@lru_cache(maxsize=1)
def installed_voices() -> tuple[tuple[str, str], ...]:
    """Name and language tag of every voice that can speak here, flite's speakers first."""
    found = []
    if shutil.which("flite"):
        lines = subprocess.run(["flite", "-lv"], capture_output=True, text=True, timeout=20, check=False).stdout.split()
        found += [(f"flite/{name}", "en") for name in FLITE_SPEAKERS if name in lines]
    if shutil.which("espeak-ng"):
        lines = subprocess.run(
            ["espeak-ng", "--voices"], capture_output=True, text=True, timeout=20, check=False
        ).stdout.splitlines()
        tags = sorted({line.split()[1] for line in lines[1:] if len(line.split()) >= 4})
        found += [(tag, tag) for tag in tags]
    return tuple(found)
