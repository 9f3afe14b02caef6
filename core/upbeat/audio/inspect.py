"""``upbeat inspect``: everything that is known of one sound file."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

from upbeat.audio.measure import Measured, Meter
from upbeat.audio.prepare import planar_float
from upbeat.audio.read import Source
from upbeat.errors import Problem


def measure_file(path: str | os.PathLike[str], name: str | None = None) -> Measured:
    """Decode and measure a file. Raises :class:`Refused`."""
    with Source(path, name) as source:
        meter = Meter(source.sample_rate, source.channels)
        for block in source.blocks():
            meter.push(planar_float(block))
        return meter.result(source)


def warnings(measured: Measured, name: str) -> list[Problem]:
    """What is worth knowing of a good file before it is on stage."""
    found: list[Problem] = []
    if measured.end == "silent":
        found.append(Problem("silent", f"“{name}” is silent from start to end: check that the right track was exported."))
    if measured.true_peak_dbtp is not None and measured.true_peak_dbtp > 0.05:
        found.append(Problem("over-full-scale", f"“{name}” goes {measured.true_peak_dbtp:.1f} dB over full scale: turn it down."))
    if measured.clipped_frames:
        found.append(Problem("clipped", f"“{name}” is clipped in {measured.clipped_frames} frames: export it with more headroom."))
    if measured.end == "cut":
        found.append(Problem("cut-off", f"“{name}” ends while it still sounds: export a little more at the end."))
    if measured.end == "fades":
        found.append(Problem("fades", f"“{name}” ends in a fade."))
    if measured.dc_offset > 0.01:
        found.append(Problem("dc-offset", f"“{name}” is off the zero line by {measured.dc_offset:.2f} of full scale: remove the DC offset."))
    if measured.channels == 2 and measured.mono_loss_db > 3:
        found.append(Problem("mono-loss", f"“{name}” loses {measured.mono_loss_db:.1f} dB when summed to mono: look for a flipped side."))
    return found


def inspect(path: str | os.PathLike[str]) -> dict[str, Any]:
    """The fields of docs/cli.md. Raises :class:`Refused`."""
    name = Path(path).name
    m = measure_file(path)
    shown = {k: None if v is None else round(v, 3) for k, v in {
        "integrated_lufs": m.integrated_lufs, "true_peak_dbtp": m.true_peak_dbtp,
        "sound_starts_s": m.sound_starts_s, "sound_ends_s": m.sound_ends_s,
    }.items()}  # fmt: skip
    kind = {"RF64": "WAV", "AIFC": "AIFF"}.get(m.format, m.format)
    return {
        "ok": True, "problems": [p.as_dict() for p in warnings(m, name)], "format": kind, "sample_rate": m.sample_rate,
        "channels": m.channels, "frames": m.frames, "bit_depth": m.bit_depth, "seconds": round(m.seconds, 6), **shown,
        "end": m.end, "mono_loss_db": m.mono_loss_db, "clipped_frames": m.clipped_frames, "dc_offset": round(m.dc_offset, 5),
    }  # fmt: skip
