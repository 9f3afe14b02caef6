"""A tempo from taps, robust against one that goes astray."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from upbeat.errors import refuse

FEWEST, LONGEST_PAUSE_S = 3, 3.0
STEADIEST_S = 0.008  # what the steadiest hand strays by


def tapped(seconds: Sequence[float]) -> tuple[float, float]:
    """Beats a minute and their uncertainty (one standard error) from the times of taps.

    Taps before a pause of three seconds belong to another try. The slope through the taps is that
    of Theil and Sen (Sen, JASA 63, 1968): a quarter of them may be wrong. A tap that was left out
    or doubled is put in its place among the beats first. Raises :class:`Refused`.
    """
    times = np.sort(np.asarray(seconds, dtype=float))
    if not np.isfinite(times).all():
        raise refuse("tap-format", "A tap has a time that is no number: tap again.")
    breaks = np.flatnonzero(np.diff(times) > LONGEST_PAUSE_S)
    times = times[breaks[-1] + 1 :] if len(breaks) else times
    if len(times) < FEWEST:
        raise refuse("tap-few", "Tap at least three times, on the beat.")
    gaps = np.diff(times)
    usual = float(np.median(gaps))
    if usual <= 0.05:
        raise refuse("tap-fast", "These taps come too fast to be beats: tap again, on the beat.")
    # Where each tap belongs: beats counted by the usual gap, a doubled tap falls on its neighbour's.
    counts = np.concatenate(([0], np.cumsum(np.maximum(0, np.round(gaps / usual)))))
    i, j = np.triu_indices(len(times), 1)
    apart = counts[j] - counts[i]
    slopes = (times[j] - times[i])[apart > 0] / apart[apart > 0]
    period = float(np.median(slopes))
    offset = float(np.median(times - period * counts))
    off = times - offset - period * counts
    # Two figures were fitted, and a few taps that happen to fall well do not make a surer hand.
    spread = max(STEADIEST_S, 1.4826 * float(np.median(np.abs(off))) * math.sqrt(len(times) / (len(times) - 2)))
    width = math.sqrt(float(((counts - counts.mean()) ** 2).sum()))
    bpm = 60 / period
    return bpm, bpm * spread / max(1e-9, width) / period
