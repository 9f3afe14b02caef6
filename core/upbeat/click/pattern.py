"""Patterns of bars: what each beat of a bar and each part of it is (rule C2).

A pattern is written beat by beat, a space between beats: ``a b b b`` is a bar of 4/4, ``ad bd bds``
one of 7/8 in 2+2+3 whose last beat is in three. In a beat, letters divide it evenly: *a* accent,
*b* beat, *d* division, *s* silent.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from fractions import Fraction
from itertools import pairwise

from upbeat.errors import refuse
from upbeat.time.meter import TimeSignature

ACCENT, BEAT, DIVISION, COUNT_IN = range(4)
#: The voices of the click by name, in that order.
VOICES = ("accent", "beat", "division", "count_in")
LETTERS = {"a": ACCENT, "b": BEAT, "d": DIVISION, "s": None}
MOST_PARTS = 8
DIVISIONS = (1, 2, 3, 4)

Clicks = tuple[tuple[Fraction, int], ...]


def key_of(signature: TimeSignature) -> str:
    """The name that the pattern of a time signature is kept by: ``4/4``, ``7/8 2+2+3``."""
    return " ".join([str(signature), "+".join(map(str, signature.grouping))]).strip()


def signature_of(key: str) -> TimeSignature:
    """The time signature of such a name. Raises :class:`Refused`."""
    meter, _, grouping = key.strip().partition(" ")
    return TimeSignature.parse(meter, grouping or None)


def usual_pattern(signature: TimeSignature, divisions: int = 1) -> str:
    """The pattern of a time signature that has none of its own.

    An uneven or compound beat is divided into its units whatever the number of divisions, since
    a group of three eighths has no half that a player feels.
    """
    lengths = _beat_lengths(signature)
    parts = [
        1 if divisions == 1 else divisions if length == signature.unit else int(length / signature.unit)
        for length in lengths
    ]
    return " ".join(("b" if i else "a") + "d" * (n - 1) for i, n in enumerate(parts))


def divided(pattern: str, divisions: int) -> str:
    """A pattern with every beat in ``divisions`` parts; a silent beat stays silent throughout."""
    return " ".join(beat[0] + ("s" if beat[0] == "s" else "d") * (divisions - 1) for beat in pattern.split())


def checked_pattern(text: str, signature: TimeSignature) -> str:
    """A pattern as it is kept. Raises :class:`Refused` for letters that are none, and for a wrong number of beats."""
    beats = text.lower().split()
    wrong = re.search(r"[^abds\s]", text.lower())
    if wrong:
        raise refuse(
            "pattern-letter",
            f"“{wrong[0]}” is no part of a pattern: write a, b, d and s, such as {usual_pattern(signature)}.",
        )
    wanted = len(signature.felt_beats)
    if len(beats) != wanted:
        count = f"“{text.strip()}” has {len(beats)} beats, and a bar of {key_of(signature)} has {wanted}"
        raise refuse(
            "pattern-length", f"{count}: write one group of letters for each, such as {usual_pattern(signature)}."
        )
    if any(len(beat) > MOST_PARTS for beat in beats):
        raise refuse("pattern-parts", f"A beat of a pattern has at most {MOST_PARTS} parts.")
    return " ".join(beats)


def clicks_of(pattern: str, signature: TimeSignature) -> Clicks:
    """The clicks of a bar as (quarter notes from its bar line, voice), silence left out."""
    clicks = []
    for beat, start, length in zip(pattern.split(), signature.felt_beats, _beat_lengths(signature), strict=True):
        for i, letter in enumerate(beat):
            voice = LETTERS[letter]
            if voice is not None:
                clicks.append((start + i * length / len(beat), voice))
    return tuple(clicks)


def bar_clicks(signature: TimeSignature, patterns: Mapping[str, str], divisions: int, own: int | None = None) -> Clicks:
    """The clicks of a bar: by its own pattern or the usual one; ``own``: divisions of its section, instead of the song's."""
    known = patterns.get(key_of(signature))
    if known is None:
        return clicks_of(usual_pattern(signature, divisions if own is None else own), signature)
    return clicks_of(known if own is None else divided(known, own), signature)


def _beat_lengths(signature: TimeSignature) -> list[Fraction]:
    starts = [*signature.felt_beats, signature.quarters]
    return [b - a for a, b in pairwise(starts)]
