"""The arguments of the edits of layers (see ``arguments``)."""

from __future__ import annotations

from typing import Annotated, NotRequired, TypedDict

from songs.edits.arguments import within
from upbeat.limits import LAYER_SEMITONES


class AddLayer(TypedDict):
    """``loop``: the code of one that ships or the id of an own one; ``sections``: where it sounds, everywhere without;
    ``waits``: it is brought in by hand."""

    loop: str
    sections: NotRequired[list[str]]
    waits: NotRequired[bool]


class SetLayer(TypedDict):
    stem: str
    kind: NotRequired[str]
    bars: NotRequired[int]
    meter: NotRequired[str]
    semitones: NotRequired[Annotated[int, within(LAYER_SEMITONES)]]
    pace: NotRequired[float]


class TakeStack(TypedDict):
    stack: str
