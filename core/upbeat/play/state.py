"""Everything known between two spans, in three parts that do not know each other."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, NamedTuple, get_args

from upbeat.cues.place import Spoken
from upbeat.messages.held import Outgoing
from upbeat.play.events import Click
from upbeat.play.hand import Hand
from upbeat.play.line_check import LineCheck
from upbeat.play.pads import Pads
from upbeat.play.shots import Shots
from upbeat.song.forms import Ending

Status = Literal["standby", "count_in", "playing", "stopped", "finished"]
When = Literal["at_once", "next_bar", "in_2_bars", "in_4_bars", "section_end"]
WHENS: tuple[When, ...] = get_args(When)
Asked = Literal["go_to", "release", "once_more"]


@dataclass(frozen=True, kw_only=True)
class Run:
    """A pass through step ``step``: source frame ``src_start`` sounds at output frame ``out_start``.

    Every beat of a run lies where the song's own grid has it, since one pair of frames ties it to
    the output. All lengths are frames.

    ``lead``: frames that sound before ``out_start`` (a pickup). ``half``: half of the crossfade in.
    ``joined``: continues the run before without a seam. ``fresh``: begins out of silence.
    ``out_end``: set once the end is decided; ``out_half`` and ``ring``: crossfade and ring-on after it.
    ``sounds_to``: the output frame at which nothing of it sounds any more. ``fade_from``: where it fades
    away from until then, instead of a crossfade at its end.
    """

    id: int
    entry: int
    step: int
    round: int
    out_start: int
    src_start: int
    lead: int = 0
    half: int = 0
    joined: bool = False
    fresh: bool = False
    out_end: int | None = None
    out_half: int = 0
    ring: int = 0
    sounds_to: int | None = None
    fade_from: int | None = None

    def out(self, src: int) -> int:
        """The output frame of a source frame."""
        return self.out_start + src - self.src_start

    def src(self, out: int) -> int:
        """The source frame of an output frame."""
        return self.src_start + out - self.out_start


@dataclass(frozen=True, kw_only=True)
class NextUp:
    """The step that comes after this one because a press asked for it (rule J4)."""

    step: int
    when: When
    seam: int
    bar: int
    kind: Asked


@dataclass(frozen=True)
class Place:
    """Where the show was stopped, to be resumed from. ``bar`` counts from 1."""

    entry: int
    step: int
    bar: int


@dataclass(frozen=True)
class After:
    """The entry that comes after the present song by a press (rule P7). ``straight_on``: on its last bar line."""

    entry: int
    straight_on: bool = False


class HandEnding(NamedTuple):
    """An ending set on the spot for a step of an entry (rule J6)."""

    entry: int
    step: int
    ending: Ending


class Round(NamedTuple):
    """Bars ``first`` to ``last`` of an entry, counted from 1, that are played round and round in rehearsal.

    ``since``: the output frame from which on that holds.
    """

    entry: int
    first: int
    last: int
    since: int


class Tonight(NamedTuple):
    """What is other than prepared for this night. ``order``: the entries, empty as long as it is the prepared one.

    ``played``: entries that have begun, in the order they first did. ``rehearsal``: it is no show (rule P13).
    """

    endings: tuple[HandEnding, ...] = ()
    order: tuple[int, ...] = ()
    after: After | None = None
    played: tuple[int, ...] = ()
    rehearsal: bool = False


class Music(NamedTuple):
    """Where the music is. ``past``: runs that still sound; ``runs``: how many there have been.

    ``left``: the run before this one, as long as there was no silence between them. ``skipped``: the entry
    stands by because the one before it was passed over; ``ended``: the output frame at which the song
    before it was over, where it came to its end; ``begun``: the one at which the present one began.
    """

    entry: int = 0
    run: Run | None = None
    past: tuple[Run, ...] = ()
    next_up: NextUp | None = None
    place: Place | None = None
    finished: bool = False
    runs: int = 0
    left: Run | None = None
    skipped: bool = False
    ended: int | None = None
    begun: int = 0
    round: Round | None = None
    tonight: Tonight = Tonight()


class Speech(NamedTuple):
    """What is spoken and counted next. ``count_in``: clicks of a count-in still to come.

    ``asked``: words asked for on the spot that have no free beat yet.
    """

    words: tuple[Spoken, ...] = ()
    count_in: tuple[Click, ...] = ()
    asked: tuple[str, ...] = ()


class Silence(NamedTuple):
    """Click and cues fade out over ``fade`` frames from output frame ``frame`` on."""

    frame: int
    fade: int


class Ringing(NamedTuple):
    """A note of a device that sounds until output frame ``off``."""

    device: str
    channel: int
    note: int
    off: int


class Stepped(NamedTuple):
    """The program of a device by hand: place ``at``, from 0, of those of song entry ``entry``."""

    device: str
    entry: int
    at: int


class Messages(NamedTuple):
    """``runs``: how many runs have had their devices brought to where they begin; ``ringing``: notes that sound.

    ``zero``: the output frame of bar 1, had what plays been played without a jump: of timecode that runs on.
    ``asked``: what a press sends on the next frame; ``by_hand``: what was sent so, holds, and the song has not set since;
    ``stepped``: the programs that were stepped to. ``last``: what was sent last of everything that holds; ``before``: as it was
    when the song of entry ``song`` (its id) began.
    """

    runs: int = 0
    ringing: tuple[Ringing, ...] = ()
    zero: int = 0
    asked: tuple[Outgoing, ...] = ()
    by_hand: tuple[Outgoing, ...] = ()
    stepped: tuple[Stepped, ...] = ()
    last: tuple[Outgoing, ...] = ()
    before: tuple[Outgoing, ...] = ()
    song: str = ""


class State(NamedTuple):
    """A state of the transport. ``silence``: how click and cues end at a stop; ``shots``: sounds by hand; ``pads``: those between songs;
    ``line``: the line check; ``messages``: what devices have been sent.
    """

    head: int = 0
    music: Music = Music()
    speech: Speech = Speech()
    hand: Hand = Hand()
    silence: Silence | None = None
    shots: Shots = ()
    pads: Pads = ()
    line: LineCheck = LineCheck()
    messages: Messages = Messages()

    @property
    def status(self) -> Status:
        music = self.music
        if music.run is not None:
            return "count_in" if self.head < music.run.out_start else "playing"
        if music.place is not None:
            return "stopped"
        return "finished" if music.finished else "standby"

    @property
    def silent(self) -> bool:
        """Whether nothing sounds and nothing will without a press."""
        return self.music.run is None and not self.music.past


def standing_by(entry: int = 0, hand: Hand | None = None, tonight: Tonight | None = None) -> State:
    """A state in which an entry stands by."""
    return State(music=Music(entry=entry, tonight=tonight or Tonight()), hand=(hand or Hand()).settled)


def stopped_at(place: Place, hand: Hand | None = None, tonight: Tonight | None = None) -> State:
    """A state that was stopped at a place, ready to resume."""
    music = Music(entry=place.entry, place=place, tonight=tonight or Tonight())
    return State(music=music, hand=(hand or Hand()).settled)
