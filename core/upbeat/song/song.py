"""A song as it is written. Plain data, checked when made."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from upbeat.errors import refuse
from upbeat.limits import COUNT_IN_BARS, CROSSFADE_MS, LEAD_BARS, RING_ON_S
from upbeat.messages.kinds import Message
from upbeat.song.edges import Edges
from upbeat.song.forms import Ending, Form, Step
from upbeat.song.guides import ClickSettings, CountIn, FreeCue
from upbeat.song.key_tempo import KeyTempo
from upbeat.song.screen import Screen
from upbeat.song.stems import Stem
from upbeat.time.grid import Grid


@dataclass(frozen=True, kw_only=True)
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
        check_lead(self.lead or 1)
        if self.bars < 1:
            raise refuse("section-empty", f"The section “{self.name}” has no bars: give it at least one.")


def check_lead(bars: int) -> None:
    """Raise :class:`Refused` where a call cannot begin so many bars before its section."""
    if bars not in LEAD_BARS:
        raise refuse("lead-range", f"A section is called {LEAD_BARS} bars before it, not {bars}.")


@dataclass(frozen=True, kw_only=True)
class Song:
    """A song. ``chords``: bar to what is written in it, as musicians type it (upbeat.song.chords); ``gain_db``:
    how much louder all its stems are heard than they are set; ``lead``: bars before a section that its call begins;
    ``messages``: what its devices are sent (rule S1); ``screen``: what screens for the audience show (rule B4);
    ``played``: the key and tempo that it stands in, against the recording's (rule V1)."""

    id: str
    title: str
    grid: Grid
    sections: tuple[Section, ...]
    forms: tuple[Form, ...]
    stems: tuple[Stem, ...] = ()
    click: ClickSettings = field(default_factory=ClickSettings)
    count_in: CountIn = field(default_factory=CountIn)
    crossfade_ms: float = 10.0
    ring_on_s: float = 0.0
    calls: bool = True
    key: str = ""
    chords: Mapping[int, str] = field(default_factory=dict, hash=False)
    note: str = ""
    gain_db: float = 0.0
    edges: Edges = field(default_factory=Edges)
    cues: tuple[FreeCue, ...] = ()
    lead: int = 1
    messages: tuple[Message, ...] = ()
    screen: Screen = field(default_factory=Screen)
    played: KeyTempo = field(default_factory=KeyTempo)

    def __post_init__(self) -> None:
        if not self.sections:
            raise refuse("song-no-sections", f"“{self.title}” has no bars yet: give it a tempo and a length.")
        if self.crossfade_ms not in CROSSFADE_MS:
            raise refuse("crossfade-range", f"The crossfade of “{self.title}” goes from {CROSSFADE_MS} ms.")
        if self.ring_on_s not in RING_ON_S:
            raise refuse("ring-on-range", f"The ring-on of “{self.title}” goes from {RING_ON_S} s.")
        check_lead(self.lead)
        if self.count_in.bars not in COUNT_IN_BARS:
            raise refuse("count-in-range", f"The count-in of “{self.title}” has {COUNT_IN_BARS} bars.")

    @property
    def total_bars(self) -> int:
        return sum(s.bars for s in self.sections)

    def section(self, section_id: str) -> Section:
        for s in self.sections:
            if s.id == section_id:
                return s
        raise refuse("section-unknown", f"“{self.title}” has no section {section_id}: choose one of its own.")

    def first_bar(self, section_id: str) -> int:
        """The bar, counted from 1, that a section begins at. Raises :class:`Refused` for one that is not there."""
        bar = 1
        for s in self.sections:
            if s.id == section_id:
                return bar
            bar += s.bars
        raise refuse("section-unknown", f"“{self.title}” has no section {section_id}: choose one of its own.")

    def form(self, form_id: str | None) -> Form:
        """A form by id; the full form without one. Raises :class:`Refused` for one that is not there."""
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
