"""Gate and drive of a stem (rule M8), made where it is read.

Both follow from the frames of the file alone, so that the samples are the same however the music jumped to them. The file is
known ahead: a gate is open when what opens it begins, and the filters of a drive are symmetrical and make nothing late.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from upbeat.audio.file_pcm import Pcm
from upbeat.audio.pcm import full_scale
from upbeat.audio.stem_kernels import gate_gains, rounded_off
from upbeat.song.treatment import Drive, Gate

OPENS_S = 0.003  # so long before what opens it a gate begins to open
HOLD_S = 0.040  # that it stays open after what was last loud enough: a period of 25 Hz
OVER = 8  # times as many samples, in which a drive rounds off: what it adds above half the rate is filtered out
HALF = 8  # frames that its filters reach to either side
AROUND = 2 * HALF
USUAL_DB = -18.0  # dBFS that a drive leaves as loud as it was


class DrivenPcm:
    """(frames, channels) float32, full scale 1, of a stem through its gate and its drive, read by slices of rows."""

    dtype = np.dtype(np.float32)

    def __init__(self, pcm: Pcm, sample_rate: int, gate: Gate | None, drive: Drive | None) -> None:
        self._pcm, self._gate, self._drive = pcm, gate, drive
        self._scale = np.float32(full_scale(pcm))
        self.shape = pcm.shape
        self._opens, self._hold = round(OPENS_S * sample_rate), round(HOLD_S * sample_rate)
        self._release = round(gate.release_ms * sample_rate / 1000) if gate else 0
        # The last row that opened the gate before a row, as it was found when that was read last.
        self._known = -1, -1

    def __len__(self) -> int:
        return int(self.shape[0])

    def __getitem__(self, rows: slice) -> np.ndarray:
        first, last, step = rows.indices(len(self))
        assert step == 1
        if last <= first:
            return np.zeros((0, self.shape[1]), np.float32)
        if self._drive is None:
            return self._gated(first, last, last)
        around = np.zeros((last - first + 2 * AROUND, self.shape[1]), np.float32)
        a, b = max(0, first - AROUND), min(len(self), last + AROUND)
        around[a - first + AROUND : b - first + AROUND] = self._gated(a, b, max(0, last - AROUND))
        made = np.empty((last - first, self.shape[1]), np.float32)
        rounded_off(around, taps(), OVER, _factor(self._drive), softer(self._drive), made)
        return made

    def _read(self, first: int, last: int) -> np.ndarray:
        return np.asarray(self._pcm[first:last], dtype=np.float32) * self._scale

    def _gated(self, first: int, last: int, following: int) -> np.ndarray:
        """Rows ``first`` to ``last`` through the gate; those that are read next will begin at row ``following``."""
        if self._gate is None:
            return self._read(first, last)
        row, opened = self._known
        reach = self._hold + self._release
        before = 0 if row == first else min(first, reach)
        a, b = first - before, min(len(self), last + self._opens)
        sound = self._read(a, b)
        loud = 10 ** (self._gate.opens_db / 20)
        gains = np.empty(last - first, np.float32)
        known = opened - a if row == first else -reach - 1
        found = gate_gains(
            sound, before, loud, self._opens, self._hold, self._release, known, max(first, following) - a, gains
        )
        self._known = max(first, following), a + found
        return sound[before : before + last - first] * gains[:, None]


def softer(drive: Drive) -> float:
    """The factor after a drive: a sample at -18 dBFS stays as it is."""
    at = 10 ** (USUAL_DB / 20)
    x = min(3.0, at * _factor(drive))
    return float(at * (27 + 9 * x * x) / (x * (27 + x * x)))


def _factor(drive: Drive) -> float:
    return float(10 ** (drive.db / 20))


@lru_cache(maxsize=1)
def taps() -> np.ndarray:
    """A linear-phase low pass at half the rate for :data:`OVER` times as many samples, (2 * HALF * OVER + 1,) float32, read-only."""
    from_middle = np.arange(1 - HALF * OVER, HALF * OVER)
    made = np.sinc(from_middle / OVER) * np.kaiser(len(from_middle), 7.0)
    made = np.concatenate([[0.0], made / made.sum(), [0.0]]).astype(np.float32)
    made.setflags(write=False)
    return made
