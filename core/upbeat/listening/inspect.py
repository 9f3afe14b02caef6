"""``upbeat inspect``: everything that is known of one sound file."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

from upbeat.audio.measure import Measured, Meter
from upbeat.audio.prepare import planar_float
from upbeat.audio.read import Source
from upbeat.listening.findings import of_single


def measure_file(path: str | os.PathLike[str], name: str | None = None) -> Measured:
    """Decode and measure a file. Raises :class:`Refused`."""
    with Source(path, name) as source:
        meter = Meter(source.sample_rate, source.channels)
        for block in source.blocks():
            meter.push(planar_float(block))
        return meter.result(source.header.format, source.bit_depth)


def inspect(path: str | os.PathLike[str]) -> dict[str, Any]:
    """The fields of docs/cli.md. Raises :class:`Refused`."""
    m = measure_file(path)
    return {
        "ok": True,
        "problems": [{"code": f.code, "message": f.message} for f in of_single(m, Path(path).name)],
        **facts(m),
    }


def facts(m: Measured) -> dict[str, Any]:
    """Measures as they are shown: levels to a thousandth, formats by their family."""
    shown = {
        k: None if v is None else round(v, 3)
        for k, v in {
            "integrated_lufs": m.integrated_lufs,
            "true_peak_dbtp": m.true_peak_dbtp,
            "sound_starts_s": m.sound_starts_s,
            "sound_ends_s": m.sound_ends_s,
        }.items()
    }
    kind = {"RF64": "WAV", "AIFC": "AIFF"}.get(m.format, m.format)
    return {
        "format": kind,
        "sample_rate": m.sample_rate,
        "channels": m.channels,
        "frames": m.frames,
        "bit_depth": m.bit_depth,
        "seconds": round(m.seconds, 6),
        **shown,
        "end": m.end,
        "fade_starts_s": None if m.fade_starts_s is None else round(m.fade_starts_s, 2),
        "mono_loss_db": m.mono_loss_db,
        "clipped_frames": m.clipped_frames,
        "dc_offset": round(m.dc_offset, 5),
    }
