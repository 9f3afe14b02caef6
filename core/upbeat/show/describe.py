"""A ready show in words and numbers, for whoever draws it: what will be played, in what order."""

from __future__ import annotations

from fractions import Fraction
from typing import Literal, TypedDict

from upbeat.messages.kinds import DeviceKind
from upbeat.mix.routing import Routing
from upbeat.play.hand import through
from upbeat.play.plan import EntryPlan, LinkKind, StepPlan
from upbeat.show.on_screen import EntryOnScreen, on_screen
from upbeat.show.ready import ReadyShow
from upbeat.song.forms import EndingKind
from upbeat.song.hand_sounds import Again
from upbeat.song.lines import without_places


class EndingDescription(TypedDict):
    kind: EndingKind
    times: int


class ChordsDescription(TypedDict):
    """What is written in a bar, as musicians type it."""

    bar: int
    text: str


class StepDescription(TypedDict):
    """A step with its section's words (with chords in brackets) and note."""

    step: int
    section: str
    name: str
    mark: str
    colour: int
    first_bar: int
    bars: int
    ending: EndingDescription
    meter: str
    grouping: list[int]
    words: str
    note: str


class LinkDescription(TypedDict):
    kind: LinkKind
    seconds: float


class StemDescription(TypedDict):
    """A stem; whether it sounds in a section is in the engine's state. ``through``: what can be set by hand of what it goes through (``upbeat.play.hand``)."""

    id: str
    name: str
    purpose: str
    covers: str | None
    gain_db: float
    through: list[str]


class EntryDescription(TypedDict):
    """``bpm`` counts beats of ``unit`` quarter notes; ``fallback``: there is a full mix. ``of``: the entry it is another form of.

    ``kept``: it sounds on as it was before changes were taken in; ``of`` is what it is now. ``percent``: of its tempo, for
    rehearsal where it is less than 100.
    """

    id: str
    song: str
    title: str
    form: str
    key: str
    bpm: float
    unit: str
    meter: str
    seconds: float
    bars: int
    link: LinkDescription
    fallback: bool
    stems: list[StemDescription]
    steps: list[StepDescription]
    screen: EntryOnScreen
    chords: list[ChordsDescription]
    of: int | None
    kept: bool
    percent: int


class CarriedDescription(TypedDict):
    feed: str
    name: str
    kind: Literal["house", "monitor"]
    side: Literal["left", "right", "mono"]


class SocketDescription(TypedDict):
    number: int
    label: str
    printed: str
    desk: str
    headphones: bool
    use: Literal["free", "kept"]
    carries: list[CarriedDescription]


class FeedDescription(TypedDict):
    """``player``: whose mix it is, by their id; ``tone``: whether it has one."""

    id: str
    name: str
    kind: Literal["house", "monitor"]
    channels: int
    player: str | None
    tone: bool


class HandSoundDescription(TypedDict):
    """``song``: of one song, None for the band's; ``again``: what firing it once more does while it rings."""

    id: str
    name: str
    song: str | None
    again: Again
    only: str


class SlotDescription(TypedDict):
    """When the show begins (``20:15``, none where it is not known), and the minutes it may last."""

    starts_at: str | None
    minutes: int


class IntervalDescription(TypedDict):
    """An interval behind so many entries of the order."""

    after: int
    minutes: int


class NamedDescription(TypedDict):
    """A message that a device has by a name."""

    id: str
    name: str


class DeviceDescription(TypedDict):
    """A receiver of messages: a MIDI port and channel, or an OSC host and UDP port. ``lead_ms``: as :class:`Device` has it.

    ``messages``: those that it has by a name.
    """

    id: str
    name: str
    kind: DeviceKind
    port: str
    channel: int
    host: str
    udp_port: int | None
    lead_ms: float
    messages: list[NamedDescription]


class ShowDescription(TypedDict):
    title: str
    intervals: list[IntervalDescription]
    slot: SlotDescription | None
    sample_rate: int
    entries: list[EntryDescription]
    sockets: list[SocketDescription]
    feeds: list[FeedDescription]
    away: list[str]
    palette: list[str]
    hand_sounds: list[HandSoundDescription]
    devices: list[DeviceDescription]


def describe(ready: ReadyShow) -> ShowDescription:
    """A show as it was loaded, whatever was edited since: it is taken from the plan that plays."""
    show = ready.show
    feeds = [
        FeedDescription(
            id=f.id, name=f.name, kind=f.kind, channels=f.channels, player=f.player, tone=f.tone is not None
        )
        for f in show.routing.feeds
    ]
    return ShowDescription(
        title=show.title,
        slot=None if show.slot is None else SlotDescription(starts_at=show.slot.starts_at, minutes=show.slot.minutes),
        intervals=[IntervalDescription(after=a, minutes=m) for a, m in sorted(show.intervals.items())],
        sample_rate=show.sample_rate,
        entries=[_entry(plan, show.sample_rate) for plan in ready.plan.entries],
        sockets=_sockets(show.routing),
        feeds=feeds,
        away=sorted(show.away),
        palette=list(show.palette),
        hand_sounds=[
            HandSoundDescription(id=s.id, name=s.name, song=s.song, again=s.again, only=s.only)
            for s in show.hand_sounds
        ],
        devices=[
            DeviceDescription(
                id=d.id,
                name=d.name,
                kind=d.kind,
                port=d.port,
                channel=d.channel,
                host=d.host,
                udp_port=d.udp_port,
                lead_ms=d.lead_ms,
                messages=[NamedDescription(id=m.id, name=m.name) for m in d.messages],
            )
            for d in show.devices
            if d.socket is None  # one of sound needs no port
        ],
    )


def _entry(plan: EntryPlan, sample_rate: int) -> EntryDescription:
    song, unit = plan.song, _tempo_unit(plan)
    stems = [
        StemDescription(
            id=s.id, name=s.name, purpose=s.purpose, covers=s.covers, gain_db=s.gain_db, through=list(through(s))
        )
        for s in song.stems
    ]
    return EntryDescription(
        id=plan.id,
        song=song.id,
        title=plan.title,
        form=plan.form,
        key=song.key,
        bpm=round(plan.bpm[0] / float(unit), 4),
        unit=str(unit),
        meter=plan.meters[0],
        seconds=round(plan.lasting / sample_rate, 3),
        bars=plan.bars,
        link=LinkDescription(kind=plan.link.kind, seconds=plan.link.seconds),
        of=plan.of,
        kept=plan.kept,
        percent=plan.percent,
        fallback=any(s.purpose == "full_mix" for s in song.stems),
        stems=stems,
        chords=[ChordsDescription(bar=bar, text=text) for bar, text in sorted(song.chords.items())],
        steps=[_step(i, s, plan) for i, s in enumerate(plan.steps)],
        screen=on_screen(plan, sample_rate),
    )


def _step(index: int, step: StepPlan, plan: EntryPlan) -> StepDescription:
    section = next((s for s in plan.song.sections if s.id == step.section), None)
    return StepDescription(
        step=index,
        section=step.section,
        name=step.name,
        mark=step.mark,
        colour=step.colour,
        first_bar=step.first_bar,
        bars=step.bars,
        ending=EndingDescription(kind=step.ending.kind, times=step.ending.times),
        meter=plan.meters[step.first_bar - 1],
        grouping=list(plan.groupings[step.first_bar - 1]),
        words=without_places(section.words) if section else "",
        note=section.note if section else "",
    )


def _tempo_unit(plan: EntryPlan) -> Fraction:
    """Length of the beat the song's tempo is written in, in quarter notes."""
    return plan.song.grid.tempo.points[0].unit


def _sockets(routing: Routing) -> list[SocketDescription]:
    feeds = {f.id: f for f in routing.feeds}
    sockets = []
    for socket in routing.sockets:
        carried = [(feeds[p.feed], p.side) for p in routing.patches if p.socket == socket.number and p.feed in feeds]
        carries = [CarriedDescription(feed=f.id, name=f.name, kind=f.kind, side=side) for f, side in carried]
        sockets.append(
            SocketDescription(
                number=socket.number,
                label=socket.label,
                printed=socket.printed,
                desk=socket.desk,
                headphones=socket.headphones,
                use=socket.use,
                carries=carries,
            )
        )
    return sockets
