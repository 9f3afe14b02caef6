"""Sound in another key and tempo (rule V1).

The library's phase vocoder keeps tones, and smears what is struck over its window of 120 ms. So each attack is put
back: the sound around it is the recording itself, moved to its place and resampled to the new pitch
(transient preservation as in A. Röbel, A new approach to transient processing in the phase vocoder, DAFx 2003, here in
the time domain).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from fractions import Fraction
from itertools import pairwise
from math import floor
from pathlib import Path
from typing import NamedTuple

import numpy as np
import python_stretch

from upbeat.audio.attacks import attacks
from upbeat.audio.kernels import windowed_sinc
from upbeat.audio.pcm import WavWriter, full_scale, open_prepared

SEED = 20  # the same request gives the same samples
PIECE_S = 60.0  # a longer sound is stretched in pieces that meet where it is quietest
SEARCH_S, MARGIN_S, JOIN_S = 8.0, 1.0, 0.03
EXCERPT_MARGIN_S = 0.25  # twice the window of the library
TAPS = 32
#: An attack that is so near its place, and rises no slower than by this, is left as the library makes it.
SHARP_S = 0.0004
OPPOSED = -0.5  # how much unlike two sounds are taken to be at most where one goes over into the other


class _Around(NamedTuple):
    """What is put back around an attack: seconds before and after it, with fades."""

    before: float
    after: float
    fade_in: float
    fade_out: float


#: Where tones go on through an attack, the attack alone is put back; what is struck is put back as long as it rings.
HELD = _Around(before=0.06, after=0.06, fade_in=0.045, fade_out=0.055)
STRUCK = _Around(before=0.02, after=0.3, fade_in=0.015, fade_out=0.15)


class _How(NamedTuple):
    sample_rate: int
    semitones: int
    percent: Fraction
    struck: bool


def stretched_frames(frames: int, percent: Fraction) -> int:
    """How many frames a sound has at ``percent`` of its tempo: the nearest, a tie is the later one."""
    return floor(frames * 100 / percent + Fraction(1, 2))


def stretched(
    sound: np.ndarray,
    *,
    sample_rate: int,
    semitones: int = 0,
    percent: Fraction = Fraction(100),
    struck: bool = False,
) -> np.ndarray:
    """(frames, channels) float32 in another key and tempo, of ``stretched_frames(frames, percent)`` frames.

    ``struck``: it has no tones that must go on through an attack, such as drums.
    """
    how = _How(sample_rate, semitones, percent, struck)
    return np.concatenate(list(_pieces(sound, how)) or [np.zeros((0, sound.shape[1]), np.float32)])


def stretch_file(
    source: Path,
    target: Path,
    *,
    sample_rate: int,
    semitones: int = 0,
    percent: Fraction = Fraction(100),
    struck: bool = False,
    progress: Callable[[float], object] = lambda share: None,
) -> int:
    """Write a file in another key and tempo, as float32; gives the CRC-32 of its samples.

    The target is there whole or not at all. ``progress``: gets the share that is done. Raises :class:`Refused`, OSError.
    """
    sound = open_prepared(source, sample_rate)
    how = _How(sample_rate, semitones, percent, struck)
    frames = max(1, stretched_frames(len(sound), percent))
    part = target.with_name(target.name + ".part")
    target.parent.mkdir(parents=True, exist_ok=True)
    try:
        with WavWriter(part, sample_rate, sound.shape[1]) as writer:
            for piece in _pieces(sound, how):
                writer.write(piece)
                progress(writer.frames / frames)
        part.replace(target)
    finally:
        part.unlink(missing_ok=True)
    return writer.crc32


def excerpt(
    sound: np.ndarray,
    first: int,
    last: int,
    *,
    sample_rate: int,
    semitones: int = 0,
    percent: Fraction = Fraction(100),
    struck: bool = False,
) -> np.ndarray:
    """Frames ``first`` to ``last`` of what :func:`stretched` makes, made of what lies around them alone.

    It is heard as that is, but is not the same to the sample.
    """
    margin = round(EXCERPT_MARGIN_S * sample_rate)
    a = max(0, floor(first * percent / 100) - margin)
    b = min(len(sound), floor(last * percent / 100) + margin)
    begin = stretched_frames(a, percent)
    how = _How(sample_rate, semitones, percent, struck)
    part = _stretched(_as_float(sound[a:b], sound), how, stretched_frames(b, percent) - begin)
    made = np.zeros((last - first, sound.shape[1]), dtype=np.float32)
    got = part[max(0, first - begin) : max(0, last - begin)]
    made[: len(got)] = got
    return made


def _cuts(sound: np.ndarray, sample_rate: int) -> list[int]:
    """Where pieces begin and end: at the quietest place before each has its length."""
    piece, search, hop = round(PIECE_S * sample_rate), round(SEARCH_S * sample_rate), round(JOIN_S * sample_rate)
    cuts = [0]
    while len(sound) - cuts[-1] > piece + search:
        a = cuts[-1] + piece - search
        part = np.asarray(sound[a : a + search], dtype=np.float64)
        loud = np.square(part[: search // hop * hop]).sum(axis=1).reshape(-1, hop).sum(axis=1)
        cuts.append(a + int(np.argmin(loud)) * hop + hop // 2)
    return [*cuts, len(sound)]


def _pieces(sound: np.ndarray, how: _How) -> Iterator[np.ndarray]:
    """A sound piece by piece, each made with what lies around it and faded into the one before.

    Where two meet they are nearly the same: their weights add up to one.
    """
    margin, join = round(MARGIN_S * how.sample_rate), round(JOIN_S * how.sample_rate)
    fade = np.sin(0.5 * np.pi * (np.arange(join) + 0.5) / join)[:, None].astype(np.float32) ** 2
    tail = None
    for first, last in pairwise(_cuts(sound, how.sample_rate)):
        a, b = max(0, first - margin), min(len(sound), last + margin)
        begin = stretched_frames(a, how.percent)
        part = _stretched(_as_float(sound[a:b], sound), how, stretched_frames(b, how.percent) - begin)
        start, stop = (stretched_frames(f, how.percent) - begin for f in (first, last))
        if tail is not None:
            start -= join // 2
            yield tail * fade[::-1] + part[start : start + join] * fade
            start += join
        if last == len(sound):
            yield part[start:stop]
            return
        stop -= join // 2
        yield part[start:stop]
        tail = part[stop : stop + join]


def _as_float(rows: np.ndarray, of: np.ndarray) -> np.ndarray:
    return np.asarray(rows, dtype=np.float32) * np.float32(full_scale(of))


def _stretched(sound: np.ndarray, how: _How, frames: int) -> np.ndarray:
    """A sound as a whole, of so many frames."""
    if not len(sound) or (not how.semitones and how.percent == 100):
        return sound
    made = _by_library(sound, how, frames)
    found = attacks(sound, how.sample_rate)
    if len(found):
        _put_attacks(made, sound, found, how)
    return made


def _by_library(sound: np.ndarray, how: _How, frames: int) -> np.ndarray:
    stretch = python_stretch.Signalsmith.Stretch(SEED)
    stretch.preset(sound.shape[1], how.sample_rate)
    if how.semitones:
        stretch.setTransposeSemitones(how.semitones)
    stretch.timeFactor = float(how.percent / 100)
    # It goes on mirrored, so that the last window holds no cut; the library takes no sound shorter than its window.
    window = stretch.blockSamples() + stretch.intervalSamples()
    given = np.pad(sound, ((0, max(stretch.blockSamples(), window - len(sound))), (0, 0)), mode="symmetric").T
    came = np.asarray(stretch.process(np.ascontiguousarray(given))).T
    made = np.zeros((frames, sound.shape[1]), dtype=np.float32)
    got = came[:frames]
    made[: len(got)] = got
    return made


def _put_attacks(made: np.ndarray, sound: np.ndarray, found: np.ndarray, how: _How) -> None:
    """Put the recording back around each attack."""
    rate, ratio, around = how.sample_rate, 2 ** (how.semitones / 12), STRUCK if how.struck else HELD
    before, after = round(around.before * rate), round(around.after * rate)
    places = [stretched_frames(int(f), how.percent) for f in found]
    for i, (at, place) in enumerate(zip(found, places, strict=True)):
        # Neither into the attack before nor into the one after.
        a = place - before if i == 0 else max(place - before, (places[i - 1] + place) // 2)
        b = place + after if i + 1 == len(places) else min(place + after, max(places[i + 1] - before, place + 1))
        a, b = max(0, a), min(len(made), b)
        if b - a < 64:
            continue
        original = _resampled(sound, int(at), np.arange(a - place, b - place), ratio)
        if not how.struck and _is_sharp(made[a:b], original, rate):
            continue
        made[a:b] = _crossfaded(made[a:b].astype(np.float64), original, _window(b - a, around, rate)[:, None])


def _crossfaded(first: np.ndarray, second: np.ndarray, weight: np.ndarray) -> np.ndarray:
    """From ``first`` to ``second`` by a weight, as loud between them as they are however alike they are.

    M. Fink, M. Holters and U. Zölzer, Signal-matched power-complementary cross-fading and dry-wet mixing, DAFx 2016.
    """
    power = float(np.sqrt(np.sum(first * first) * np.sum(second * second)))
    alike = max(OPPOSED, float(np.sum(first * second)) / power) if power else 1.0
    loud = np.sqrt(weight**2 + (1 - weight) ** 2 + 2 * alike * weight * (1 - weight))
    return np.asarray((weight * second + (1 - weight) * first) / loud)


def _is_sharp(made: np.ndarray, original: np.ndarray, sample_rate: int) -> bool:
    """Whether an attack is in its place already and rises as fast as it did."""
    (begins, rise), (began, rose) = (_rise(one, sample_rate) for one in (made, original))
    return abs(begins - began) <= round(SHARP_S * sample_rate) and rise <= rose + round(SHARP_S * sample_rate)


def _rise(sound: np.ndarray, sample_rate: int) -> tuple[int, int]:
    """The frame at which the energy reaches a tenth of its peak, and how many more until nine tenths."""
    edge = np.diff(sound, n=2, axis=0)
    energy = np.convolve(np.einsum("ij,ij->i", edge, edge), np.ones(round(0.001 * sample_rate)))
    tenth, most = (int(np.argmax(energy > part * energy.max())) for part in (0.1, 0.9))
    return tenth, most - tenth


def _window(frames: int, around: _Around, sample_rate: int) -> np.ndarray:
    """From nought to one and back, with cosines."""
    fade_in, fade_out = (min(frames // 2, round(s * sample_rate)) for s in (around.fade_in, around.fade_out))
    window = np.ones(frames)
    window[:fade_in] = 0.5 - 0.5 * np.cos(np.pi * (np.arange(fade_in) + 0.5) / fade_in)
    window[frames - fade_out :] = 0.5 + 0.5 * np.cos(np.pi * (np.arange(fade_out) + 0.5) / fade_out)
    return window


def _rows(sound: np.ndarray, first: int, last: int) -> np.ndarray:
    """Rows ``first`` to ``last``, with silence outside."""
    rows = np.zeros((last - first, sound.shape[1]))
    a, b = max(0, first), min(len(sound), last)
    if a < b:
        rows[a - first : b - first] = sound[a:b]
    return rows


def _resampled(sound: np.ndarray, centre: int, offsets: np.ndarray, ratio: float) -> np.ndarray:
    """The sound at frames ``centre + offsets * ratio``, by a windowed sinc; where it goes up, without what would fold back.

    J. O. Smith, Digital Audio Resampling, 2002 (band-limited interpolation).
    """
    if ratio == 1.0:
        return _rows(sound, centre + int(offsets[0]), centre + int(offsets[-1]) + 1)
    cutoff = min(1.0, 1.0 / ratio)
    reach = round(TAPS / 2 / cutoff)
    low, high = floor(offsets[0] * ratio) - reach + 1, floor(offsets[-1] * ratio) + reach + 1
    out = np.empty((len(offsets), sound.shape[1]))
    windowed_sinc(_rows(sound, centre + low, centre + high), low, int(offsets[0]), ratio, cutoff, reach, out)
    return out
