"""What is wrong with the stems of a song, each in a sentence with a number, and what mends it.

Everything is worked out from measures (:mod:`upbeat.audio.measure`) and from comparing the stems
(:mod:`upbeat.listening.comparing`); nothing here opens a file. A mend is a change of a stem's settings:
the file is never touched.

- ``model``: a finding and its mend; ``one``: findings of a stem by itself
- ``others``: against the other stems; ``compared``: those that need the stems compared
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

from upbeat.audio.measure import Measured
from upbeat.listening.comparing import Compared
from upbeat.listening.findings.compared import of_compared
from upbeat.listening.findings.model import RANK, Finding, Heard, Mend
from upbeat.listening.findings.one import of_one
from upbeat.listening.findings.others import against_most, of_copies, of_levels
from upbeat.song.stems import Stem

__all__ = ["Finding", "Heard", "Mend", "as_heard", "findings", "of_single", "worst"]

# Worst first: what the audience would hear before what only the desk would see.
_ORDER = (
    "silent",
    "cut-off",
    "clipped",
    "late",
    "early",
    "side-inverted",
    "inverted",
    "over-full-scale",
    "loud",
    "is-click",
    "is-full-mix",
    "fades",
    "shorter",
    "longer",
    "mono-loss",
    "one-sided",
    "dc-offset",
    "duplicate",
    "soft",
    "sample-rate",
    "bit-depth",
    "mono",
)

# One cause, one finding: what clipped is loud too, what was cut off is shorter too.
_SAID_BY = {
    "loud": ("clipped", "mono-loss"),
    "fades": ("cut-off",),
    "cut-off": ("dc-offset",),
    "inverted": ("side-inverted", "mono-loss"),
    "soft": ("side-inverted", "mono-loss"),
    "shorter": ("cut-off", "silent"),
    "over-full-scale": ("clipped",),
    "mono-loss": ("side-inverted", "one-sided"),
    "mono": ("is-click",),
    "late": ("is-click", "is-full-mix"),
    "early": ("is-click", "is-full-mix"),
}


def findings(stems: Sequence[Heard]) -> list[Finding]:
    """All that is to be said of a song's stems, worst first."""
    found = [f for one in stems for f in (*of_one(one), *of_compared(one))]
    found += against_most(stems) + of_levels(stems) + of_copies(stems)
    codes = {(f.stem, f.code) for f in found}
    kept = [f for f in found if not any((f.stem, worse) in codes for worse in _SAID_BY.get(f.code, ()))]
    return sorted(kept, key=lambda f: (RANK[f.severity], _ORDER.index(f.code), -(abs(f.value or 0))))


def worst(stems: Iterable[Finding]) -> Finding | None:
    """The first finding that is neither mended nor a mere note."""
    return next((f for f in stems if not f.mended and f.severity != "note"), None)


def of_single(measured: Measured, name: str) -> list[Finding]:
    """What one file alone shows."""
    return findings([Heard(stem=Stem(id=name, name=name, file=name), measured=measured)])


def as_heard(stems: Sequence[Heard], compared: Sequence[Compared]) -> list[Heard]:
    """Stems with the results of comparing them."""
    return [replace(one, compared=c) for one, c in zip(stems, compared, strict=True)]
