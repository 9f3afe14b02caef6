"""A song as it is written: sections, forms, endings, stems. Plain data, checked when made."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from itertools import accumulate, pairwise
from typing import Literal

from upbeat.click.pattern import DIVISIONS, VOICES, checked_pattern, signature_of
from upbeat.errors import refuse
from upbeat.time.grid import Grid

EndingKind = Literal["attacca", "repeat", "vamp", "fine", "cut"]
ENDINGS: tuple[EndingKind, ...] = ("attacca", "repeat", "vamp", "fine", "cut")
Purpose = Literal["always", "covers", "rehearsal", "full_mix", "pad"]
PURPOSES: tuple[Purpose, ...] = ("always", "covers", "rehearsal", "full_mix", "pad")
GROUPS = ("rhythm", "tonal", "voices", "effects", "click", "cues", "full_mix")
NANOSECONDS = 1_000_000_000
LEVEL_RANGE = (-40.0, 20.0)
MAX_FADE_BEATS = 64
MAX_LEAD = 8
MAX_SECTIONS = 1000
MAX_BARS = 20_000


@dataclass(frozen=True)
class Ending:
    """What happens where a step ends (rule F3). ``times``: plays in all, for ``repeat``."""

    kind: EndingKind = "attacca"
    times: int = 1

    def __post_init__(self) -> None:
        if self.kind not in ENDINGS:
            raise refuse(
                "ending-unknown", f"“{self.kind}” is not an ending: choose attacca, repeat, vamp, fine or cut."
            )
        if self.kind == "repeat" and not 2 <= self.times <= 99:
            raise refuse("ending-times", f"A repeat plays 2 to 99 times in all, not {self.times}.")


@dataclass(frozen=True)
class Section:
    """A named span of whole bars. ``cue``: what is spoken for it, the name if empty.

    ``locked``: it keeps its length when its ends are moved. ``words``: its lyrics, lines of text
    that may have chords in brackets; ``note``: what the band should know of it. ``called``: whether
    a call names it, ``lead`` bars before it begins (None: as early as the song says).
    """

    id: str
    name: str
    bars: int
    mark: str = ""
    colour: int = 1
    cue: str = ""
    locked: bool = False
    words: str = ""
    note: str = ""
    called: bool = True
    lead: int | None = None

    def __post_init__(self) -> None:
        _check_lead(self.lead or 1)
        if self.bars < 1:
            raise refuse("section-empty", f"The section “{self.name}” has no bars: give it at least one.")

    @property
    def spoken(self) -> str:
        return self.cue or self.name


def _check_lead(bars: int) -> None:
    if not 1 <= bars <= MAX_LEAD:
        raise refuse("lead-range", f"A section is called 1 to {MAX_LEAD} bars before it, not {bars}.")


@dataclass(frozen=True)
class Step:
    """One step of a form. ``tacet``: stems silent in it besides the section's own."""

    section: str
    ending: Ending = Ending()
    cue: str = ""
    tacet: frozenset[str] = frozenset()


@dataclass(frozen=True)
class Form:
    id: str
    name: str
    steps: tuple[Step, ...]


@dataclass(frozen=True)
class Stem:
    """One audio file of a song. ``tacet`` holds section ids; pan is -1 (left) to 1 (right).

    ``flip_side`` turns the right side over, ``mono`` plays the mean of the sides; ``width`` is how far
    they differ, 1 as in the file. Of the file, ``start_s`` to ``end_s`` (None: its end) sounds, faded
    over ``fade_in_s`` and ``fade_out_s``. ``levels``: section id to the decibels it differs by there;
    ``fades``: section id to the counted beats over which it changes to what it is there.
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

    def __post_init__(self) -> None:
        if self.end_s is not None and self.end_s <= self.start_s:
            raise refuse("trim-empty", f"“{self.name}” would end at {self.end_s:g} s, before it starts: end it later.")
        for db in self.levels.values():
            if not LEVEL_RANGE[0] <= db <= LEVEL_RANGE[1]:
                raise refuse(
                    "level-range",
                    f"“{self.name}” cannot be {db:+g} dB in a section: {LEVEL_RANGE[0]:g} to {LEVEL_RANGE[1]:+g} dB, or tacet.",
                )
        for beats in self.fades.values():
            if not 0 <= beats <= MAX_FADE_BEATS:
                raise refuse(
                    "fade-range", f"“{self.name}” cannot change over {beats} beats: 0 (at once) to {MAX_FADE_BEATS}."
                )


@dataclass(frozen=True)
class Edges:
    """How the recording of a song begins and ends, whatever its stems do by themselves.

    Before ``start_s`` (in the stems' zero) nothing sounds, then all comes in over ``fade_in_s``.
    After ``end_bar`` (None: to the end of the stems) it is over: cut on the bar line that closes it,
    faded out over the ``fade_out_s`` before it, or held: what begins on that bar line rings on for
    ``hold_s``, sinking to nothing.
    """

    start_s: float | None = None
    fade_in_s: float = 0.0
    end_bar: int | None = None
    fade_out_s: float = 0.0
    hold_s: float = 0.0

    def __post_init__(self) -> None:
        if not 0 <= self.hold_s <= 30:
            raise refuse("hold-range", f"An end is held for up to 30 s, not {self.hold_s:g}.")
        if not 0 <= self.fade_in_s <= 120 or not 0 <= self.fade_out_s <= 120:
            raise refuse("fade-range", "A song is faded over up to 120 s.")
        if self.hold_s and self.fade_out_s:
            raise refuse("end-twice", "An end is either faded out or held, not both: choose one.")


@dataclass(frozen=True)
class FreeCue:
    """Words spoken at a bar of the song and a counted beat of it, whenever that place is played (rule Q4)."""

    bar: int
    beat: int
    text: str


@dataclass(frozen=True)
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
            if voice not in VOICES or not -24 <= semitones <= 24:
                raise refuse(
                    "click-pitch",
                    f"A click voice is tuned by up to 24 semitones: {semitones:g} for “{voice}” cannot be.",
                )
        for voice, db in self.levels.items():
            if voice not in VOICES or not -60 <= db <= 12:
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


@dataclass(frozen=True)
class Song:
    """A song. ``chords``: bar to what is written in it, as musicians type it (upbeat.chart); ``gain_db``:
    how much louder all its stems are heard than they are set; ``lead``: bars before a section that its call begins."""

    id: str
    title: str
    grid: Grid
    sections: tuple[Section, ...]
    forms: tuple[Form, ...]
    stems: tuple[Stem, ...] = ()
    click: ClickSettings = ClickSettings()
    count_in: CountIn = CountIn()
    crossfade_ms: float = 10.0
    ring_on_s: float = 0.0
    calls: bool = True
    key: str = ""
    chords: Mapping[int, str] = field(default_factory=dict, hash=False)
    note: str = ""
    gain_db: float = 0.0
    edges: Edges = Edges()
    cues: tuple[FreeCue, ...] = ()
    lead: int = 1
    extra: dict = field(default_factory=dict, compare=False, hash=False)

    def __post_init__(self) -> None:
        if not self.sections:
            raise refuse("song-no-sections", f"“{self.title}” has no bars yet: give it a tempo and a length.")
        if not 0 <= self.crossfade_ms <= 80:
            raise refuse("crossfade-range", f"The crossfade of “{self.title}” goes from 0 to 80 ms.")
        if not 0 <= self.ring_on_s <= 2:
            raise refuse("ring-on-range", f"The ring-on of “{self.title}” goes from 0 to 2 s.")
        _check_lead(self.lead)
        if not 0 <= self.count_in.bars <= 8:
            raise refuse("count-in-range", f"The count-in of “{self.title}” has 0 to 8 bars.")

    @property
    def total_bars(self) -> int:
        return sum(s.bars for s in self.sections)

    def section(self, section_id: str) -> Section:
        for s in self.sections:
            if s.id == section_id:
                return s
        raise refuse("section-unknown", f"“{self.title}” has no section {section_id}: choose one of its own.")

    def first_bar(self, section_id: str) -> int:
        """The bar, counted from 1, that a section begins at."""
        bar = 1
        for s in self.sections:
            if s.id == section_id:
                return bar
            bar += s.bars
        raise refuse("section-unknown", f"“{self.title}” has no section {section_id}: choose one of its own.")

    def form(self, form_id: str | None) -> Form:
        """A form by id; the full form without one."""
        if form_id is None:
            return self.forms[0] if self.forms else full_form(self.sections)
        for f in self.forms:
            if f.id == form_id:
                return f
        raise refuse("form-unknown", f"“{self.title}” has no form {form_id}: choose one of its own.")


def full_form(sections: Iterable[Section]) -> Form:
    """Every section in order, straight on, fine at the end (rule F2)."""
    steps = [Step(s.id) for s in sections]
    steps[-1] = Step(steps[-1].section, Ending("fine"))
    return Form("full", "Full", tuple(steps))


@dataclass(frozen=True)
class Length:
    """How long a form lasts: bars, and seconds of one pass (a vamp counts once), section by section to the nanosecond."""

    bars: int
    seconds: Fraction


def form_length(song: Song, form: Form) -> Length:
    """Bars and seconds of a form, repeats included, a vamp counted once."""
    return form_lengths(song, [form])[0]


def form_lengths(song: Song, forms: Iterable[Form]) -> list[Length]:
    """Bars and seconds of several forms of a song, each as :func:`form_length` gives it."""
    ends = list(accumulate((s.bars for s in song.sections), initial=0))
    moments = song.grid.bar_lines(ends, NANOSECONDS)
    lasting = {
        s.id: (s.bars, Fraction(until - at, NANOSECONDS))
        for s, (at, until) in zip(song.sections, pairwise(moments), strict=True)
    }
    lengths = []
    for form in forms:
        bars, seconds = 0, Fraction(0)
        for step in form.steps:
            if step.ending.kind == "cut":
                continue
            if step.section not in lasting:
                song.section(step.section)
            count, length = lasting[step.section]
            times = step.ending.times if step.ending.kind == "repeat" else 1
            bars += times * count
            seconds += times * length
            if step.ending.kind == "fine":
                break
        lengths.append(Length(bars, seconds))
    return lengths
