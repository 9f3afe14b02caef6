"""The arguments of every edit, by name: checked once as they come in, and described in the API's document.

Fields that are not required may be left out; numbers may be written as text. Ranges are checked by
the core where an edit is applied.
"""

from __future__ import annotations

from typing import Annotated, NotRequired, TypedDict

import msgspec

from upbeat.limits import (
    BARS,
    CELL_FADE_BEATS,
    CELL_LEVEL_DB,
    CLICK_GAIN_DB,
    COLOURS,
    COUNT_IN_BARS,
    CROSSFADE_MS,
    DIVISIONS,
    EDGE_FADE_S,
    FEED_GAIN_DB,
    HOLD_S,
    LEAD_BARS,
    REPEATS,
    RING_ON_S,
    STEM_DELAY_MS,
    STEM_FADE_S,
    STEM_GAIN_DB,
    STEM_PAN,
    STEM_TIME_S,
    STEM_WIDTH,
    TEMPO_FACTOR,
    TRANSPOSE,
    Range,
)
from upbeat.messages.kinds import Message
from upbeat.show.to_do import Seen
from upbeat.song.forms import EndingKind
from upbeat.song.screen import Screen
from upbeat.song.treatment import Treatment

Bpm = str | int | float


def within(allowed: Range) -> msgspec.Meta:
    """The range of a number in the API's document; the core refuses what lies outside in a sentence."""
    return msgspec.Meta(extra_json_schema=allowed.json_schema)


class NoArguments(TypedDict):
    pass


class MarkSection(TypedDict):
    """Bars ``first`` to ``last`` become one section; ``ids``: what the page calls the new ones."""

    first: int
    last: int
    name: NotRequired[str | None]
    ids: NotRequired[list[str | int] | None]


class SplitSection(TypedDict):
    """``phase``: how far into ``bar``, 0 to 1; the nearest bar line is taken."""

    bar: int
    phase: NotRequired[float]
    name: NotRequired[str | None]


class RenameSection(TypedDict):
    """``lead``: bars that its call begins before it; null: as the song says."""

    section: str
    name: NotRequired[str]
    cue: NotRequired[str]
    colour: NotRequired[Annotated[int, within(COLOURS)]]
    locked: NotRequired[bool]
    called: NotRequired[bool]
    lead: NotRequired[int | str | None]
    words: NotRequired[str]
    note: NotRequired[str]


class MoveBoundary(TypedDict):
    section: str
    first: int


class ResizeSection(TypedDict):
    section: str
    bars: Annotated[int, within(BARS)]


class OneSection(TypedDict):
    section: str


class SetEnding(TypedDict):
    section: str
    kind: EndingKind
    times: NotRequired[Annotated[int, within(REPEATS)]]


class SetLength(TypedDict):
    bars: Annotated[int, within(BARS)]


class SectionStart(TypedDict):
    bar: int
    name: str


class SetSections(TypedDict):
    sections: list[SectionStart]


class EndingArguments(TypedDict):
    kind: NotRequired[EndingKind]
    times: NotRequired[Annotated[int, within(REPEATS)]]


class StepArguments(TypedDict):
    """``first``: the bar of the section it begins at, from 1; ``bars``: how many it plays, null for the rest."""

    section: str
    first: NotRequired[Annotated[int, within(BARS)]]
    bars: NotRequired[Annotated[int, within(BARS)] | None]
    ending: NotRequired[EndingArguments]
    cue: NotRequired[str | None]
    tacet: NotRequired[list[str] | None]


class SetForm(TypedDict):
    """Without ``form`` a new form is made."""

    form: NotRequired[str | None]
    name: NotRequired[str | None]
    steps: NotRequired[list[StepArguments]]


class RemoveForm(TypedDict):
    form: str


class CellChange(TypedDict):
    """``by_db`` is added to the level that is there."""

    tacet: NotRequired[bool]
    level_db: NotRequired[Annotated[float, within(CELL_LEVEL_DB)]]
    by_db: NotRequired[float]
    fade_beats: NotRequired[Annotated[int, within(CELL_FADE_BEATS)]]


class Cell(CellChange):
    stem: str
    section: str


class SetCells(CellChange):
    """Each of ``stems`` in each of ``sections``, or every one of ``cells`` by itself."""

    cells: NotRequired[list[Cell] | None]
    stems: NotRequired[list[str]]
    sections: NotRequired[list[str]]


class SetLevel(TypedDict):
    """``gain_db`` null takes a line-up's own level out."""

    gain_db: float | None
    line_up: NotRequired[str | None]


class SetEdges(TypedDict):
    start_s: NotRequired[float | None]
    fade_in_s: NotRequired[Annotated[float, within(EDGE_FADE_S)]]
    end_bar: NotRequired[int | None]
    fade_out_s: NotRequired[Annotated[float, within(EDGE_FADE_S)]]
    hold_s: NotRequired[Annotated[float, within(HOLD_S)]]


TakeSettings = TypedDict("TakeSettings", {"from": str})


class StemFeed(TypedDict):
    feed: str
    gain_db: NotRequired[Annotated[float, within(FEED_GAIN_DB)]]


class StemSettings(TypedDict):
    """``covers``: a player, null for none. ``feeds``: where it goes in place of its group's feeds, null with its group."""

    name: NotRequired[str]
    group: NotRequired[str]
    purpose: NotRequired[str]
    covers: NotRequired[str | list[str] | None]
    gain_db: NotRequired[Annotated[float, within(STEM_GAIN_DB)]]
    pan: NotRequired[Annotated[float, within(STEM_PAN)]]
    delay_ms: NotRequired[Annotated[float, within(STEM_DELAY_MS)]]
    start_s: NotRequired[Annotated[float, within(STEM_TIME_S)]]
    end_s: NotRequired[float | None]
    fade_in_s: NotRequired[Annotated[float, within(STEM_FADE_S)]]
    fade_out_s: NotRequired[Annotated[float, within(STEM_FADE_S)]]
    width: NotRequired[Annotated[float, within(STEM_WIDTH)]]
    muted: NotRequired[bool]
    invert: NotRequired[bool]
    flip_side: NotRequired[bool]
    mono: NotRequired[bool]
    keeps_pitch: NotRequired[bool]
    tacet: NotRequired[list[str]]
    feeds: NotRequired[list[StemFeed] | None]


class SetStem(StemSettings):
    stem: str


class SetTreatment(TypedDict):
    """What stems go through: as a whole, or in ``sections`` (by their ids). Null: nothing, or as the stem does."""

    stems: list[str]
    treatment: Treatment | None
    sections: NotRequired[list[str]]


class OneStem(TypedDict):
    stem: str


class OneFinding(TypedDict):
    stem: str
    code: str


class AcceptFinding(OneFinding):
    accepted: NotRequired[bool]


class SetTempo(TypedDict):
    """An empty ``bpm`` takes a change out."""

    bpm: NotRequired[Bpm | None]
    bar: NotRequired[int]
    unit: NotRequired[str | int | float | None]
    ramp: NotRequired[bool | None]


class ScaleTempo(TypedDict):
    by: Annotated[float, within(TEMPO_FACTOR)]


class SetMeter(TypedDict):
    """An empty ``meter`` takes a change out; ``7/8 2+2+3`` names its grouping."""

    meter: NotRequired[str | None]
    bar: NotRequired[int]
    grouping: NotRequired[str | list[int] | None]


class SetBar1(TypedDict):
    """One of: ``seconds``, or how far to move it, in ms or felt beats."""

    seconds: NotRequired[float]
    by_ms: NotRequired[float]
    by_beats: NotRequired[float]


class TakeGrid(TypedDict):
    """``even``: 0 follows every bar, 1 evens the tempo out."""

    measurement: int
    how: str
    even: NotRequired[float]


class PinBar(TypedDict):
    """Without ``seconds`` the pin is taken out."""

    bar: int
    seconds: NotRequired[float | None]
    measurement: NotRequired[int | None]
    even: NotRequired[float]


class ClickArguments(TypedDict):
    accent: NotRequired[str]
    beat: NotRequired[str]
    division: NotRequired[str]
    count_in: NotRequired[str]
    gain_db: NotRequired[Annotated[float, within(CLICK_GAIN_DB)]]
    divisions: NotRequired[Annotated[int, within(DIVISIONS)]]
    pitches: NotRequired[dict[str, float]]
    levels: NotRequired[dict[str, float]]
    patterns: NotRequired[dict[str, str]]
    parts: NotRequired[dict[str, int]]
    silent: NotRequired[list[str]]
    from_bar: NotRequired[int]
    to_bar: NotRequired[int | None]


class SetPlayed(TypedDict):
    """``tempo``: typed, as ``92 %`` or in beats a minute; empty as recorded. Without one of them it stays."""

    semitones: NotRequired[int]
    tempo: NotRequired[str]


class SetFacts(TypedDict):
    title: NotRequired[str]
    key: NotRequired[str]
    note: NotRequired[str]
    pickup: NotRequired[str | int | float]
    count_in_bars: NotRequired[Annotated[int, within(COUNT_IN_BARS)]]
    count_in_aloud: NotRequired[bool]
    count_in_sticks: NotRequired[bool]
    calls: NotRequired[bool]
    lead: NotRequired[Annotated[int, within(LEAD_BARS)]]
    crossfade_ms: NotRequired[Annotated[float, within(CROSSFADE_MS)]]
    ring_on_s: NotRequired[Annotated[float, within(RING_ON_S)]]
    click: NotRequired[ClickArguments]


class TakeOffer(TypedDict):
    offer: str


class SetChords(TypedDict):
    """Chords from bar ``first`` on; with ``last`` and ``fill`` repeated until there."""

    first: int
    text: str
    last: NotRequired[int | None]
    fill: NotRequired[bool]


class SetCue(TypedDict):
    """An empty ``text`` takes the cue out."""

    bar: int
    text: str
    beat: NotRequired[int]


class SetMessage(TypedDict):
    """``message``: new, or in place of the one of its id."""

    message: Message


class RemoveMessages(TypedDict):
    messages: list[str]


class CopyMessages(TypedDict):
    """Those of ``section`` to each section of ``to``."""

    section: str
    to: list[str]


class SetScreen(TypedDict):
    """``screen``: what screens for the audience show, all of it."""

    screen: Screen


class DoneMark(TypedDict):
    """``mark``: its id."""

    mark: Annotated[str, msgspec.Meta(max_length=140)]


class SetSeen(TypedDict):
    """``what``: was looked at, and is right as it is; not any more, with ``seen`` false."""

    what: Seen
    seen: NotRequired[bool]


class CopyChords(TypedDict):
    section: str
    to: str
    move: NotRequired[bool]


class Transpose(TypedDict):
    semitones: Annotated[int, within(TRANSPOSE)]


class ReadChordpro(TypedDict):
    text: str
