"""The key and tempo that a song is played in, against those it was recorded in (rule V1)."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from upbeat.errors import refuse
from upbeat.limits import KEY_SEMITONES, TEMPO_PERCENT
from upbeat.time.tempo import parse_bpm

DECIMALS = 4


@dataclass(frozen=True)
class KeyTempo:
    """``semitones`` higher (negative: lower), at ``percent`` of the tempo. Raises :class:`Refused` out of range."""

    semitones: int = 0
    percent: Fraction = Fraction(100)

    def __post_init__(self) -> None:
        if self.semitones not in KEY_SEMITONES or self.semitones != int(self.semitones):
            raise refuse(
                "key-range",
                f"A song can be moved by {KEY_SEMITONES} semitones, not by {self.semitones:+g}: choose one of these.",
            )
        if float(self.percent) not in TEMPO_PERCENT:
            raise refuse(
                "tempo-percent-range",
                f"A song can be played at {TEMPO_PERCENT} % of its tempo, not at {float(self.percent):g} %.",
            )

    @property
    def changes(self) -> bool:
        return bool(self.semitones) or self.percent != 100

    @property
    def document(self) -> dict[str, float]:
        """As an entry and a prepared file of a show document have it."""
        return {"semitones": self.semitones, "tempo_percent": float(self.percent)}

    def __str__(self) -> str:
        key = f"{self.semitones:+d} semitone{'' if abs(self.semitones) == 1 else 's'}" if self.semitones else ""
        tempo = f"{float(self.percent):g} % of its tempo" if self.percent != 100 else ""
        return " at ".join(filter(None, [key, tempo])) or "as it is"


AS_RECORDED = KeyTempo()
#: Per cent of the tempo that a song is played in, in which it is prepared for rehearsal (rule V2).
REHEARSAL = (50, 60, 70, 80, 90)


def slower(change: KeyTempo, percent: int) -> KeyTempo | None:
    """A key and tempo at so many per cent of that tempo; None where that is slower than can be played."""
    asked = _rounded(change.percent * percent / 100)
    return KeyTempo(change.semitones, asked) if float(asked) in TEMPO_PERCENT else None


def key_tempo(semitones: object, percent: object) -> KeyTempo:
    """A change of numbers; the percentage with four decimals. Raises :class:`Refused`."""
    try:
        return KeyTempo(int(str(semitones)), _rounded(Fraction(str(percent))))
    except (ValueError, ZeroDivisionError):
        raise refuse(
            "key-tempo-unreadable",
            f"“{semitones}” semitones at “{percent}” % is no key and tempo: write them as numbers, such as +2 and 92.",
        ) from None


def typed_percent(text: str, own_bpm: Fraction) -> Fraction:
    """The percentage of a tempo of ``own_bpm`` that is typed as ``92 %`` or as beats a minute, ``116``. Raises :class:`Refused`."""
    number = text.strip().replace(",", ".")
    if not number.endswith("%"):
        return _rounded(parse_bpm(number) / own_bpm * 100)
    try:
        return _rounded(Fraction(number[:-1].strip()))
    except (ValueError, ZeroDivisionError):
        raise refuse("tempo-percent", f"“{text}” is no tempo: write it as 92 %, or in beats a minute as 116.") from None


def _rounded(percent: Fraction) -> Fraction:
    return round(percent, DECIMALS)
