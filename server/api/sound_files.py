"""Short sound files that somebody brought: read without trust, written whole or not at all."""

from __future__ import annotations

import os
import tempfile
from itertools import islice
from pathlib import Path
from typing import Any

import numpy as np
from django.conf import settings
from rest_framework.parsers import BaseParser

from upbeat.audio.pcm import WavWriter
from upbeat.audio.read import BLOCK, Source

MOST_BYTES = 64 << 20


class SoundFileParser(BaseParser):
    """A sound file, as it is; of one that is too big, no more than shows it."""

    media_type = "application/octet-stream"

    def parse(self, stream: Any, media_type: str | None = None, parser_context: Any = None) -> Any:
        return stream.read(MOST_BYTES + 1)


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
