"""A director's own recordings of cue words: trimmed, levelled, ready to take the engine's place (rule Q5)."""

from __future__ import annotations

import re
from collections.abc import Iterable

import numpy as np

from upbeat.cues.treat import level, trim
from upbeat.errors import refuse

MOST_S, LEAST_S, SILENT_DB = 4.0, 0.06, -50.0
_ROOM_DB = -32.0  # below the peak: breath and room, which a microphone hears and nobody needs
_SPEECH_HZ, _WINDOW_S = 200, 0.005  # above hum; longer than a frame of noise


def prepare_recording(text: str, sound: np.ndarray, rate: int, sample_rate: int) -> np.ndarray:
    """A recording of ``text``, (frames, channels) float32 at ``rate``, as a mono cue word.

    Rumble under 60 Hz is cut, silence and room at both ends trimmed, and it is levelled as other
    words are. Raises :class:`Refused` for one that is silent, or longer than four seconds.
    """
    import soxr

    line = sound.mean(axis=1) if sound.ndim == 2 else sound
    if not len(line) or not np.isfinite(line).all() or float(np.abs(line).max()) < 10 ** (SILENT_DB / 20):
        raise refuse(
            "recording-silent",
            f"Nothing is heard in the recording of “{text}”: check the microphone and record it again.",
        )
    clean = soxr.resample(_above(line, 60, rate), rate, sample_rate, "HQ")
    cut = trim(clean, sample_rate, _ROOM_DB, _speech(clean, sample_rate))
    seconds = len(cut) / sample_rate
    if seconds > MOST_S:
        raise refuse(
            "recording-long",
            f"The recording of “{text}” lasts {seconds:.1f} s: a cue word lasts at most {MOST_S:g} s. Record the one word alone.",
        )
    if seconds < LEAST_S:
        raise refuse(
            "recording-short",
            f"The recording of “{text}” lasts {1000 * seconds:.0f} ms: that is a click, not a word. Record it again.",
        )
    return level(cut, sample_rate)


def _above(line: np.ndarray, hz: float, rate: int) -> np.ndarray:
    """What of (frames,) lies above ``hz``; hum that the file ends in the middle of rings on as little as can be."""
    from scipy.signal import butter, sosfiltfilt

    sections = butter(2, hz, "high", fs=rate, output="sos")
    return sosfiltfilt(sections, line.astype(np.float64), padtype="constant", padlen=min(len(line) - 1, rate // 10))


def _speech(line: np.ndarray, rate: int) -> np.ndarray:
    """The effective value, around each frame of (frames,), of what a voice has and hum has not."""
    from scipy.ndimage import uniform_filter1d

    power = uniform_filter1d(_above(line, _SPEECH_HZ, rate) ** 2, round(_WINDOW_S * rate), mode="constant")
    return np.sqrt(np.maximum(power, 0))


def word_of_file(name: str, wanted: Iterable[str]) -> str:
    """The word that a file is a recording of: the one of ``wanted`` that its name is written like, else its own name."""
    stem = re.sub(r"\.[A-Za-z0-9]{1,5}$", "", name).strip()
    plain = _plain(stem)
    numbered = _plain(re.sub(r"^\d+[\s._-]+", "", stem))
    return next(
        (w for w in wanted if _plain(w) in (plain, numbered)),
        re.sub(r"[\s_]+", " ", re.sub(r"^\d+[\s._-]+", "", stem)) or name,
    )


def _plain(text: str) -> str:
    return "".join(c for c in text.casefold() if c.isalnum())
