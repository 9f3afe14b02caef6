"""A band's own click sounds: a recording made to begin on its onset, as the built-in ones do."""

from __future__ import annotations

import numpy as np

from upbeat.errors import refuse

MOST_S, LONGEST_FILE_S, SILENT_DB, ONSET_DB = 0.5, 20.0, -50.0, -20.0


def prepare_click(name: str, sound: np.ndarray, rate: int, sample_rate: int) -> np.ndarray:
    """A sound of (frames, channels) at ``rate`` as a click: mono float32, peak 1, at most half a second, its onset first.

    The onset is the first frame within 20 dB of the peak: what comes before is room or a breath of the
    hand, 20 dB below what is heard as the stroke. Raises :class:`Refused` for silence or a whole recording.
    """
    import soxr

    line = sound.mean(axis=1) if sound.ndim == 2 else sound
    if not len(line) or not np.isfinite(line).all() or float(np.abs(line).max()) < 10 ** (SILENT_DB / 20):
        raise refuse("click-silent", f"Nothing is heard in “{name}”: choose a file with one stroke in it.")
    if len(line) / rate > LONGEST_FILE_S:
        raise refuse(
            "click-long", f"“{name}” lasts {len(line) / rate:.0f} s: a click is one stroke. Cut it out and add that."
        )
    return from_onset(soxr.resample(line.astype(np.float64), rate, sample_rate, "HQ"), round(MOST_S * sample_rate))


def from_onset(line: np.ndarray, most: int) -> np.ndarray:
    """``line``, (frames,) float32, from its onset on, at most ``most`` frames, ending in silence, with a peak of 1."""
    size = np.abs(line)
    start = int(np.argmax(size >= size.max() * 10 ** (ONSET_DB / 20)))
    cut = line[start : start + most].astype(np.float64)
    fade = max(1, min(len(cut) // 2, most // 20))
    cut[-fade:] *= np.linspace(1, 0, fade)
    top = np.abs(cut).max()
    return (cut / top).astype(np.float32) if top > 0 else cut.astype(np.float32)


def tuned_sound(sound: np.ndarray, semitones: float) -> np.ndarray:
    """A click of one's own, (frames,) float32, higher or lower, beginning on its onset still."""
    import soxr

    if not semitones:
        return sound
    return from_onset(soxr.resample(sound.astype(np.float64), 2 ** (semitones / 12), 1.0, "HQ"), 2 * len(sound))
