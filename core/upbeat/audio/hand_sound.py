"""A sound by hand made ready: trimmed to its start and end, and the level it is proposed at."""

from __future__ import annotations

import numpy as np

from upbeat.audio.measure import Meter
from upbeat.errors import refuse
from upbeat.limits import HAND_SOUND_GAIN_DB, HAND_SOUND_S

SILENT_DB = -60.0  # nothing above it is heard as a sound
START_DB, END_DB = -40.0, -60.0  # below the peak: the room before a stroke, and what is left of its ring
BEFORE_S, AFTER_S = 0.001, 0.02
WANTED_LUFS, MOST_DBFS = -18.0, -3.0


def prepare_hand_sound(name: str, sound: np.ndarray, rate: int, sample_rate: int) -> np.ndarray:
    """A sound of (frames, channels) at ``rate`` as (frames, 1 or 2) float32, beginning with its attack.

    What comes before is less than 1 ms, faded in; its ring is kept down to 60 dB below its peak.
    Raises :class:`Refused` for silence and for what is longer than a sound by hand may be.
    """
    import soxr

    if len(sound) / rate > HAND_SOUND_S.high:
        raise refuse(
            "hand-sound-long",
            f"“{name}” lasts more than {HAND_SOUND_S.high:.0f} s: cut a sound by hand out of it, or add it to a song as a stem.",
        )
    finite = len(sound) > 0 and bool(np.isfinite(sound).all())
    peak = float(np.abs(sound).max()) if finite else 0.0
    if peak < 10 ** (SILENT_DB / 20):
        raise refuse("hand-sound-silent", f"Nothing is heard in “{name}”: choose a file with a sound in it.")
    pair = sound[:, :2] if sound.shape[1] > 1 else sound
    line = soxr.resample(pair.astype(np.float32), rate, sample_rate, "HQ")
    size = np.abs(line).max(axis=1)
    heard = np.flatnonzero(size >= size.max() * 10 ** (START_DB / 20))
    rings = np.flatnonzero(size >= size.max() * 10 ** (END_DB / 20))
    before, after = round(BEFORE_S * sample_rate), round(AFTER_S * sample_rate)
    cut = line[max(0, heard[0] - before) : rings[-1] + 1 + after].astype(np.float32)
    lead = min(before, heard[0])
    cut[:lead] *= np.linspace(0, 1, lead, dtype=np.float32)[:, None]
    tail = min(after, len(cut) // 2)
    cut[-tail:] *= np.linspace(1, 0, tail, dtype=np.float32)[:, None]
    return cut


def proposed_gain_db(sound: np.ndarray, sample_rate: int) -> float:
    """The gain at which a sound of (frames, channels) is as loud as a stem, with its peak below full scale.

    Its loudness is the integrated one (ITU-R BS.1770-4); of what is shorter than a block of it, the peak counts.
    """
    padded = np.concatenate((sound, np.zeros((round(0.4 * sample_rate), sound.shape[1]), np.float32)))
    meter = Meter(sample_rate, sound.shape[1])
    meter.push(np.ascontiguousarray(padded.T))
    loudness = meter.result("", None).integrated_lufs
    room = MOST_DBFS - 20 * float(np.log10(np.abs(sound).max()))
    wanted = room if loudness is None else min(room, WANTED_LUFS - loudness)
    return round(min(HAND_SOUND_GAIN_DB.high, max(HAND_SOUND_GAIN_DB.low, wanted)), 1)
