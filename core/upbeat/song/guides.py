"""Settings of the click, the count-in and free cues."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from upbeat.click.pattern import DIVISIONS, VOICES, checked_pattern, signature_of
from upbeat.errors import refuse
from upbeat.limits import CLICK_LEVEL_DB, CLICK_PITCH


@dataclass(frozen=True)
class FreeCue:
    """Words spoken at a bar of the song and a counted beat of it, whenever that place is played (rule Q4)."""

    bar: int
    beat: int
    text: str


#: Settings of a click that belong to the bars and sections of one song; the others may be shared.
OF_ONE_SONG = ("parts", "silent", "from_bar", "to_bar")


@dataclass(frozen=True, kw_only=True)
class ClickSettings:
    """The four voices of the click by sound name, and its level.

    ``pitches``: voice to semitones; ``levels``: voice to decibels; ``patterns``: by time signature
    (upbeat.click.pattern). ``parts``: section id to divisions of its own; ``silent``: sections
    without click. ``from_bar`` to ``to_bar``: where it sounds at all (rule C4; None: to the end).
    """

    accent: str = "wood"
    beat: str = "rim"
    division: str = "shaker"
    count_in: str = "wood"
    gain_db: float = -6.0
    divisions: int = 1
    pitches: Mapping[str, float] = field(default_factory=dict, hash=False)
    levels: Mapping[str, float] = field(default_factory=dict, hash=False)
    patterns: Mapping[str, str] = field(default_factory=dict, hash=False)
    parts: Mapping[str, int] = field(default_factory=dict, hash=False)
    silent: tuple[str, ...] = ()
    from_bar: int = 1
    to_bar: int | None = None

    def __post_init__(self) -> None:
        for key, text in self.patterns.items():
            checked_pattern(text, signature_of(key))
        for n in (self.divisions, *self.parts.values()):
            if n not in DIVISIONS:
                raise refuse("divisions-range", f"A beat is clicked in 1 to 4 parts, not {n}.")
        for voice, semitones in self.pitches.items():
            if voice not in VOICES or semitones not in CLICK_PITCH:
                raise refuse(
                    "click-pitch",
                    f"A click voice is tuned by up to 24 semitones: {semitones:g} for “{voice}” cannot be.",
                )
        for voice, db in self.levels.items():
            if voice not in VOICES or db not in CLICK_LEVEL_DB:
                raise refuse(
                    "click-level", f"A click voice lies between -60 and +12 dB: {db:+g} for “{voice}” cannot be."
                )
        if self.to_bar is not None and self.to_bar < self.from_bar:
            raise refuse(
                "click-span", f"The click would end at bar {self.to_bar}, before it begins at bar {self.from_bar}."
            )


@dataclass(frozen=True)
class CountIn:
    """``bars`` of click before the start; ``aloud``: the last of them is counted by the cue voice;
    ``sticks``: it is struck on sticks, on every other beat before the last bar."""

    bars: int = 2
    aloud: bool = True
    sticks: bool = False
