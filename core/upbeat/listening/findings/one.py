"""Findings of one stem by itself: a function for each, from the stem to the finding or None."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from upbeat.listening.findings.model import Finding, Heard, Mend

LOUD_IN_MIX_DB = 6.0
MONO_LOSS_DB, FLIPPED_DB = 5.0, 10.0
EDGE_FADE_S = 0.25
DC_OFFSET = 0.04


def silent(one: Heard) -> Finding | None:
    if one.measured.end != "silent":
        return None
    return Finding(
        code="silent",
        stem=one.stem.id,
        severity="fault",
        message=f"{one.name} is silent from start to end: check that the right track was exported.",
        value=one.measured.seconds,
        unit="s",
    )


def clipped(one: Heard) -> Finding | None:
    frames = one.measured.clipped_frames
    if not frames:
        return None
    message = f"{one.name} is clipped: {frames:,} frames lie flat at full scale. Export it with more headroom."
    over = one.compared.louder_db or 0.0
    found = Finding(code="clipped", stem=one.stem.id, severity="fault", message=message, value=frames, unit="frames")
    if over <= LOUD_IN_MIX_DB:
        return found
    return replace(
        found,
        message=f"{message} It is {over:.1f} dB louder than in the full mix: turn it down until then.",
        mend=Mend("turn_down", {"gain_db": round(-over, 1)}),
        mended=one.stem.gain_db <= LOUD_IN_MIX_DB - over,
    )


def over_full_scale(one: Heard) -> Finding | None:
    peak = one.measured.true_peak_dbtp
    if peak is None or peak <= 0.05:
        return None
    return Finding(
        code="over-full-scale",
        stem=one.stem.id,
        severity="fault",
        message=f"{one.name} goes {peak:.1f} dB over full scale: turn it down.",
        value=peak,
        unit="dBTP",
        mend=Mend("turn_down", {"gain_db": round(-peak - 1, 1)}),
        mended=one.stem.gain_db <= -peak,
    )


def cut_off(one: Heard) -> Finding | None:
    m, s = one.measured, one.stem
    if m.end != "cut":
        return None
    level = "" if m.end_dbfs is None else f", at {m.end_dbfs:.0f} dBFS".replace("-", "−")
    return Finding(
        code="cut-off",
        stem=s.id,
        severity="fault",
        message=f"{one.name} ends while it still sounds{level}: export a little more at the end, or fade it out.",
        value=m.end_dbfs,
        unit="dBFS",
        mend=Mend("fade", {"fade_out_s": EDGE_FADE_S}),
        mended=s.fade_out_s > 0 or (s.end_s is not None and s.end_s < m.seconds),
    )


def fades(one: Heard) -> Finding | None:
    m, fade_s = one.measured, one.compared.fade_s
    if m.end != "fades" and fade_s is None:
        return None
    start = m.seconds - fade_s if fade_s is not None else m.fade_starts_s or 0.0
    long = m.seconds - start
    clock = f"{int(start // 60)}:{start % 60:04.1f}"
    return Finding(
        code="fades",
        stem=one.stem.id,
        severity="check",
        message=f"{one.name} ends in a fade of {long:.0f} s: on stage it will seem to run dry. End it before {clock}.",
        value=round(long, 1),
        unit="s",
        sure=0.9,
        mend=Mend("trim", {"end_s": round(start, 3), "fade_out_s": EDGE_FADE_S}),
        mended=one.stem.end_s is not None and one.stem.end_s <= start + 0.1,
    )


def dc_offset(one: Heard) -> Finding | None:
    offset = one.measured.dc_offset
    if offset <= DC_OFFSET:
        return None
    return Finding(
        code="dc-offset",
        stem=one.stem.id,
        severity="check",
        message=f"{one.name} is off the zero line by {offset:.2f} of full scale: export it without the DC offset.",
        value=round(offset, 4),
        unit="of full scale",
    )


def side_inverted(one: Heard) -> Finding | None:
    loss = one.measured.mono_loss_db
    if one.measured.channels != 2 or loss <= FLIPPED_DB:
        return None
    lost = "nothing is left" if loss >= 60 else f"{loss:.0f} dB are lost"
    return Finding(
        code="side-inverted",
        stem=one.stem.id,
        severity="fault",
        message=f"One side of {one.name} is upside down: in mono {lost}. Flip the right side.",
        value=loss,
        unit="dB",
        sure=min(1.0, 0.6 + loss / 50),
        mend=Mend("flip_side", {"flip_side": True}),
        mended=one.stem.flip_side,
    )


def mono_loss(one: Heard) -> Finding | None:
    loss = one.measured.mono_loss_db
    if one.measured.channels != 2 or not MONO_LOSS_DB < loss <= FLIPPED_DB:
        return None
    return Finding(
        code="mono-loss",
        stem=one.stem.id,
        severity="check",
        message=f"{one.name} loses {loss:.1f} dB when it is summed to mono: listen to it summed before the desk does it.",
        value=loss,
        unit="dB",
        sure=0.8,
        mend=Mend("sum", {"mono": True}),
        mended=one.stem.mono,
    )


#: Every finding of one stem.
OF_ONE: tuple[Callable[[Heard], Finding | None], ...] = (
    clipped,
    over_full_scale,
    cut_off,
    fades,
    dc_offset,
    side_inverted,
    mono_loss,
)


def of_one(one: Heard) -> list[Finding]:
    """What one stem shows by itself. A silent one shows nothing else."""
    nothing = silent(one)
    return [nothing] if nothing else [found for rule in OF_ONE if (found := rule(one)) is not None]
