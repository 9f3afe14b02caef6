"""Stems: the sound files of a song, and what they are to its music."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal, Protocol, get_args

from upbeat.errors import refuse
from upbeat.limits import CELL_FADE_BEATS, CELL_LEVEL_DB
from upbeat.song.key_tempo import KeyTempo
from upbeat.song.layers import Layer
from upbeat.song.treatment import PLAIN, Drive, Gate, Treatment

Purpose = Literal["always", "covers", "rehearsal", "full_mix", "pad"]
PURPOSES: tuple[Purpose, ...] = get_args(Purpose)
GROUPS = ("rhythm", "tonal", "voices", "effects", "click", "cues", "timecode", "full_mix")
GUIDES = ("click", "cues")
#: Stems that are no music, and never reach the house (rules M3 and M10).
GUIDE_GROUPS = (*GUIDES, "timecode")
_DRUMS = ("drum", "kit", "beat", "kick", "perc")


@dataclass(frozen=True, kw_only=True)
class PreparedFile:
    """A stem's file in another key and tempo. ``crc32``: of its samples, where it is known."""

    change: KeyTempo
    file: str
    crc32: int | None = None


@dataclass(frozen=True, kw_only=True)
class Stem:
    """One audio file of a song. ``tacet`` holds section ids; pan is -1 (left) to 1 (right).

    ``flip_side`` turns the right side over, ``mono`` plays the mean of the sides; ``width`` is how far
    they differ, 1 as in the file. Of the file, ``start_s`` to ``end_s`` (None: its end) sounds, faded
    over ``fade_in_s`` and ``fade_out_s``. ``levels``: section id to the decibels it differs by there;
    ``fades``: section id to the counted beats over which it changes to what it is there. ``crc32``: of the
    prepared samples, where it is known. ``feeds``: feed ids with decibels that it goes to in place of its group's
    feeds; None: it goes with its group. ``keeps_pitch``: in whatever key the song is played; ``prepared``: its files in
    other keys and tempos. ``layer``: its file is a loop, which follows the song (rule V3). ``treatment``: its gate, drive,
    tone and echo (rule M8), None where it has none; ``treatments``: section id to what it has there instead.
    """

    id: str
    name: str
    file: str
    group: str = "tonal"
    purpose: Purpose = "always"
    covers: str | None = None
    gain_db: float = 0.0
    pan: float = 0.0
    invert: bool = False
    muted: bool = False
    delay_ms: float = 0.0
    tacet: frozenset[str] = frozenset()
    flip_side: bool = False
    mono: bool = False
    start_s: float = 0.0
    end_s: float | None = None
    fade_in_s: float = 0.0
    fade_out_s: float = 0.0
    width: float = 1.0
    levels: Mapping[str, float] = field(default_factory=dict, hash=False)
    fades: Mapping[str, int] = field(default_factory=dict, hash=False)
    crc32: int | None = None
    feeds: tuple[tuple[str, float], ...] | None = None
    keeps_pitch: bool = False
    layer: Layer | None = None
    prepared: tuple[PreparedFile, ...] = ()
    treatment: Treatment | None = None
    treatments: Mapping[str, Treatment] = field(default_factory=dict, hash=False)

    def __post_init__(self) -> None:
        if self.treated and not can_be_treated(self):
            raise refuse(
                "treatment-guide",
                f"“{self.name}” is heard as it is: a guide, timecode or a pad between songs has no tone.",
            )
        if self.end_s is not None and self.end_s <= self.start_s:
            raise refuse("trim-empty", f"“{self.name}” would end at {self.end_s:g} s, before it starts: end it later.")
        for db in self.levels.values():
            if db not in CELL_LEVEL_DB:
                raise refuse(
                    "level-range",
                    f"“{self.name}” cannot be {db:+g} dB in a section: {CELL_LEVEL_DB.low:g} to {CELL_LEVEL_DB.high:+g} dB, or tacet.",
                )
        for beats in self.fades.values():
            if beats not in CELL_FADE_BEATS:
                raise refuse(
                    "fade-range",
                    f"“{self.name}” cannot change over {beats} beats: 0 (at once) to {CELL_FADE_BEATS.high:g}.",
                )

    @property
    def treated(self) -> bool:
        """Whether it has a treatment, in any section."""
        return self.treatment is not None or bool(self.treatments)

    @property
    def all_treatments(self) -> tuple[Treatment, ...]:
        """What it goes through somewhere, the whole song first."""
        return (self.treatment or PLAIN, *self.treatments.values())

    @property
    def gates_and_drives(self) -> tuple[tuple[Gate | None, Drive | None], ...]:
        """Each gate with the drive behind it that it goes through somewhere, and each alone: one of them may be out by hand."""
        pairs = (p for t in self.all_treatments for p in ((t.gate, t.drive), (t.gate, None), (None, t.drive)))
        return tuple(dict.fromkeys((gate, drive) for gate, drive in pairs if gate or drive))

    def treatment_in(self, section: str) -> Treatment:
        """What it goes through in a section (by its id)."""
        return self.treatments.get(section, self.treatment or PLAIN)


class Grouped(Protocol):
    """Anything that has a stem's name, group and purpose."""

    @property
    def name(self) -> str: ...
    @property
    def group(self) -> str: ...
    @property
    def purpose(self) -> str: ...


def is_music(stem: Grouped) -> bool:
    """Whether a stem is a part of the music: no guide, no full mix of it, no pad between songs."""
    return stem.group not in (*GUIDE_GROUPS, "full_mix") and stem.purpose not in ("full_mix", "pad")


def can_be_treated(stem: Grouped) -> bool:
    """Whether a stem may have a gate, drive, tone and echo: music, and the full mix."""
    return stem.group not in GUIDE_GROUPS and stem.purpose != "pad"


def is_performed(stem: Grouped) -> bool:
    """Whether the audience may hear a stem's part: music that is not for rehearsal alone."""
    return is_music(stem) and stem.purpose != "rehearsal"


def is_bass(stem: Grouped) -> bool:
    return "bass" in stem.name.casefold()


def is_drums(stem: Grouped) -> bool:
    return stem.group == "rhythm" and any(word in stem.name.casefold() for word in _DRUMS)


def is_tonal(stem: Grouped) -> bool:
    """Whether a stem carries chords or a tune, without the bass."""
    return stem.group in ("tonal", "voices")


def is_harmonic(stem: Grouped) -> bool:
    """Whether chords can be heard in a stem, the bass included."""
    return is_tonal(stem) or is_bass(stem)
