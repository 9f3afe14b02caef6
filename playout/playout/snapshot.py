"""The state of the engine as it is published; the pages' types are generated from these."""

from __future__ import annotations

import time
from collections.abc import Sequence
from datetime import datetime
from typing import Any, Literal, NamedTuple, NotRequired, TypedDict, TypeVar, cast

import msgspec

from playout.load import Load
from playout.session import ProblemDict, Session
from upbeat.errors import Problem
from upbeat.mix.sounding import StemNow, away_now
from upbeat.mix.sources.stems import StemPeaks
from upbeat.play.devices import DeviceAhead, devices_ahead
from upbeat.play.events import Event
from upbeat.play.line_check import LineCheckNow, line_check_now
from upbeat.play.state import State, Status, When
from upbeat.play.view import (
    Coming,
    LevelToKeep,
    PartNow,
    Position,
    TonightNow,
    levels_to_keep,
    parts_now,
    position,
    still_coming,
    tonight_now,
)
from upbeat.show.left import ShorterForm
from upbeat.show.slot import spare_s

T = TypeVar("T")


class LoadAnswer(TypedDict):
    show: str | None
    generation: int
    ok: bool
    problems: NotRequired[list[ProblemDict]]


class PressAnswer(TypedDict):
    """What came of a press: where it will happen, or why it was not taken."""

    press: str
    accepted: bool
    code: str
    message: str
    frame: int | None
    bar: int | None
    late: bool


class LastPress(PressAnswer):
    """The last press, the output frame it was applied at, and who or what pressed."""

    by: str
    args: dict[str, int | float | bool | str]
    at: int


class DeviceState(TypedDict):
    """``device``: what is fed, with ``channels`` outputs, ``block`` frames at a time, ``buffer`` blocks of 256 waiting;
    ``device_there``: it takes sound; ``device_problem``: why not, in a sentence. ``latency_ms``: from what is
    given to the device until it is heard, as it reports it. ``peak``, ``rms``: factors of full scale.

    ``ring_ms``: sound that is rendered and not given to the device; ``renderers``: how many are alive.
    ``unwritten``: the night log cannot be written; ``faults``: spans that could not be rendered.
    """

    show: str | None
    band: str
    loading: str | None
    load_answer: LoadAnswer | None
    device: str
    block: int
    buffer: int
    channels: int
    dropouts: int
    latency_ms: float
    recording: bool
    ring_ms: int
    renderers: int
    unwritten: bool
    faults: int
    device_there: bool
    device_problem: str
    load: Load | None
    last_press: LastPress | None
    peak: NotRequired[list[float]]
    rms: NotRequired[list[float]]


class EmptyState(DeviceState):
    """No show is loaded."""

    status: Literal["empty"]


class StillState(TypedDict):
    """What changes by presses and at seams only."""

    entry: int
    house_pulled: bool
    fallback: bool
    tones_off: bool
    away: list[str]
    taps: list[str]
    stems: list[StemNow]
    parts: list[PartNow]
    alone_in_house: bool
    line_check: LineCheckNow | None
    ringing: list[str]
    pad: bool
    unheard: list[int]
    tonight: TonightNow
    to_keep: list[LevelToKeep]


class EngineState(DeviceState, StillState):
    """A show is loaded. ``head``: next frame to be rendered; ``heard``: the one that is audible at ``heard_at``, in seconds
    of the machine's monotonic clock.

    ``unavailable``: presses that cannot be taken now, with the reason. ``unreadable``: stems (by name) of
    which something could not be read, and is silent. ``unheard``: sockets that carry something and that the
    device does not have. ``ringing``: sounds by hand (by id) that ring or wait. ``pad``: one sounds between two songs. ``stem_peak``: of every stem of the present entry, ``guide_peak``: of click and cues. ``away``: players that are not on. ``left_s``: seconds until the show is over, if every go comes at once, ``spare_s`` of its slot are left then;
    ``to_keep``: levels by hand that songs could keep; ``line_check``: None where it is off;
    ``devices``: what each is sent next; ``shorter``: forms that would save some of them. ``elapsed_s``: since the song that plays began.
    """

    status: Status
    loads: int
    head: int
    heard: int
    heard_at: float
    position: Position
    coming: Coming | None
    landings: dict[When, int]
    sample_rate: int
    stem_peak: list[float]
    guide_peak: list[float]
    unavailable: dict[str, ProblemDict]
    unreadable: list[str]
    left_s: float
    spare_s: float | None
    devices: list[DeviceAhead]
    shorter: list[ShorterForm]
    elapsed_s: float


class Sounding(NamedTuple):
    """What sounds at a moment: how loud the stems are, and clicks and words."""

    stems: Sequence[StemPeaks] = ()
    events: Sequence[Event] = ()


def empty_state(device: DeviceState) -> EmptyState:
    return {**device, "status": "empty"}


def engine_state(
    device: DeviceState,
    session: Session,
    state: State,
    loads: int,
    heard: int,
    sounding: Sounding,
) -> EngineState:
    """The state as it is heard at frame ``heard`` of the session; ``state``: the one that a press would find.

    ``sounding``: what sounds there.
    """
    plan = session.ready.plan
    heard = max(0, min(heard, state.head))
    at = position(plan, state, heard)
    left_s = session.left_s(state)
    slot = session.ready.show.slot
    spare = None if slot is None else spare_s(slot, datetime.now(), left_s)
    unavailable, following = session.choices(state)
    stem_peak, guide_peak = session.peaks(state, heard, *sounding)
    return {
        **device,
        **_still(session, state, at, device["channels"]),
        "status": state.status,
        "loads": loads,
        "head": state.head,
        "heard": heard,
        "heard_at": round(time.monotonic(), 4),
        "position": at,
        "coming": still_coming(plan, state, heard) or following,
        "landings": session.landings(state),
        "sample_rate": plan.sample_rate,
        "stem_peak": stem_peak,
        "guide_peak": guide_peak,
        "unreadable": session.unreadable(),
        "shorter": session.shorter(state),
        "elapsed_s": _elapsed_s(state, heard, plan.sample_rate),
        "left_s": left_s,
        "spare_s": None if spare is None else round(spare),
        "devices": devices_ahead(plan, state, heard),
        "unavailable": session.known(lambda: _encoded(unavailable), (unavailable,), "unavailable"),
    }


def _still(session: Session, state: State, at: Position, outputs: int) -> StillState:
    """The part of a state that is worked out anew, and encoded, only where something that it shows has changed."""
    shown = at["entry"] if state.status != "standby" else state.music.entry
    key = state.music, state.hand, state.shots, state.pads, state.line, at["entry"], at["step"], session.taps, outputs
    return session.known(lambda: _all_encoded(_still_now(session, state, at, shown, outputs)), key, "still")


def _all_encoded(still: StillState) -> StillState:
    return cast(StillState, {name: _encoded(value) for name, value in still.items()})


def _encoded(value: T) -> T:
    """The same, encoded already: it seldom changes, and is published twenty times a second."""
    return cast(T, msgspec.Raw(msgspec.json.encode(value)))


def _still_now(session: Session, state: State, at: Position, shown: int, outputs: int) -> StillState:
    plan, show = session.ready.plan, session.ready.show
    return {
        "entry": state.music.entry,
        "house_pulled": state.hand.house_pulled,
        "fallback": state.hand.fallback,
        "tones_off": state.hand.tones_off,
        "away": sorted(away_now(show.away, state.hand, plan.entries[shown])),
        "taps": list(session.taps),
        "stems": session.stems_now(at["entry"], at["step"], state.hand),
        "parts": parts_now(plan, state),
        "alone_in_house": state.hand.alone_in_house,
        "line_check": line_check_now(state.line, plan.sockets, plan.sample_rate),
        "ringing": sorted({plan.hand_sounds[s.sound].of or s.sound for s in state.shots if not s.fade}),
        "pad": bool(state.pads),
        "unheard": session.unheard(outputs),
        "tonight": tonight_now(plan, state.music, shown),
        "to_keep": levels_to_keep(plan, state.hand),
    }


def _elapsed_s(state: State, heard: int, sample_rate: int) -> float:
    """Since the song that plays began, or went on after a stop."""
    if state.music.run is None:
        return 0.0
    return round(max(0, heard - state.music.begun) / sample_rate, 1)


def _problem(problem: Problem) -> ProblemDict:
    return {"code": problem.code, "message": problem.message}


def refused(*problems: Problem) -> dict[str, Any]:
    """The answer to a command that was not taken."""
    return {"ok": False, "problems": [_problem(p) for p in problems]}
