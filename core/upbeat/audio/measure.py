"""Measures of a stem: loudness, true peak, where it sounds, how it ends, what mono costs.

Loudness as in ITU-R BS.1770-4 (K-weighting, 400 ms blocks with 75 % overlap, gates at -70 LUFS
and 10 LU below), true peak by its Annex 2: four times oversampling.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from upbeat.audio.kernels import loudest_between, weighted_power
from upbeat.audio.peaks import Extremes

SILENCE_DBFS = -70.0
FULL = np.float32(0.9999)
_FLAT = 3  # consecutive samples at full scale that make a clipped top
_STEP_S = 0.01
_PIECE = 2048


@dataclass(frozen=True, kw_only=True)
class Measured:
    """Figures of one file. Levels are None where there is no reading.

    ``fade_starts_s``: where the sound begins to sink, of one that ends in a fade. ``end_dbfs``:
    peak of the last 20 ms of the file.
    """

    format: str
    sample_rate: int
    channels: int
    frames: int
    bit_depth: int | None
    integrated_lufs: float | None
    true_peak_dbtp: float | None
    peak_dbfs: float | None
    sound_starts_s: float | None
    sound_ends_s: float | None
    end: str
    mono_loss_db: float
    clipped_frames: int
    dc_offset: float
    fade_starts_s: float | None = None
    end_dbfs: float | None = None

    @property
    def seconds(self) -> float:
        return self.frames / self.sample_rate


def k_weighting(sample_rate: int) -> np.ndarray:
    """The two filters of BS.1770 as second-order sections, for any rate.

    At 48 kHz they are the published coefficients. For other rates the analogue prototypes that
    give those coefficients are transformed anew: shelf of 3.99984 dB at 1681.97 Hz with Q 0.70718,
    high-pass at 38.13547 Hz with Q 0.50033 (De Man, "Evaluation of Implementations of the EBU R128
    Loudness Measurement", AES 145, 2018).
    """
    if sample_rate == 48000:
        return np.array(
            [
                [1.53512485958697, -2.69169618940638, 1.19839281085285, 1.0, -1.69065929318241, 0.73248077421585],
                [1.0, -2.0, 1.0, 1.0, -1.99004745483398, 0.99007225036621],
            ]
        )
    f0, gain_db, q = 1681.974450955533, 3.999843853973347, 0.7071752369554196
    k = math.tan(math.pi * f0 / sample_rate)
    vh = 10 ** (gain_db / 20)
    vb = vh**0.4996667741545416
    a0 = 1 + k / q + k * k
    shelf = [
        (vh + vb * k / q + k * k) / a0,
        2 * (k * k - vh) / a0,
        (vh - vb * k / q + k * k) / a0,
        1.0,
        2 * (k * k - 1) / a0,
        (1 - k / q + k * k) / a0,
    ]
    f0, q = 38.13547087602444, 0.5003270373238773
    k = math.tan(math.pi * f0 / sample_rate)
    a0 = 1 + k / q + k * k
    return np.array([shelf, [1.0, -2.0, 1.0, 1.0, 2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0]])


def channel_weights(channels: int) -> np.ndarray:
    """BS.1770 weights: surrounds 1.41, the LFE of 5.1 not at all (L R C LFE Ls Rs)."""
    weights = np.ones(channels)
    if channels == 5:
        weights[3:] = 1.41
    elif channels == 6:
        weights[3], weights[4:] = 0.0, 1.41
    return weights


def gated_loudness(powers: np.ndarray) -> float | None:
    """Integrated loudness in LUFS of weighted block powers (blocks,), both gates applied; None without a reading."""
    with np.errstate(divide="ignore"):
        levels = -0.691 + 10 * np.log10(powers)
    above = powers[levels > -70.0]
    if not len(above):
        return None
    relative = -0.691 + 10 * math.log10(above.mean()) - 10
    loud = powers[(levels > -70.0) & (levels > relative)]
    return float(-0.691 + 10 * math.log10(loud.mean())) if len(loud) else None


class TruePeak:
    """Greatest inter-sample value of a stream, at four times its rate.

    BS.1770-4, Annex 2, gives 12 taps for each of the four phases as an example. Programmes that were
    clipped or limited hold more sound near the top of the band than those let through, so the middles
    between samples are worked out with 128 taps, within 0.3 dB of 16 times oversampling. The quarters
    then lie between values at twice the rate, whose upper half is empty: 16 taps do.
    """

    HALF, QUARTER, CORE = 128, 16, 32

    def __init__(self, channels: int):
        self._half, self._quarter = _middle(self.HALF, 6.0), _middle(self.QUARTER, 7.0)
        self._bound = float(np.abs(self._half).sum() * max(1.0, np.abs(self._quarter).sum()))
        # What lies so near the ends is not worked out: it comes once more with the next block.
        self._reach = self.HALF // 2 + self.QUARTER // 4 + 1
        self._tail = np.zeros((channels, 2 * self._reach), dtype=np.float32)
        self.peak = 0.0

    def push(self, planar: np.ndarray) -> None:
        """Take (channels, frames) float32."""
        line, reach = np.concatenate((self._tail, planar), axis=1), self._reach
        self._tail = line[:, -2 * reach :]
        groups = Extremes(len(line), _PIECE)
        loudest = np.concatenate((groups.push(line), groups.rest), axis=1).max(axis=0)
        self.peak = max(self.peak, float(loudest.max(initial=0)))
        # What cannot beat the peak so far need not be interpolated: the filters gain at most their bound.
        # The loudest first, since it rules out most of the others.
        for i in np.argsort(-loudest):
            if loudest[i] * self._bound <= self.peak:
                break
            first, last = max(0, i * _PIECE - reach), min(line.shape[1], (i + 1) * _PIECE + reach)
            found = loudest_between(line, first, last, self._half, self._quarter, self.CORE, self._bound, self.peak)
            self.peak = float(found)


def _middle(taps: int, beta: float) -> np.ndarray:
    """A windowed sinc for the point halfway between the two samples in its middle, as float32 with sum 1."""
    from_middle = np.arange(taps) - (taps - 1) / 2
    window = np.i0(beta * np.sqrt(1 - (from_middle / (taps / 2)) ** 2))
    filter_ = np.sinc(from_middle) * window
    return (filter_ / filter_.sum()).astype(np.float32)


class Meter:
    """Takes a stem block by block as float32 (channels, frames).

    Planar, since every figure here runs along time: numpy is many times quicker on it.
    """

    def __init__(self, sample_rate: int, channels: int):
        self.sample_rate, self.channels = sample_rate, channels
        self._sections = k_weighting(sample_rate)
        self._state = np.zeros((channels, 2, 2))
        self._hop = sample_rate // 10
        self._sums, self._held = np.zeros(channels), 0
        self._hops: list[np.ndarray] = []
        self._true_peak = TruePeak(channels)
        self.frames = 0
        self._sum = np.zeros(channels)
        self._clipped = 0
        self._step = max(1, round(_STEP_S * sample_rate))
        self._levels = Extremes(channels, self._step)
        self._steps: list[np.ndarray] = []
        self._mono = self._stereo = 0.0

    def push(self, planar: np.ndarray) -> None:
        self.frames += planar.shape[1]
        self._true_peak.push(planar)
        steps = self._levels.push(planar)
        self._steps.append(steps)
        if max(steps.max(initial=0), self._levels.rest.max(initial=0)) >= FULL:
            self._count_clipped(planar)
        if self.channels == 2:
            left, right = planar
            own, shared = float(left @ left) + float(right @ right), float(left @ right)
            self._mono += max(0.0, own / 2 + shared)
            self._stereo += own
        hops = np.empty((self.channels, (self._held + planar.shape[1]) // self._hop))
        self._held = weighted_power(
            planar, self._sections, self._state, self._sums, self._sum, self._held, self._hop, hops
        )
        self._hops.append(hops)

    def _count_clipped(self, planar: np.ndarray) -> None:
        top = np.abs(planar) >= FULL
        run = top[:, 2:] & top[:, 1:-1] & top[:, :-2]
        inside = np.zeros(planar.shape[1], dtype=bool)
        starts = run.any(axis=0)
        for k in range(_FLAT):
            inside[k : planar.shape[1] - 2 + k] |= starts
        self._clipped += int(inside.sum())

    def short_term(self, step: int = 5) -> tuple[tuple[float | None, ...], float]:
        """Loudness over three seconds around every ``step`` tenths of a second (EBU Tech 3341), and that step in seconds.

        None below -70 LUFS, which BS.1770 calls silence. Short windows stand at both ends.
        """
        hops = np.concatenate(self._hops, axis=1).T if self._hops else np.zeros((0, self.channels))
        weighted = np.concatenate(([0.0], np.cumsum(hops @ channel_weights(self.channels))))
        middles = np.arange(0, len(hops), step)
        low, high = np.maximum(0, middles - 15), np.minimum(len(hops), middles + 15)
        powers = (weighted[high] - weighted[low]) / np.maximum(1, high - low)
        return tuple(round(float(-0.691 + 10 * math.log10(p)), 2) if p > 1.2e-7 else None for p in powers), step / 10

    def result(self, kind: str, bit_depth: int | None) -> Measured:
        """The figures, once all of the sound has been pushed. ``kind``: the format it came in."""
        hops = np.concatenate(self._hops, axis=1).T if self._hops else np.zeros((0, self.channels))
        powers = np.zeros(0)
        if len(hops) >= 4:
            weighted = hops @ channel_weights(self.channels)
            powers = np.convolve(weighted, np.ones(4) / 4, "valid")
        peak = self._true_peak.peak
        level = np.concatenate([*self._steps, self._levels.rest], axis=1).max(axis=0)
        sample_peak = float(level.max(initial=0))
        starts, ends, end = _where_it_sounds(level, self._step / self.sample_rate, self.frames / self.sample_rate)
        fade = _fade_start(level, self._step / self.sample_rate) if end == "fades" else None
        loss = (
            10 * math.log10(self._stereo / self._mono)
            if self._stereo > 0 and self._mono > 1e-12 * self._stereo
            else (0.0 if not self._stereo else 120.0)
        )
        return Measured(
            format=kind,
            sample_rate=self.sample_rate,
            channels=self.channels,
            frames=self.frames,
            bit_depth=bit_depth,
            integrated_lufs=gated_loudness(powers),
            true_peak_dbtp=_db(peak),
            peak_dbfs=_db(sample_peak),
            sound_starts_s=starts,
            sound_ends_s=ends,
            end=end,
            mono_loss_db=round(loss, 2),
            clipped_frames=self._clipped,
            dc_offset=float(np.abs(self._sum / max(1, self.frames)).max(initial=0)),
            fade_starts_s=fade,
            end_dbfs=_db(float(level[-2:].max(initial=0))),
        )


def _db(value: float) -> float | None:
    return 20 * math.log10(value) if value > 0 else None


def _where_it_sounds(level: np.ndarray, step_s: float, seconds: float) -> tuple[float | None, float | None, str]:
    """First and last moment above -70 dBFS, and whether the end is clean, fades or is cut off.

    ``level``: peak of every step. Cut: the last 20 ms are within 30 dB of the loudest of the last
    second or above -50 dBFS; fades: over the last 8 s of sound the level sinks steadily by 12 dB
    or more and longer than a note rings.
    """
    loud = np.flatnonzero(level > 10 ** (SILENCE_DBFS / 20))
    if not len(loud):
        return None, None, "silent"
    starts, ends = float(loud[0] * step_s), float(min(seconds, (loud[-1] + 1) * step_s))
    tail = level[: loud[-1] + 1]
    if ends >= seconds - 2 * step_s and level[-2:].max() > 10 ** (-50 / 20):
        return starts, ends, "cut"
    window = int(8 / step_s)
    if len(tail) >= window:
        seconds_db = 20 * np.log10(np.maximum(tail[-window:].reshape(8, -1).max(axis=1), 1e-6))
        falls = np.diff(seconds_db)
        if (falls < 1.0).all() and seconds_db[0] - seconds_db[-1] > 24 and (falls < -0.5).sum() >= 6:
            return starts, ends, "fades"
    return starts, ends, "clean"


def _fade_start(level: np.ndarray, step_s: float) -> float:
    """Where a fade begins: the last moment before it that is as loud as the music was.

    ``level``: peak of every step. The loudest of each second is followed back from the end, as long
    as it rises; a fade starts within 1 dB of where that stops.
    """
    window = max(1, round(1 / step_s))
    whole = level[len(level) % window :].reshape(-1, window).max(axis=1)
    db = 20 * np.log10(np.maximum(whole, 1e-6))
    at = len(db) - 1
    while at > 0 and (db[at - 1] > db[at] + 0.3 or db[at] < db[max(0, at - 12) :].max() - 12):
        at -= 1
    loud = np.flatnonzero(level[len(level) % window + at * window :] >= whole[at] * 10 ** (-1 / 20))
    return float((len(level) % window + at * window + loud[-1]) * step_s)
