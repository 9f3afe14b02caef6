"""A song as it is written: sections, forms, endings, stems. Plain data, checked when made."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Literal

from upbeat.errors import refuse
from upbeat.time.grid import Grid

EndingKind = Literal["attacca", "repeat", "vamp", "fine", "cut"]
ENDINGS: tuple[EndingKind, ...] = ("attacca", "repeat", "vamp", "fine", "cut")
Purpose = Literal["always", "covers", "rehearsal", "full_mix", "pad"]
PURPOSES: tuple[Purpose, ...] = ("always", "covers", "rehearsal", "full_mix", "pad")
GROUPS = ("rhythm", "tonal", "voices", "effects", "click", "cues", "full_mix")
MAX_SECTIONS = 1000
MAX_BARS = 20_000


@dataclass(frozen=True)
class Ending:
    """What happens where a step ends (rule F3). ``times``: plays in all, for ``repeat``."""

    kind: EndingKind = "attacca"
    times: int = 1

    def __post_init__(self) -> None:
        if self.kind not in ENDINGS:
            raise refuse("ending-unknown", f"“{self.kind}” is not an ending: choose attacca, repeat, vamp, fine or cut.")
        if self.kind == "repeat" and not 2 <= self.times <= 99:
            raise refuse("ending-times", f"A repeat plays 2 to 99 times in all, not {self.times}.")


@dataclass(frozen=True)
class Section:
    """A named span of whole bars. ``cue``: what is spoken for it, the name if empty."""

    id: str
    name: str
    bars: int
    mark: str = ""
    colour: int = 1
    cue: str = ""

    def __post_init__(self) -> None:
        if self.bars < 1:
            raise refuse("section-empty", f"The section “{self.name}” has no bars: give it at least one.")

    @property
    def spoken(self) -> str:
        return self.cue or self.name


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

    ``flip_side`` turns the right side over, ``mono`` plays the mean of the sides. Of the file,
    ``start_s`` to ``end_s`` (None: its end) sounds, faded over ``fade_in_s`` and ``fade_out_s``.
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

    def __post_init__(self) -> None:
        if self.end_s is not None and self.end_s <= self.start_s:
            raise refuse("trim-empty", f"“{self.name}” would end at {self.end_s:g} s, before it starts: end it later.")


@dataclass(frozen=True)
class ClickSettings:
    """The four voices of the click by sound name, and its level."""

    accent: str = "wood"
    beat: str = "rim"
    division: str = "shaker"
    count_in: str = "wood"
    gain_db: float = -6.0
    divisions: int = 1


@dataclass(frozen=True)
class CountIn:
    """``bars`` of click before the start; ``aloud``: the last of them is counted by the cue voice."""

    bars: int = 2
    aloud: bool = True


@dataclass(frozen=True)
class Song:
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
    extra: dict = field(default_factory=dict, compare=False, hash=False)

    def __post_init__(self) -> None:
        if not self.sections:
            raise refuse("song-no-sections", f"“{self.title}” has no bars yet: give it a tempo and a length.")
        if not 0 <= self.crossfade_ms <= 80:
            raise refuse("crossfade-range", f"The crossfade of “{self.title}” goes from 0 to 80 ms.")
        if not 0 <= self.ring_on_s <= 2:
            raise refuse("ring-on-range", f"The ring-on of “{self.title}” goes from 0 to 2 s.")
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


def rehearsal_mark(index: int) -> str:
    """A, B … Z, AA, BB … as scores letter them."""
    letter, times = chr(ord("A") + index % 26), index // 26 + 1
    return letter * times


@dataclass(frozen=True)
class BarSpan:
    """Bars ``first`` to ``last``, both included, counted from 1."""

    first: int
    last: int


def mark_section(sections: tuple[Section, ...], span: BarSpan, name: str, new_ids: Iterable[str]) -> tuple[Section, ...]:
    """Make ``span`` one section; what it cuts through keeps its other bars.

    Neighbours give way (rule F1): the sections still cover the song without gaps. A section
    that is covered whole goes; one that is cut in two keeps its id on the left side and takes
    one from ``new_ids`` on the right. Rehearsal marks are set in order again.
    """
    total = sum(s.bars for s in sections)
    if not 1 <= span.first <= span.last <= total:
        raise refuse("section-span", f"Bars {span.first} to {span.last} do not lie in the song, which has bars 1 to {total}.")
    ids = iter(new_ids)
    kept: list[Section] = []
    start, placed = 1, False
    for s in sections:
        end = start + s.bars - 1
        before = min(end, span.first - 1) - start + 1
        after = end - max(start, span.last + 1) + 1
        if before > 0:
            kept.append(replace(s, bars=before))
        if not placed and end >= span.first:
            kept.append(Section(next(ids), name, span.last - span.first + 1, colour=(len(kept) % 6) + 1))
            placed = True
        if after > 0:
            kept.append(replace(s, bars=after, id=next(ids) if before > 0 else s.id))
        start = end + 1
    return remarked(tuple(kept))


def move_boundary(sections: tuple[Section, ...], section_id: str, first_bar: int) -> tuple[Section, ...]:
    """Move where a section starts; the one before gives or takes the bars (rule F1)."""
    index = next((i for i, s in enumerate(sections) if s.id == section_id), None)
    if index is None:
        raise refuse("section-unknown", "That section is no longer there: reload the song.")
    if index == 0:
        raise refuse("section-first", "The first section starts at bar 1: move its end instead.")
    before = 1 + sum(s.bars for s in sections[: index - 1])
    end = before + sections[index - 1].bars + sections[index].bars
    if not before < first_bar < end:
        raise refuse("boundary-past-neighbour", f"“{sections[index].name}” can start at bars {before + 1} to {end - 1}: both sections keep at least one bar.")
    changed = list(sections)
    changed[index - 1] = replace(changed[index - 1], bars=first_bar - before)
    changed[index] = replace(changed[index], bars=end - first_bar)
    return tuple(changed)


def resize(sections: tuple[Section, ...], section_id: str, bars: int) -> tuple[Section, ...]:
    """Give a section so many bars; the next one gives or takes them, after the last the song does."""
    index = next((i for i, s in enumerate(sections) if s.id == section_id), None)
    if index is None:
        raise refuse("section-unknown", "That section is no longer there: reload the song.")
    if bars < 1:
        raise refuse("section-empty", f"The section “{sections[index].name}” cannot have {bars} bars: give it at least one.")
    before = sum(s.bars for s in sections[:index])
    if index + 1 == len(sections):
        return fit_to_bars(sections, before + bars)
    return move_boundary(sections, sections[index + 1].id, before + bars + 1)


def join_with_next(sections: tuple[Section, ...], section_id: str) -> tuple[Section, ...]:
    """Two neighbours become one, under the name of the first."""
    for i, s in enumerate(sections[:-1]):
        if s.id == section_id:
            joined = replace(s, bars=s.bars + sections[i + 1].bars)
            return remarked((*sections[:i], joined, *sections[i + 2 :]))
    raise refuse("section-last", "There is no section after this one to join it with.")


def fit_to_bars(sections: tuple[Section, ...], bars: int) -> tuple[Section, ...]:
    """Stretch or shorten the last sections so that the song has ``bars`` bars."""
    if bars < 1 or bars > MAX_BARS:
        raise refuse("song-length", f"A song has 1 to {MAX_BARS} bars, not {bars}.")
    kept: list[Section] = []
    left = bars
    for s in sections:
        if left < 1:
            break
        kept.append(replace(s, bars=min(s.bars, left)))
        left -= kept[-1].bars
    if left > 0:
        kept[-1] = replace(kept[-1], bars=kept[-1].bars + left)
    return remarked(tuple(kept))


def remarked(sections: tuple[Section, ...]) -> tuple[Section, ...]:
    """Rehearsal marks A, B, C … in order."""
    if len(sections) > MAX_SECTIONS:
        raise refuse("sections-many", f"A song has at most {MAX_SECTIONS} sections.")
    return tuple(replace(s, mark=rehearsal_mark(i)) for i, s in enumerate(sections))


@dataclass(frozen=True)
class Length:
    """How long a form lasts: bars and seconds of one pass (a vamp counts once)."""

    bars: int
    seconds: Fraction


def form_length(song: Song, form: Form) -> Length:
    """Bars and seconds of a form, repeats included, a vamp counted once."""
    bars, seconds = 0, Fraction(0)
    for step in form.steps:
        if step.ending.kind == "cut":
            continue
        first = song.first_bar(step.section)
        count = song.section(step.section).bars
        times = step.ending.times if step.ending.kind == "repeat" else 1
        bars += times * count
        seconds += times * (song.grid.bar_seconds(first + count) - song.grid.bar_seconds(first))
        if step.ending.kind == "fine":
            break
    return Length(bars, seconds)
