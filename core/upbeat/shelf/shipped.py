"""The loops that ship: written as rows of strokes, made when they are wanted, the same every time."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from functools import cache

import numpy as np

from upbeat.errors import refuse
from upbeat.mix.loops import TONES, tone
from upbeat.shelf.hits import HITS
from upbeat.song.layers import Layer
from upbeat.time.meter import TimeSignature

TONICS = ("C", "D♭", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B")
PEAK = 10 ** (-6 / 20)
_LEVELS = {".": 0.0, "o": 0.35, "x": 0.65, "X": 1.0}


@dataclass(frozen=True, kw_only=True)
class Shipped:
    """A loop by its ``code``; ``family``: what it is filed under; ``tonic``: 0 for C to 11 for B, None for what has no key."""

    code: str
    name: str
    family: str
    group: str
    layer: Layer
    tonic: int | None = None


@dataclass(frozen=True)
class _Row:
    """One stroke: its name in :data:`upbeat.shelf.hits.HITS`, its place between left and right, and when it is struck.

    ``strokes``: bars divided by ``|``, each in equal parts; ``.`` is none, ``o``, ``x`` and ``X`` are soft to loud.
    """

    hit: str
    strokes: str
    pan: float = 0.0


@dataclass(frozen=True)
class _Pattern:
    code: str
    name: str
    family: str
    meter: str
    bpm: int
    rows: tuple[_Row, ...]


def _one(code: str, name: str, family: str, meter: str, bpm: int, hit: str, strokes: str, pan: float = 0.0) -> _Pattern:
    return _Pattern(code, name, family, meter, bpm, (_Row(hit, strokes, pan),))


_PATTERNS = (
    _one("shaker-16", "Shaker, sixteenths", "shakers", "4/4", 104, "shaker", "XoxoXoxoXoxoXoxo", 0.3),
    _one("shaker-8", "Shaker, eighths", "shakers", "4/4", 112, "shaker", "XxXxXxXx", 0.3),
    _one("shaker-off", "Shaker, off the beat", "shakers", "4/4", 116, "shaker", ".X.X.X.X", -0.3),
    _one("shaker-swing", "Shaker, swung", "shakers", "4/4", 96, "shaker", "X.oX.oX.oX.o", 0.3),
    _one("shaker-3", "Shaker in three", "shakers", "3/4", 108, "shaker", "XoxoxoXoxoxo", 0.3),
    _one("shaker-6", "Shaker in six", "shakers", "6/8", 90, "shaker", "XoxXox", 0.3),
    _one("shaker-7", "Shaker in seven", "shakers", "7/8", 100, "shaker", "XoXoXox", 0.3),
    _one("clap-back", "Claps, two and four", "claps", "4/4", 108, "clap", ".X.X"),
    _one("clap-beats", "Claps on every beat", "claps", "4/4", 120, "clap", "xXxX"),
    _one("clap-figure", "Claps, a figure", "claps", "4/4", 100, "clap", "X..X..X...X.X..."),
    _one("clap-double", "Claps, doubled", "claps", "4/4", 112, "clap", "..X...XX|..X...X."),
    _one("clap-3", "Claps in three", "claps", "3/4", 120, "clap", ".XX"),
    _one("clap-6", "Claps in six", "claps", "6/8", 92, "clap", "...X.."),
    _one("tambourine-8", "Tambourine, eighths", "tambourines", "4/4", 112, "tambourine", "oxXxoxXx", -0.25),
    _one("tambourine-16", "Tambourine, sixteenths", "tambourines", "4/4", 98, "tambourine", "XooxXooxXooxXoxo", -0.25),
    _one("tambourine-back", "Tambourine, two and four", "tambourines", "4/4", 112, "tambourine", ".X.X", -0.25),
    _one("tambourine-6", "Tambourine in six", "tambourines", "6/8", 92, "tambourine", "XoxXxo", -0.25),
    _Pattern(
        "toms-march",
        "Toms, a march",
        "toms",
        "4/4",
        100,
        (_Row("low", "X...x.X.X...x...", -0.2), _Row("high", "..x...x...x.x.xx", 0.3)),
    ),
    _Pattern(
        "toms-roll",
        "Toms, rolling",
        "toms",
        "4/4",
        106,
        (
            _Row("low", "XoxoXoxo........|XoxoXoxo........", -0.3),
            _Row("middle", "........Xoxo....|........XoxoXo..", 0.0),
            _Row("high", "............Xoxo|..............XX", 0.35),
        ),
    ),
    _Pattern("toms-3", "Toms in three", "toms", "3/4", 112, (_Row("low", "X....."), _Row("middle", "..x.xo", 0.2))),
    _Pattern("toms-6", "Toms in six", "toms", "6/8", 88, (_Row("low", "X..x..", -0.2), _Row("high", "..x.xX", 0.3))),
    _one("kick-four", "Kick on every beat", "kicks", "4/4", 120, "kick", "XXXX"),
    _one("kick-heart", "Kick, a heartbeat", "kicks", "4/4", 84, "kick", "Xx......Xx......"),
    _one("kick-broken", "Kick, broken up", "kicks", "4/4", 102, "kick", "X.....X...X.....|X..X..X...X....."),
    _one("kick-6", "Kick in six", "kicks", "6/8", 92, "kick", "X..x.."),
    _one("snap-back", "Snaps, two and four", "snaps", "4/4", 96, "snap", ".X.X", 0.15),
    _one("snap-off", "Snaps, off the beat", "snaps", "4/4", 108, "snap", ".x.x.x.X", 0.15),
    _one("snap-6", "Snaps in six", "snaps", "6/8", 80, "snap", "...X..", 0.15),
    _one("wood-two", "Wood, three and two", "wood", "4/4", 100, "wood", "X..X..X.|..X.X..."),
    _Pattern(
        "wood-6", "Wood in six", "wood", "6/8", 100, (_Row("wood", "X.X.XX", 0.2), _Row("wood_low", ".o.x..", -0.2))
    ),
    _one("hey-one", "Hey, on the first beat of four bars", "shouts", "4/4", 120, "hey", "X...|....|....|...."),
    _one("hey-back", "Hey, two and four", "shouts", "4/4", 120, "hey", ".X.X"),
    _one("oh-two", "Oh, every other bar", "shouts", "4/4", 110, "oh", "X...|...."),
    _one("ha-figure", "Ha, a figure", "shouts", "4/4", 116, "ha", "X..X..X.|....X.X."),
)
_BY_CODE = {p.code: p for p in _PATTERNS}
_TONE_NAMES = {"warm": "Pad, warm", "open": "Pad, open", "low": "Drone, low"}


def _bars(pattern: _Pattern) -> int:
    return max(row.strokes.count("|") + 1 for row in pattern.rows)


def _struck_at(pattern: _Pattern, row: _Row) -> list[tuple[Fraction, float]]:
    """Quarter notes at which a row is struck, and how loud."""
    length, found = TimeSignature.parse(pattern.meter).quarters, []
    for bar, strokes in enumerate(row.strokes.split("|")):
        found += [(bar * length + i * length / len(strokes), _LEVELS[c]) for i, c in enumerate(strokes) if _LEVELS[c]]
    return found


def _frame(pattern: _Pattern, quarters: Fraction, sample_rate: int) -> int:
    return int(quarters * 60 / pattern.bpm * sample_rate + Fraction(1, 2))


@cache
def shipped() -> tuple[Shipped, ...]:
    """Everything that ships, in the order that it is filed in."""
    rate = 48_000
    listed = []
    for p in _PATTERNS:
        attacks = sorted({_frame(p, at, rate) / rate for row in p.rows for at, _ in _struck_at(p, row)})
        layer = Layer(
            bars=_bars(p),
            meter=TimeSignature.parse(p.meter),
            bpm=Fraction(p.bpm),
            attacks=tuple(round(a, 6) for a in attacks),
        )
        listed.append(
            Shipped(
                code=p.code,
                name=p.name,
                family=p.family,
                group="voices" if p.family == "shouts" else "rhythm",
                layer=layer,
            )
        )
    for name in TONES:
        listed += [
            Shipped(
                code=f"{name}-{tonic}",
                name=f"{_TONE_NAMES[name]}, in {key}",
                family="pads",
                group="tonal",
                layer=Layer(kind="held", bars=4, bpm=Fraction(120)),
                tonic=tonic,
            )
            for tonic, key in enumerate(TONICS)
        ]
    return tuple(listed)


def shipped_by(code: str) -> Shipped:
    """Raises :class:`Refused` for a code that nothing has."""
    for one in shipped():
        if one.code == code:
            return one
    raise refuse("loop-unknown", "That loop is not on the shelf: choose another.")


def sound_of(code: str, sample_rate: int) -> np.ndarray:
    """The sound of a shipped loop, (frames, 2) float32."""
    pattern = _BY_CODE.get(code)
    if pattern is None:
        name, _, tonic = shipped_by(code).code.rpartition("-")
        return np.ascontiguousarray(tone(name, int(tonic), sample_rate).T)
    length = _frame(pattern, _bars(pattern) * TimeSignature.parse(pattern.meter).quarters, sample_rate)
    sides = np.zeros((length, 2))
    for row in pattern.rows:
        hit = HITS[row.hit](sample_rate)
        angle = np.pi / 4 * (1 + row.pan)
        for at, level in _struck_at(pattern, row):
            first = _frame(pattern, at, sample_rate)
            # What rings over the end rings on at the beginning, where the loop goes round.
            place = (first + np.arange(len(hit))) % length
            np.add.at(sides, place, level * hit[:, None] * np.array([np.cos(angle), np.sin(angle)]))
    return (sides * (PEAK / np.abs(sides).max())).astype(np.float32)
