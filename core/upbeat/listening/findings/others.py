"""Findings of a stem against the other stems: length, rate, depth, channels, level, copies."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from upbeat.listening.comparing import is_sum
from upbeat.listening.findings.model import Finding, Heard, Mend
from upbeat.listening.findings.one import LOUD_IN_MIX_DB

LENGTHS_AGREE_S = 0.1  # coders pad their files by up to this
LOUD_DB = 9.0


def against_most(stems: Sequence[Heard]) -> list[Finding]:
    """What differs from most of the others: length, rate, depth, channels."""
    if len(stems) < 3:
        return []
    length = _usual_length([one.measured.seconds for one in stems])
    rate = _usual([one.measured.sample_rate for one in stems])
    depth = _usual([one.measured.bit_depth for one in stems if one.measured.bit_depth])
    stereo = sum(one.measured.channels == 2 for one in stems) * 2 >= len(stems)
    found = []
    for one in stems:
        found += [_length(one, length), _rate(one, rate), _depth(one, depth), _mono(one, stereo)]
    return [f for f in found if f is not None]


def _length(one: Heard, usual: float | None) -> Finding | None:
    m = one.measured
    if usual is None or abs(m.seconds - usual) <= LENGTHS_AGREE_S:
        return None
    missing = (usual - m.seconds) * 1000
    if missing > 0:
        return Finding(
            code="shorter",
            stem=one.stem.id,
            severity="check",
            message=f"{one.name} is {_span(missing)} shorter than the others: check that its end is all there.",
            value=round(missing, 1),
            unit="ms",
        )
    if m.sound_ends_s is None or m.sound_ends_s <= usual:
        return None
    return Finding(
        code="longer",
        stem=one.stem.id,
        severity="check",
        message=f"{one.name} is {_span(-missing)} longer than the others, and sounds there: check that it begins where they do.",
        value=round(-missing, 1),
        unit="ms",
        mend=Mend("trim", {"end_s": round(usual, 3)}),
        mended=one.stem.end_s is not None and one.stem.end_s <= usual,
    )


def _rate(one: Heard, usual: int | None) -> Finding | None:
    rate = one.measured.sample_rate
    if not usual or rate == usual:
        return None
    return Finding(
        code="sample-rate",
        stem=one.stem.id,
        severity="note",
        message=f"{one.name} came at {rate / 1000:g} kHz, the others at {usual / 1000:g}: it was converted and plays in time.",
        value=rate,
        unit="Hz",
    )


def _depth(one: Heard, usual: int | None) -> Finding | None:
    depth = one.measured.bit_depth
    if not usual or not depth or depth == usual:
        return None
    return Finding(
        code="bit-depth",
        stem=one.stem.id,
        severity="note",
        message=f"{one.name} has {depth} bits, the others {usual}: all are played as they are.",
        value=depth,
        unit="bit",
    )


def _mono(one: Heard, others_stereo: bool) -> Finding | None:
    if not others_stereo or one.measured.channels != 1:
        return None
    return Finding(
        code="mono",
        stem=one.stem.id,
        severity="note",
        message=f"{one.name} is mono, most others are stereo: it plays in the middle.",
        value=1,
        unit="channel",
    )


def _span(ms: float) -> str:
    return f"{ms:.0f} ms" if ms < 1000 else f"{ms / 1000:.1f} s"


def _usual(values: Sequence[int]) -> int | None:
    """The value that at least half share; None where there is none."""
    if not values:
        return None
    value, count = Counter(values).most_common(1)[0]
    return value if 2 * count >= len(values) and count > 1 else None


def _usual_length(seconds: Sequence[float]) -> float | None:
    best = max(seconds, key=lambda s: sum(abs(other - s) <= LENGTHS_AGREE_S for other in seconds))
    return best if 2 * sum(abs(other - best) <= LENGTHS_AGREE_S for other in seconds) >= len(seconds) else None


def of_levels(stems: Sequence[Heard]) -> list[Finding]:
    """A stem far louder than in the full mix, or, where none tells, than the next loudest."""
    music = [one for one in stems if not _is_guide(one) and one.measured.integrated_lufs is not None]
    if any(one.compared.louder_db is not None for one in music):
        # Of a sound that is there twice, each is half of what the mix holds.
        times = Counter(one.content for one in music if one.content)
        return [f for one in music if times[one.content] < 2 for f in _of_level_in_mix(one)]
    if len(music) < 3:
        return []
    loud = sorted(music, key=lambda one: -(one.measured.integrated_lufs or -99))
    first, second = (one.measured.integrated_lufs or 0.0 for one in loud[:2])
    over = first - second
    if over < LOUD_DB:
        return []
    s = loud[0].stem
    say = f"“{s.name}” is {over:.0f} dB louder than the next loudest stem: turn it down."
    down = round(s.gain_db - over + 3, 1)
    return [
        Finding(
            code="loud",
            stem=s.id,
            severity="fault",
            message=say,
            value=round(over, 1),
            unit="dB",
            sure=0.7,
            mend=Mend("turn_down", {"gain_db": down}),
            mended=over + s.gain_db < LOUD_DB,
        )
    ]


def _of_level_in_mix(one: Heard) -> list[Finding]:
    over, s = one.compared.louder_db, one.stem
    if over is None or abs(over) < LOUD_IN_MIX_DB:
        return []
    louder = over > 0
    message = (
        f"{one.name} is {over:.1f} dB louder than in the full mix, where the other stems are as they are: turn it down."
        if louder
        else f"{one.name} is {-over:.1f} dB softer than in the full mix: turn it up, if that was not meant."
    )
    return [
        Finding(
            code="loud" if louder else "soft",
            stem=s.id,
            severity="fault" if louder else "check",
            message=message,
            value=round(over, 1),
            unit="dB",
            sure=round(one.compared.lag_sure, 2),
            mend=Mend("turn_down" if louder else "turn_up", {"gain_db": round(-over, 1)}),
            mended=abs(over + s.gain_db) < LOUD_IN_MIX_DB,
        )
    ]


def _is_guide(one: Heard) -> bool:
    return (
        one.stem.group in ("click", "cues", "full_mix")
        or one.stem.purpose == "full_mix"
        or one.compared.click_bpm is not None
        or is_sum(one.compared)
    )


def of_copies(stems: Sequence[Heard]) -> list[Finding]:
    """Stems whose sound is that of an earlier one."""
    first: dict[str, str] = {}
    found = []
    for one in stems:
        if one.content and one.content in first:
            found.append(
                Finding(
                    code="duplicate",
                    stem=one.stem.id,
                    severity="check",
                    message=f"“{one.stem.name}” is the same sound as “{first[one.content]}”: take one of them out.",
                    value=None,
                )
            )
        elif one.content:
            first[one.content] = one.stem.name
    return found
