"""Chord symbols as musicians type them, bar by bar, and their transposition.

A bar holds chord symbols separated by blanks: ``G D7sus4``. ``/`` or ``.`` is a beat on which the
chord before goes on, ``%`` the bar before once more, ``N.C.`` no chord. Bars are separated by ``|``.

Symbols follow C. Brandt and C. Roemer, Standardized Chord Symbol Notation (1976), with the usual
shorthands. Roots are moved along the line of fifths (… B♭ F C G D …), so that an interval keeps its
spelling (D. Temperley, The Cognition of Basic Musical Structures, 2001, ch. 5).
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from upbeat.errors import refuse

HOLDS, REPEAT, NONE = ("/", "."), "%", "N.C."
MOST_IN_A_BAR, LONGEST = 16, 200
_NATURALS = "FCGDAEB"  # fifths −1 to 5, seen from C as 0
_ROOT = r"[A-G](?:##|bb|[#b])?"
_ALTERATION = r"(?:[#b+-]?(?:2|4|5|6|7|9|11|13))"
_QUALITY = (
    r"(?:maj|Maj|ma|M|Δ|min|mi|m|-|dim|°|o|aug|\+|ø)?"
    r"(?:6/9|69|5|6|7|9|11|13|2|4)?"
    rf"(?:sus[24]?|add{_ALTERATION}|no[35]|omit[35]|(?:maj|Maj|ma|M|Δ)(?:7|9|11|13)?|[#b+-](?:5|9|11|13)|alt|\((?:[,\s]?(?:sus[24]?|add|no|omit|maj|M)?{_ALTERATION})+\))*"
)
_CHORD = re.compile(rf"({_ROOT})({_QUALITY})(?:/({_ROOT}))?")
_KEY = re.compile(rf"({_ROOT})\s*(m|min|minor|-)?(?:\s*(?:maj|major))?", re.IGNORECASE)
_NO_CHORD = re.compile(r"N\.?C\.?", re.IGNORECASE)


@dataclass(frozen=True)
class Chord:
    """``root`` and ``bass`` as letters with accidentals; ``quality`` as typed (``m7``, ``sus4``)."""

    root: str
    quality: str = ""
    bass: str = ""

    def __str__(self) -> str:
        return self.root + self.quality + (f"/{self.bass}" if self.bass else "")


def plain(text: str) -> str:
    """Typed accidentals and half-diminished signs as they are kept: ``♭`` as ``b``, ``♯`` as ``#``."""
    return text.replace("♭", "b").replace("♯", "#").replace("𝄫", "bb").replace("𝄪", "##").replace("−", "-")


def parse_chord(symbol: str) -> Chord:
    """Read one symbol. Raises :class:`Refused` with what is no chord."""
    written = plain(symbol)
    match = _CHORD.fullmatch(written[:1].upper() + written[1:])
    if not match:
        raise refuse(
            "chord-unreadable",
            f"“{symbol[:40]}” is not a chord: write a root from A to G and what belongs to it, such as Em7, C/E or D7sus4.",
        )
    return Chord(match[1], match[2] or "", match[3] or "")


def parse_bar(text: str) -> str:
    """One bar's chords, checked and written plainly; empty for a bar without. Raises :class:`Refused`."""
    parts = text.split()
    if len(parts) > MOST_IN_A_BAR or len(text) > LONGEST:
        raise refuse(
            "chords-many",
            f"A bar holds at most {MOST_IN_A_BAR} chords, not {len(parts)}: put bar lines (|) between them.",
        )
    if REPEAT in parts and len(parts) > 1:
        raise refuse("chord-repeat", "% stands for a whole bar: let it stand alone between two bar lines.")
    written = []
    for i, part in enumerate(parts):
        if part == REPEAT or (part in HOLDS and i > 0):
            written.append(part)
        elif part in HOLDS:
            raise refuse(
                "chord-hold-first",
                f"“{part}” holds the chord before it: begin the bar with a chord, or write % for the bar before.",
            )
        else:
            written.append(NONE if _NO_CHORD.fullmatch(part) else str(parse_chord(part)))
    return " ".join(written)


def parse_bars(text: str) -> list[str]:
    """Bars of chords from ``Em C/E | G D7sus4 | % | %``. Raises :class:`Refused` naming the bar that is wrong.

    Bar lines at either end, doubled ones and repeat signs are taken as single bar lines; a new
    line is a bar line too.
    """
    lines = [re.sub(r"\|[:|\]]|[:\[]\|", "|", line).strip() for line in plain(text).splitlines()]
    bars: list[str] = []
    for line in filter(None, lines):
        for part in line.removeprefix("|").removesuffix("|").split("|"):
            bars.append(part)
    return [parse_bar(bar) for bar in bars]


def chords_in(bars: Iterable[str]) -> list[Chord]:
    """Every chord of some bars, in order."""
    return [parse_chord(p) for bar in bars for p in bar.split() if p not in (REPEAT, NONE, *HOLDS)]


def fifths(name: str) -> int:
    """Place of a note on the line of fifths, C being 0: F −1, G 1, B♭ −2, F♯ 6."""
    return _NATURALS.index(name[0].upper()) - 1 + 7 * (name[1:].count("#") - name[1:].count("b"))


def note_name(place: int) -> str:
    """The note at a place on the line of fifths, with at most one accidental (others by enharmonic change)."""
    while place > 12:
        place -= 12
    while place < -8:
        place += 12
    accidentals, natural = divmod(place + 1, 7)
    return _NATURALS[natural] + ("#" * accidentals if accidentals > 0 else "b" * -accidentals)


def parse_key(text: str) -> tuple[str, bool] | None:
    """Tonic and whether it is minor of ``E minor``, ``Em``, ``B flat``, ``Bb major``; None for anything else."""
    written = re.sub(
        r"\s*[-\s]\s*flat",
        "b",
        re.sub(r"\s*[-\s]\s*sharp", "#", plain(text).strip(), flags=re.IGNORECASE),
        flags=re.IGNORECASE,
    )
    match = _KEY.fullmatch(written)
    return (match[1][0].upper() + match[1][1:], bool(match[2])) if match else None


def step_on_fifths(semitones: int, key: str, bars: Sequence[str]) -> int:
    """How far to go on the line of fifths for so many semitones: to the key with the fewest accidentals.

    Without a key the chords' roots decide.
    """
    steps = (7 * semitones) % 12
    parsed = parse_key(key)
    if parsed:
        places = [fifths(parsed[0]) - (3 if parsed[1] else 0)]
    else:
        places = [fifths(c.root) for c in chords_in(bars)] or [0]
    middle = sum(places) / len(places)
    return min((steps, steps - 12), key=lambda k: (abs(middle + k), -k))


def transpose_bar(bar: str, step: int) -> str:
    """A bar's chords moved ``step`` places on the line of fifths."""
    moved = []
    for part in bar.split():
        if part in (REPEAT, NONE, *HOLDS):
            moved.append(part)
        else:
            c = parse_chord(part)
            moved.append(
                str(
                    Chord(
                        note_name(fifths(c.root) + step), c.quality, note_name(fifths(c.bass) + step) if c.bass else ""
                    )
                )
            )
    return " ".join(moved)


def transpose_key(key: str, step: int) -> str:
    """A key moved likewise; text that is no key stays as it is."""
    parsed = parse_key(key)
    if parsed is None:
        return key
    words = (
        " minor"
        if re.search("min", key, re.IGNORECASE)
        else " major"
        if re.search("maj", key, re.IGNORECASE)
        else "m"
        if parsed[1]
        else ""
    )
    name = note_name(fifths(parsed[0]) + step)
    spelled = (
        {"#": " sharp", "b": " flat", "": ""}[name[1:]] if re.search("flat|sharp", key, re.IGNORECASE) else name[1:]
    )
    return name[0] + spelled + words


def transposed(bars: Sequence[str], key: str, semitones: int) -> tuple[list[str], str]:
    """Chords and key ``semitones`` higher (negative: lower); an octave changes nothing."""
    if semitones % 12 == 0:
        return list(bars), key
    step = step_on_fifths(semitones, key, bars)
    return [transpose_bar(bar, step) for bar in bars], transpose_key(key, step)
