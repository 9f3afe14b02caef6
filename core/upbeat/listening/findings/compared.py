"""Findings that need the stems compared (:mod:`upbeat.listening.comparing`): what a stem is, and whether it is in time."""

from __future__ import annotations

from collections.abc import Callable

from upbeat.listening.comparing import is_sum
from upbeat.listening.findings.model import Finding, Heard, Mend

LATE_MS, LATE_BY_ONSETS_MS = 1.0, 30.0


def is_click(one: Heard) -> Finding | None:
    bpm = one.compared.click_bpm
    if bpm is None or one.stem.group == "click":
        return None
    return Finding(
        code="is-click",
        stem=one.stem.id,
        severity="fault",
        message=f"{one.name} is nothing but a click, {bpm:.1f} a minute: mark it as click, so that it stays out of the house.",
        value=round(bpm, 2),
        unit="bpm",
        sure=0.8,
        mend=Mend("mark_click", {"group": "click"}),
    )


def is_full_mix(one: Heard) -> Finding | None:
    c = one.compared
    if not is_sum(c) or one.stem.purpose == "full_mix":
        return None
    return Finding(
        code="is-full-mix",
        stem=one.stem.id,
        severity="fault",
        message=f"{one.name} is the sum of {c.mix_parts} other stems: mark it as the full mix, or everything sounds twice.",
        value=round(100 * c.mix_share),
        unit="%",
        sure=c.mix_share,
        mend=Mend("mark_full_mix", {"group": "full_mix", "purpose": "full_mix"}),
    )


def one_sided(one: Heard) -> Finding | None:
    silent = one.compared.silent_side
    if silent is None:
        return None
    side = "left" if silent == 0 else "right"
    return Finding(
        code="one-sided",
        stem=one.stem.id,
        severity="check",
        message=f"The {side} side of {one.name} is silent: sum it, so that it plays on both.",
        value=silent,
        unit="side",
        mend=Mend("sum", {"mono": True}),
        mended=one.stem.mono,
    )


def inverted(one: Heard) -> Finding | None:
    if not one.compared.inverted:
        return None
    return Finding(
        code="inverted",
        stem=one.stem.id,
        severity="fault",
        message=f"{one.name} is upside down against the full mix: turn its polarity over.",
        sure=round(one.compared.lag_sure, 2),
        mend=Mend("invert", {"invert": True}),
        mended=one.stem.invert,
    )


def late(one: Heard) -> Finding | None:
    """Late or early: against the full mix where there is one, else against the onsets of the others."""
    c, s = one.compared, one.stem
    by_mix = c.against == "full mix"
    least = LATE_MS if by_mix else LATE_BY_ONSETS_MS
    if c.lag_ms is None or c.lag_sure < (0.3 if by_mix else 0.4) or abs(c.lag_ms) < least:
        return None
    code = "late" if c.lag_ms > 0 else "early"
    against = "against the full mix" if by_mix else "against the onsets of the others"
    return Finding(
        code=code,
        stem=s.id,
        severity="fault",
        message=f"{one.name} comes {abs(c.lag_ms):.{1 if by_mix else 0}f} ms {code} {against}: shift it.",
        value=round(abs(c.lag_ms), 3),
        unit="ms",
        sure=round(c.lag_sure, 2),
        mend=Mend("shift", {"delay_ms": round(-c.lag_ms, 3)}),
        mended=abs(c.lag_ms + s.delay_ms) < least,
    )


#: Every finding of a stem that was compared.
OF_COMPARED: tuple[Callable[[Heard], Finding | None], ...] = (is_click, is_full_mix, one_sided, inverted, late)


def of_compared(one: Heard) -> list[Finding]:
    """What comparing a stem with the others shows of it."""
    return [found for rule in OF_COMPARED if (found := rule(one)) is not None]
