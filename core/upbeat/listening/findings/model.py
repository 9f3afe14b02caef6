"""A finding, its mend, and what it is found from."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Literal

from upbeat.audio.measure import Measured
from upbeat.listening.comparing import Compared
from upbeat.song.stems import Stem

Severity = Literal["fault", "check", "note"]
RANK: dict[Severity, int] = {"fault": 0, "check": 1, "note": 2}


@dataclass(frozen=True)
class Mend:
    """``changes``: settings of the stem (fields of :class:`Stem`) that do away with the finding."""

    kind: Literal[
        "shift", "flip_side", "invert", "sum", "trim", "fade", "turn_down", "turn_up", "mark_click", "mark_full_mix"
    ]
    changes: dict[str, Any]


@dataclass(frozen=True, kw_only=True)
class Finding:
    """``value`` in ``unit``; ``sure`` is 0 to 1. ``mended``: the stem's settings see to it already."""

    code: str
    stem: str
    severity: Severity
    message: str
    value: float | None = None
    unit: str = ""
    sure: float = 1.0
    mend: Mend | None = None
    mended: bool = False


@dataclass(frozen=True)
class Heard:
    """A stem with its settings, its measures and what the others tell of it."""

    stem: Stem
    measured: Measured
    content: str = ""
    compared: Compared = field(default_factory=Compared)

    @property
    def name(self) -> str:
        """The stem's name as it stands in a sentence."""
        return f"“{self.stem.name}”"
