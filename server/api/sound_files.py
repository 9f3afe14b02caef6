"""Short sound files that somebody brought: read without trust, written whole or not at all."""

from __future__ import annotations

import os
import tempfile
from itertools import islice
from pathlib import Path

import numpy as np
from django.conf import settings

from upbeat.audio.pcm import WavWriter
from upbeat.audio.read import BLOCK, Source


def read_sound(content: bytes, name: str, most_s: float) -> tuple[np.ndarray, int]:
    """The first ``most_s`` seconds of a sound file as (frames, channels) float32, and its rate. Raises :class:`Refused`."""
    with tempfile.NamedTemporaryFile(suffix=Path(name).suffix[:8]) as file:
        file.write(content)
        file.flush()
        with Source(file.name, name) as source:
            most = round(most_s * source.sample_rate) // BLOCK + 1
            blocks = list(islice(source.blocks(), most))
            return np.concatenate(blocks) if blocks else np.zeros((0, 1), np.float32), source.sample_rate


def write_sound(path: Path, sound: np.ndarray) -> None:
    """Write (frames, channels) at the rate of shows; nothing half written stays."""
    path.parent.mkdir(parents=True, exist_ok=True)
    part = path.with_suffix(f".{os.getpid()}.part")
    try:
        with WavWriter(part, settings.SAMPLE_RATE, sound.shape[1]) as writer:
            writer.write(sound)
        part.replace(path)
    finally:
        part.unlink(missing_ok=True)
