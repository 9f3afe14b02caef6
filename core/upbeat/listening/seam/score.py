"""Whether the join of two places in a song will be heard.

At a seam the sound goes from the end of one section straight to the start of another. What music
does at either place by itself is known: how the first would have gone on, and what came before the
second. Only what is worse than both can be heard as a cut:

- a note cut in two: spectrum that would have gone on across the bar line is not in what follows, or
  what follows goes on with spectrum that nothing has begun; a strong attack at the seam masks it
  (ISO/IEC 11172-3, psychoacoustic model 1, has a tone cover what lies 6 to 13 dB below it);
- an attack on the wrong side: the note of the downbeat begins just before the bar line, so that the
  join drops its attack or leaves its head standing alone;
- a step of level or of colour beyond what the music does there by itself.

The measures are powers and decibels; each becomes a likelihood by a logistic curve, and they are
joined as independent ways of being heard.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

BEFORE_S, AFTER_S = 1.0, 2.4  # what is read around each place
_WINDOW_S, _LONG_S = 0.045, 0.8
_EARLY_S, _ON_TIME_S = 0.110, 0.030
_FLOOR = 1e-9
# Middle and spread of the logistic curves: in dB, but for the attack's share.
CUT_DB, EARLY, LEVEL_DB, COLOUR_DB = (-5.0, 2.0), (0.55, 0.12), (5.5, 1.0), (5.5, 0.9)
RINGS_S, CROSSFADES_MS = (0.0, 0.25, 0.5, 1.0, 2.0), (20.0, 40.0, 60.0, 80.0)
_MASKS = 0.15  # of the power that sounds; a new attack masks with all of its power
WORTH, MAY, HEARD = 0.1, 0.25, 0.6


@dataclass(frozen=True)
class Sides:
    """One stem around both places, mono at its gain: ``old`` around the end left, ``new`` around the start gone to.

    Each (frames,) with the bar line at ``BEFORE_S``.
    """

    old: np.ndarray
    new: np.ndarray


@dataclass(frozen=True, kw_only=True)
class Measures:
    """Of each stem the power that is cut off (``lost``), that goes on without having begun (``unbegun``), and the share

    of the first that is left after each of :data:`RINGS_S`; ``masks``: the power that covers it. The rest as in :class:`Heard`.
    """

    lost: tuple[float, ...]
    unbegun: tuple[float, ...]
    left: tuple[tuple[float, ...], ...]
    masks: float
    early: float
    early_ms: float
    level_db: float
    colour_db: float


@dataclass(frozen=True)
class Mend:
    """``kind``: crossfade (ms), ring_on (s) or shift (ms, earlier negative); ``likely``: how likely the seam is heard then."""

    kind: str
    value: float
    likely: float


@dataclass(frozen=True, kw_only=True)
class Heard:
    """How likely a seam is heard, 0 to 1, and by what: likelihoods and figures of each reason.

    ``cut_db``: what is cut against what masks it; ``early_ms``: how long before the bar line the
    downbeat's attack lies (0: it does not); ``level_db`` and ``colour_db``: steps beyond the music's
    own; ``stem``: index of the stem that is cut most.
    """

    likely: float
    cut: float
    early: float
    level: float
    colour: float
    cut_db: float
    early_ms: float
    level_db: float
    colour_db: float
    stem: int | None

    @property
    def verdict(self) -> str:
        """In a word: heard, may or not."""
        return "heard" if self.likely >= HEARD else "may" if self.likely >= MAY else "not"

    @property
    def reason(self) -> str:
        """The likeliest reason: cut, early, level or colour."""
        return max(("cut", "early", "level", "colour"), key=lambda r: float(getattr(self, r)))


def measure(stems: Sequence[Sides], sample_rate: int) -> Measures:
    """Everything that the likelihoods need of a seam. (frames,) of every side have to be alike in length."""
    line = round(BEFORE_S * sample_rate)
    n = round(_WINDOW_S * sample_rate)
    lost, unbegun, left, masks = [], [], [], 0.0
    for s in stems:
        xb, xa = _spectrum(s.old, line - n, n), _spectrum(s.old, line, n)
        yb, ya = _spectrum(s.new, line - n, n), _spectrum(s.new, line, n)
        lost.append(float(np.maximum(0, np.minimum(xb, xa) - ya).sum()))
        unbegun.append(float(np.maximum(0, np.minimum(yb, ya) - xb).sum()))
        left.append(tuple(_left_over(s.old, line, sample_rate, ring) for ring in RINGS_S))
        masks += float(np.maximum(0, ya - yb).sum()) + _MASKS * float(ya.sum() + xb.sum())
    old, new = _sum([s.old for s in stems]), _sum([s.new for s in stems])
    early, early_ms = _early(old, new, line, sample_rate)
    level_db, colour_db = _steps(old, new, line, sample_rate)
    return Measures(
        lost=tuple(lost),
        unbegun=tuple(unbegun),
        left=tuple(left),
        masks=masks,
        early=early,
        early_ms=early_ms,
        level_db=level_db,
        colour_db=colour_db,
    )


def judge(m: Measures, crossfade_ms: float = 10.0, ring_on_s: float = 0.0) -> Heard:
    """How likely a seam is heard with this crossfade and this ring-on.

    A long crossfade lets both sides go gradually: what is cut counts as the root of 10 ms over it.
    A ring-on lets the old notes end by themselves.
    """
    softer = float(np.sqrt(10 / max(10.0, crossfade_ms)))
    rings = [float(np.interp(ring_on_s, RINGS_S, left)) for left in m.left]
    cuts = [(lost * ring + unbegun) * softer for lost, unbegun, ring in zip(m.lost, m.unbegun, rings, strict=True)]
    worst = int(np.argmax(cuts)) if cuts and max(cuts) > _FLOOR else None
    cut_db = float(10 * np.log10((sum(cuts) + _FLOOR / 1000) / (m.masks + 10 * _FLOOR)))
    parts = {
        "cut": _logistic(cut_db, *CUT_DB),
        "early": _logistic(m.early, *EARLY) if m.early else 0.0,
        "level": _logistic(m.level_db, *LEVEL_DB),
        "colour": _logistic(m.colour_db, *COLOUR_DB),
    }
    missed = 1.0
    for p in parts.values():
        missed *= 1 - p
    return Heard(
        likely=1 - missed,
        **parts,
        cut_db=cut_db,
        early_ms=m.early_ms,
        level_db=m.level_db,
        colour_db=m.colour_db,
        stem=worst,
    )


def score(stems: Sequence[Sides], sample_rate: int, crossfade_ms: float = 10.0, ring_on_s: float = 0.0) -> Heard:
    """:func:`judge` of :func:`measure`."""
    return judge(measure(stems, sample_rate), crossfade_ms, ring_on_s)


def mends(
    m: Measures, crossfade_ms: float, ring_on_s: float, shifted: Callable[[float], Measures] | None = None
) -> list[Mend]:
    """What would make the seam less likely to be heard, best first; each is the least that does it.

    ``shifted``: measures of the seam with both bar lines so many ms later (earlier: negative).
    """
    now = judge(m, crossfade_ms, ring_on_s).likely
    offers = []
    for kind, values in (
        ("crossfade", [c for c in CROSSFADES_MS if c > crossfade_ms]),
        ("ring_on", [r for r in RINGS_S if r > ring_on_s]),
    ):
        tried = [
            (judge(m, v if kind == "crossfade" else crossfade_ms, v if kind == "ring_on" else ring_on_s).likely, v)
            for v in values
        ]
        if tried:
            least = min(p for p, _ in tried)
            likely, value = next((p, v) for p, v in tried if p <= least + 0.05)
            offers.append(Mend(kind, value, likely))
    if m.early and shifted is not None:
        by = -round(m.early_ms + 2)
        offers.append(Mend("shift", by, judge(shifted(by), crossfade_ms, ring_on_s).likely))
    return sorted((o for o in offers if o.likely < now - WORTH), key=lambda o: o.likely)


def _logistic(value: float, middle: float, spread: float) -> float:
    return float(1 / (1 + np.exp(-np.clip((value - middle) / spread, -30, 30))))


def _sum(lines: Sequence[np.ndarray]) -> np.ndarray:
    total: np.ndarray = np.sum(np.stack(lines), axis=0)
    return total


def _spectrum(line: np.ndarray, start: int, frames: int) -> np.ndarray:
    """Power of a window in bins of about 23 Hz, each with its neighbours: pitch within a bin or two is the same note."""
    part = line[max(0, start) : max(0, start) + frames]
    power = np.square(np.abs(np.fft.rfft(part * np.hanning(len(part)), 2 * frames))) / max(1, len(part))
    smooth: np.ndarray = np.convolve(power, np.ones(5) / 5, mode="same")
    return smooth


def _left_over(old: np.ndarray, line: int, rate: int, ring_on_s: float) -> float:
    """The share of a note's power that is still there when its ring-on ends."""
    if ring_on_s <= 0:
        return 1.0
    n = round(_WINDOW_S * rate)
    end = line + round(ring_on_s * rate)
    now, then = (float(np.square(old[at : at + n]).mean()) if len(old) >= at + n else 0.0 for at in (line, end))
    # The ring-on itself is faded, so that at most a part of what is left is heard to stop.
    return 0.3 * min(1.0, then / (now + _FLOOR))


def _rises(line: np.ndarray, rate: int) -> np.ndarray:
    """Every 2 ms, how much stronger the next 10 ms are than the 20 before, as a share of the loudest of the line, 0 to 1."""
    hop, after, before = round(0.002 * rate), round(0.010 * rate), round(0.020 * rate)
    bright = np.diff(line, prepend=line[:1])
    sums = np.concatenate(([0.0], np.cumsum(np.square(bright, dtype=np.float64))))
    at = np.arange(before, len(line) - after, hop)
    later, earlier = (sums[at + after] - sums[at]) / after, (sums[at] - sums[at - before]) / before
    top = float(later.max(initial=0)) + _FLOOR
    rise = np.sqrt(np.maximum(0, later - 2 * earlier) / top)
    return np.concatenate((np.zeros(before // hop), rise))


def _early(old: np.ndarray, new: np.ndarray, line: int, rate: int) -> tuple[float, float]:
    """How strong an attack just before either bar line is that should have been on it, and how early in ms."""
    worst = (0.0, 0.0)
    for side in (old, new):
        rises = _rises(side, rate)
        hop = round(0.002 * rate)
        at = line // hop
        low, on, late = (
            at - round(_EARLY_S * rate) // hop,
            at - round(0.008 * rate) // hop,
            at + round(_ON_TIME_S * rate) // hop,
        )
        ahead = rises[max(0, low) : on]
        if not len(ahead):
            continue
        peak = int(np.argmax(ahead))
        strength = float(ahead[peak])
        if strength > 2 * float(rises[on:late].max(initial=0)):
            worst = max(worst, (strength, float((on - max(0, low) - peak) * 2 + 8)))
    return worst


def _levels(line: np.ndarray, at: int, frames: int) -> tuple[float, np.ndarray]:
    part = line[max(0, at) : max(0, at) + frames].astype(np.float64)
    if len(part) < frames // 4:
        return -90.0, np.full(8, -90.0)
    power = np.square(np.abs(np.fft.rfft(part * np.hanning(len(part))))) / len(part) ** 2
    which = np.clip(np.floor(np.log2(np.maximum(np.arange(len(power)), 1) / len(power)) + 8).astype(int), 0, 7)
    bands = np.bincount(which, power, 8)
    return float(10 * np.log10(bands.sum() + _FLOOR)), 10 * np.log10(bands + _FLOOR)


def _beyond(step: np.ndarray, first: np.ndarray, second: np.ndarray) -> np.ndarray:
    """How far a step goes beyond what either place does by itself, in dB."""
    low, high = np.minimum(np.minimum(first, second), 0), np.maximum(np.maximum(first, second), 0)
    result: np.ndarray = np.maximum(0, step - high) + np.maximum(0, low - step)
    return result


def _steps(old: np.ndarray, new: np.ndarray, line: int, rate: int) -> tuple[float, float]:
    n = round(_LONG_S * rate)
    (xb, xb_bands), (xa, xa_bands) = _levels(old, line - n, n), _levels(old, line, n)
    (yb, yb_bands), (ya, ya_bands) = _levels(new, line - n, n), _levels(new, line, n)
    level = float(_beyond(np.array([ya - xb]), np.array([xa - xb]), np.array([ya - yb]))[0])
    # Colour: the bands against the level, where they sound at all.
    top = max(float(xb_bands.max()), float(ya_bands.max()))
    sounds = np.maximum(xb_bands, ya_bands) > top - 40
    beyond = _beyond(
        (ya_bands - ya) - (xb_bands - xb), (xa_bands - xa) - (xb_bands - xb), (ya_bands - ya) - (yb_bands - yb)
    )
    colour = float(np.sort(beyond[sounds])[-3:].mean()) if sounds.any() else 0.0
    return level, colour
