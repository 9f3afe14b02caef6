"""What the stage's pages get, as types for the API's document."""

from __future__ import annotations

from typing import Any, Literal, NotRequired, TypedDict

from api.typed import component, tagged
from playout.ports.lane import DeviceNow
from playout.ports.stand_ins import StandInNow
from playout.ports.told import HandsNow, Shown
from playout.session import ProblemDict
from playout.snapshot import EngineState
from stage.joining import JoiningNow
from upbeat.play.presses import PRESSES
from upbeat.show.describe import ShowDescription
from upbeat.show.for_band import BandShow, BandState


class StageState(EngineState):
    """The state of the engine while it holds a show of the own band."""

    show_title: str


class NoStage(TypedDict):
    """The engine is silent, empty, or holds another band's show, which is not disclosed."""

    status: Literal["silent", "empty", "other"]
    show: NotRequired[str | None]
    device: NotRequired[str]
    channels: NotRequired[int]
    dropouts: NotRequired[int]
    latency_ms: NotRequired[float]
    loading: NotRequired[str | None]


class Described(ShowDescription):
    """The loaded show; ``show`` is its id."""

    show: str


class Answer(TypedDict):
    """What came of a press: taken or not, and in words why, or where it will happen."""

    ok: bool
    problems: NotRequired[list[ProblemDict]]
    press: NotRequired[str]
    accepted: NotRequired[bool]
    code: NotRequired[str]
    message: NotRequired[str]
    frame: NotRequired[int | None]
    bar: NotRequired[int | None]
    late: NotRequired[bool]


PRESS_REQUEST = tagged("PressRequest", "press", {p.name: (p.about, p.arguments) for p in PRESSES.values()})
STATE: dict[str, Any] = {"oneOf": [component(StageState), component(NoStage)]}
#: What the sockets of the page Hands, of the stage and of joined phones send.
SENT: tuple[dict[str, str], ...] = tuple(
    component(k) for k in (HandsNow, Shown, DeviceNow, StandInNow, JoiningNow, BandShow, BandState)
)
