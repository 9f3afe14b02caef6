"""A recording held against a grid that is written out already, changes of metre and tempo and all."""

from __future__ import annotations

import numpy as np
import scipy.fft
import scipy.ndimage

from upbeat.listening.follow.align import STEADY_S, Beats
from upbeat.listening.follow.fit import bends, moments_near, onsets, straight
from upbeat.listening.follow.novelty import COARSE, beginning, novelty, stands_out

REACH_S = 8.0
_LOW = 0.2  # low notes on bar lines, beside beginnings on beats
_NEARER = 0.02  # of the score, for each second
_STRETCHES = np.linspace(0.985, 1.015, 121)


def along_grid(line: np.ndarray, beats: np.ndarray, opens_bar: np.ndarray, bpm: float) -> tuple[Beats, float]:
    """Shift and stretch of a grid that lay its beats on what is played, and the bar lines that come of it.

    ``line``: (frames,) at 22050 Hz; ``beats``: seconds of every felt beat of the grid; ``opens_bar``: which of them are bar lines. The
    answer's beats are bar lines alone. With it, how many times longer the recording's beats are.
    """
    heard = novelty(line)
    begins = beginning(heard.coarse)
    low = heard.coarse[0] / (float(np.quantile(heard.coarse[0], 0.97)) + 1e-9)
    shift, stretch = _roughly(begins, np.clip(low, 0, 1), beats, opens_bar)
    k = beats - beats[0]
    rough = beats[0] + shift + stretch * k
    m = moments_near(heard.whole, rough)
    fit = straight(k, m)
    m = moments_near(heard.whole, fit.at(k))
    fit = straight(k, m)
    placed = fit.at(k)
    audible = m.weight > 0.05
    confidence = stands_out(begins, placed, heard.seconds) * float(np.exp(-fit.spread / 0.03))
    steady = bends(k, m, fit) < STEADY_S
    moments = np.where(audible, m.seconds, np.nan)[opens_bar]
    lines = placed[opens_bar]
    found = Beats(
        beats=lines,
        sure=np.full(len(lines), confidence),
        bar1=0,
        per_bar=1,
        bpm=bpm / fit.period,
        offset_s=float(lines[0]),
        spread_ms=fit.spread * 1000,
        steady=steady,
        confidence=round(confidence, 3),
        bar_sure=1.0,
        typed_factor=1.0,
        drift_ms_per_min=(fit.period - 1) * 60_000,
        heard=moments,
        onsets=onsets(heard.whole),
    )
    return found, fit.period


def _roughly(begins: np.ndarray, low: np.ndarray, beats: np.ndarray, opens_bar: np.ndarray) -> tuple[float, float]:
    """The shift in seconds (up to eight either way) and the stretch under which most begins on the beats.

    Low notes belong on bar lines; of two places that are as good the nearer one is meant.
    """
    reach = round(REACH_S * COARSE)
    long = int((beats[-1] - beats[0]) * 1.02 * COARSE) + 4
    first = round(beats[0] * COARSE)
    size = scipy.fft.next_fast_len(max(len(begins), first + reach + long) + long + 2 * reach, real=True)
    # A step to either side is as good: the exact place is looked for afterwards.
    curves = [scipy.fft.rfft(scipy.ndimage.maximum_filter1d(c, 3), size) for c in (begins, low)]
    steps = np.arange(-reach, reach + 1)
    nearer = 1 - _NEARER * np.abs(steps) / COARSE
    best = (-1.0, 0.0, 1.0)
    for stretch in _STRETCHES:
        total = np.zeros(len(steps))
        for curve, chosen, counts in zip(curves, (np.ones(len(beats), bool), opens_bar), (1.0, _LOW), strict=True):
            train = np.zeros(size)
            np.add.at(train, np.round((beats[chosen] - beats[0]) * stretch * COARSE).astype(int), 1.0)
            total += (
                counts * scipy.fft.irfft(curve * np.conj(scipy.fft.rfft(train, size)), size)[(first + steps) % size]
            )
        total *= nearer
        i = int(total.argmax())
        if total[i] > best[0]:
            best = (float(total[i]), steps[i] / COARSE, float(stretch))
    return best[1], best[2]
