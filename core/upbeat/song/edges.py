"""How the recording of a song begins and ends."""

from __future__ import annotations

from dataclasses import dataclass

from upbeat.errors import refuse
from upbeat.limits import EDGE_FADE_S, HOLD_S


@dataclass(frozen=True, kw_only=True)
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
        if self.hold_s not in HOLD_S:
            raise refuse("hold-range", f"An end is held for up to {HOLD_S.high:g} s, not {self.hold_s:g}.")
        if self.fade_in_s not in EDGE_FADE_S or self.fade_out_s not in EDGE_FADE_S:
            raise refuse("fade-range", f"A song is faded over up to {EDGE_FADE_S.high:g} s.")
        if self.hold_s and self.fade_out_s:
            raise refuse("end-twice", "An end is either faded out or held, not both: choose one.")
