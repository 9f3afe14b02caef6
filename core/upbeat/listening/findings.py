"""What is wrong with the stems of a song, each in a sentence with a number, and what mends it.

Everything is worked out from measures (:mod:`upbeat.audio.measure`) and from comparing the stems
(:mod:`upbeat.listening.comparing`); nothing here opens a file. A mend is a change of a stem's settings:
the file is never touched.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Literal

from upbeat.audio.measure import Measured
from upbeat.listening.comparing import Compared, is_sum
from upbeat.song.stems import Stem

Severity = Literal["fault", "check", "note"]
_RANK: dict[Severity, int] = {"fault": 0, "check": 1, "note": 2}
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

LENGTHS_AGREE_S = 0.1  # coders pad their files by up to this
LATE_MS, LATE_BY_ONSETS_MS = 1.0, 30.0
LOUD_DB, LOUD_IN_MIX_DB = 9.0, 6.0
MONO_LOSS_DB, FLIPPED_DB = 5.0, 10.0
EDGE_FADE_S = 0.25
DC_OFFSET = 0.04


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


def findings(stems: Sequence[Heard]) -> list[Finding]:
    """All that is to be said of a song's stems, worst first."""
    found = [f for one in stems for f in _of_one(one)] + _against_most(stems) + _of_levels(stems) + _of_copies(stems)
    for one in stems:
        found += _of_compared(one)
    codes = {(f.stem, f.code) for f in found}
    # One cause, one finding: what clipped is loud too, what was cut off is shorter too.
    kept = [f for f in found if not any((f.stem, worse) in codes for worse in _SAID_BY.get(f.code, ()))]
    return sorted(kept, key=lambda f: (_RANK[f.severity], _ORDER.index(f.code), -(abs(f.value or 0))))


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


def worst(stems: Iterable[Finding]) -> Finding | None:
    """The first finding that is neither mended nor a mere note."""
    return next((f for f in stems if not f.mended and f.severity != "note"), None)


def _of_one(one: Heard) -> list[Finding]:
    s, m, name = one.stem, one.measured, f"“{one.stem.name}”"
    found: list[Finding] = []

    def add(
        code: str,
        severity: Severity,
        message: str,
        value: float | None = None,
        unit: str = "",
        mend: Mend | None = None,
        mended: bool = False,
        sure: float = 1.0,
    ) -> None:
        found.append(
            Finding(
                code=code,
                stem=s.id,
                severity=severity,
                message=message,
                value=value,
                unit=unit,
                sure=sure,
                mend=mend,
                mended=mended,
            )
        )

    if m.end == "silent":
        add(
            "silent",
            "fault",
            f"{name} is silent from start to end: check that the right track was exported.",
            m.seconds,
            "s",
        )
        return found
    if m.clipped_frames:
        over = one.compared.louder_db or 0.0
        loud = (
            f" It is {over:.1f} dB louder than in the full mix: turn it down until then."
            if over > LOUD_IN_MIX_DB
            else ""
        )
        add(
            "clipped",
            "fault",
            f"{name} is clipped: {m.clipped_frames:,} frames lie flat at full scale. Export it with more headroom.{loud}",
            m.clipped_frames,
            "frames",
            Mend("turn_down", {"gain_db": round(-over, 1)}) if loud else None,
            bool(loud) and s.gain_db <= LOUD_IN_MIX_DB - over,
        )
    if m.true_peak_dbtp is not None and m.true_peak_dbtp > 0.05:
        down = round(-m.true_peak_dbtp - 1, 1)
        add(
            "over-full-scale",
            "fault",
            f"{name} goes {m.true_peak_dbtp:.1f} dB over full scale: turn it down.",
            m.true_peak_dbtp,
            "dBTP",
            Mend("turn_down", {"gain_db": down}),
            s.gain_db <= -m.true_peak_dbtp,
        )
    if m.end == "cut":
        level = "" if m.end_dbfs is None else f", at {m.end_dbfs:.0f} dBFS".replace("-", "−")
        add(
            "cut-off",
            "fault",
            f"{name} ends while it still sounds{level}: export a little more at the end, or fade it out.",
            m.end_dbfs,
            "dBFS",
            Mend("fade", {"fade_out_s": EDGE_FADE_S}),
            s.fade_out_s > 0 or (s.end_s is not None and s.end_s < m.seconds),
        )
    if m.end == "fades" or one.compared.fade_s is not None:
        start = m.seconds - one.compared.fade_s if one.compared.fade_s is not None else m.fade_starts_s or 0.0
        long = m.seconds - start
        add(
            "fades",
            "check",
            f"{name} ends in a fade of {long:.0f} s: on stage it will seem to run dry. End it before {_clock(start)}.",
            round(long, 1),
            "s",
            Mend("trim", {"end_s": round(start, 3), "fade_out_s": EDGE_FADE_S}),
            s.end_s is not None and s.end_s <= start + 0.1,
            0.9,
        )
    if m.dc_offset > DC_OFFSET:
        add(
            "dc-offset",
            "check",
            f"{name} is off the zero line by {m.dc_offset:.2f} of full scale: export it without the DC offset.",
            round(m.dc_offset, 4),
            "of full scale",
        )
    if m.channels == 2 and m.mono_loss_db > FLIPPED_DB:
        lost = "nothing is left" if m.mono_loss_db >= 60 else f"{m.mono_loss_db:.0f} dB are lost"
        add(
            "side-inverted",
            "fault",
            f"One side of {name} is upside down: in mono {lost}. Flip the right side.",
            m.mono_loss_db,
            "dB",
            Mend("flip_side", {"flip_side": True}),
            s.flip_side,
            min(1.0, 0.6 + m.mono_loss_db / 50),
        )
    elif m.channels == 2 and m.mono_loss_db > MONO_LOSS_DB:
        add(
            "mono-loss",
            "check",
            f"{name} loses {m.mono_loss_db:.1f} dB when it is summed to mono: listen to it summed before the desk does it.",
            m.mono_loss_db,
            "dB",
            Mend("sum", {"mono": True}),
            s.mono,
            0.8,
        )
    return found


def _clock(seconds: float) -> str:
    return f"{int(seconds // 60)}:{seconds % 60:04.1f}"


def _against_most(stems: Sequence[Heard]) -> list[Finding]:
    """What differs from most of the others: length, rate, depth, channels."""
    found: list[Finding] = []
    if len(stems) < 3:
        return found
    length = _usual_length([one.measured.seconds for one in stems])
    rate = _usual([one.measured.sample_rate for one in stems])
    depth = _usual([one.measured.bit_depth for one in stems if one.measured.bit_depth])
    stereo = sum(one.measured.channels == 2 for one in stems) * 2 >= len(stems)
    for one in stems:
        m, name = one.measured, f"“{one.stem.name}”"

        def add(
            code: str,
            severity: Severity,
            message: str,
            value: float,
            unit: str,
            mended: bool = False,
            stem: str = one.stem.id,
            mend: Mend | None = None,
        ) -> None:
            found.append(
                Finding(
                    code=code,
                    stem=stem,
                    severity=severity,
                    message=message,
                    value=value,
                    unit=unit,
                    sure=1.0,
                    mend=mend,
                    mended=mended,
                )
            )

        if length is not None and abs(m.seconds - length) > LENGTHS_AGREE_S:
            apart = (length - m.seconds) * 1000
            if apart > 0:
                add(
                    "shorter",
                    "check",
                    f"{name} is {_span(apart)} shorter than the others: check that its end is all there.",
                    round(apart, 1),
                    "ms",
                )
            elif m.sound_ends_s is not None and m.sound_ends_s > length:
                add(
                    "longer",
                    "check",
                    f"{name} is {_span(-apart)} longer than the others, and sounds there: check that it begins where they do.",
                    round(-apart, 1),
                    "ms",
                    one.stem.end_s is not None and one.stem.end_s <= length,
                    mend=Mend("trim", {"end_s": round(length, 3)}),
                )
        if rate and m.sample_rate != rate:
            add(
                "sample-rate",
                "note",
                f"{name} came at {m.sample_rate / 1000:g} kHz, the others at {rate / 1000:g}: it was converted and plays in time.",
                m.sample_rate,
                "Hz",
            )
        if depth and m.bit_depth and m.bit_depth != depth:
            add(
                "bit-depth",
                "note",
                f"{name} has {m.bit_depth} bits, the others {depth}: all are played as they are.",
                m.bit_depth,
                "bit",
            )
        if stereo and m.channels == 1:
            add("mono", "note", f"{name} is mono, most others are stereo: it plays in the middle.", 1, "channel")
    return found


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


def _of_levels(stems: Sequence[Heard]) -> list[Finding]:
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
    mend, mended = {"gain_db": round(-over, 1)}, abs(over + s.gain_db) < LOUD_IN_MIX_DB
    sure = round(one.compared.lag_sure, 2)
    if over > 0:
        say = f"“{s.name}” is {over:.1f} dB louder than in the full mix, where the other stems are as they are: turn it down."
        return [
            Finding(
                code="loud",
                stem=s.id,
                severity="fault",
                message=say,
                value=round(over, 1),
                unit="dB",
                sure=sure,
                mend=Mend("turn_down", mend),
                mended=mended,
            )
        ]
    say = f"“{s.name}” is {-over:.1f} dB softer than in the full mix: turn it up, if that was not meant."
    return [
        Finding(
            code="soft",
            stem=s.id,
            severity="check",
            message=say,
            value=round(over, 1),
            unit="dB",
            sure=sure,
            mend=Mend("turn_up", mend),
            mended=mended,
        )
    ]


def _is_guide(one: Heard) -> bool:
    return (
        one.stem.group in ("click", "cues", "full_mix")
        or one.stem.purpose == "full_mix"
        or one.compared.click_bpm is not None
        or is_sum(one.compared)
    )


def _of_copies(stems: Sequence[Heard]) -> list[Finding]:
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


def _of_compared(one: Heard) -> list[Finding]:
    s, c, name = one.stem, one.compared, f"“{one.stem.name}”"
    found: list[Finding] = []
    if c.click_bpm is not None and s.group != "click":
        say = f"{name} is nothing but a click, {c.click_bpm:.1f} a minute: mark it as click, so that it stays out of the house."
        found.append(
            Finding(
                code="is-click",
                stem=s.id,
                severity="fault",
                message=say,
                value=round(c.click_bpm, 2),
                unit="bpm",
                sure=0.8,
                mend=Mend("mark_click", {"group": "click"}),
            )
        )
    if is_sum(c) and s.purpose != "full_mix":
        say = f"{name} is the sum of {c.mix_parts} other stems: mark it as the full mix, or everything sounds twice."
        found.append(
            Finding(
                code="is-full-mix",
                stem=s.id,
                severity="fault",
                message=say,
                value=round(100 * c.mix_share),
                unit="%",
                sure=c.mix_share,
                mend=Mend("mark_full_mix", {"group": "full_mix", "purpose": "full_mix"}),
            )
        )
    if c.silent_side is not None:
        side = "left" if c.silent_side == 0 else "right"
        say = f"The {side} side of {name} is silent: sum it, so that it plays on both."
        found.append(
            Finding(
                code="one-sided",
                stem=s.id,
                severity="check",
                message=say,
                value=c.silent_side,
                unit="side",
                sure=1.0,
                mend=Mend("sum", {"mono": True}),
                mended=s.mono,
            )
        )
    if c.inverted:
        say = f"{name} is upside down against the full mix: turn its polarity over."
        found.append(
            Finding(
                code="inverted",
                stem=s.id,
                severity="fault",
                message=say,
                value=None,
                unit="",
                sure=round(c.lag_sure, 2),
                mend=Mend("invert", {"invert": True}),
                mended=s.invert,
            )
        )
    late = _late(one)
    return [*found, late] if late else found


def _late(one: Heard) -> Finding | None:
    c, s = one.compared, one.stem
    by_mix = c.against == "full mix"
    if (
        c.lag_ms is None
        or c.lag_sure < (0.3 if by_mix else 0.4)
        or abs(c.lag_ms) < (LATE_MS if by_mix else LATE_BY_ONSETS_MS)
    ):
        return None
    code, word = ("late", "late") if c.lag_ms > 0 else ("early", "early")
    against = "against the full mix" if by_mix else "against the onsets of the others"
    say = f"“{s.name}” comes {abs(c.lag_ms):.{1 if by_mix else 0}f} ms {word} {against}: shift it."
    shift = round(-c.lag_ms, 3)
    mended = abs(c.lag_ms + s.delay_ms) < (LATE_MS if by_mix else LATE_BY_ONSETS_MS)
    return Finding(
        code=code,
        stem=s.id,
        severity="fault",
        message=say,
        value=round(abs(c.lag_ms), 3),
        unit="ms",
        sure=round(c.lag_sure, 2),
        mend=Mend("shift", {"delay_ms": shift}),
        mended=mended,
    )


def of_single(measured: Measured, name: str) -> list[Finding]:
    """What one file alone shows."""
    return findings([Heard(stem=Stem(id=name, name=name, file=name), measured=measured)])


def as_heard(stems: Sequence[Heard], compared: Sequence[Compared]) -> list[Heard]:
    """Stems with what comparing them told."""
    return [replace(one, compared=c) for one, c in zip(stems, compared, strict=True)]
