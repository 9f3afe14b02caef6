"""What a loop is that somebody brings: how many bars of which metre, how fast, where it is struck, and what it is."""

from __future__ import annotations

import re
from dataclasses import replace
from fractions import Fraction
from itertools import pairwise

import numpy as np

from upbeat.audio.attacks import attacks
from upbeat.audio.pcm import full_scale
from upbeat.errors import Refused, refuse
from upbeat.limits import LAYER_BARS, LAYER_BPM, LOOP_S
from upbeat.song.layers import Layer, LayerKind
from upbeat.time.meter import TimeSignature

SILENT_DBFS = -60.0
NEAR_S = 0.012  # an attack so near to a sixteenth is on it
USUAL_BPM, SPREAD_OCTAVES = 105.0, 0.6
TONAL_FLATNESS = 0.06  # below it, sound between attacks is tones
TONAL_SINKS_DB = -5.0  # tones have not sunk by more in the last third before the next attack
FRAME = 2048
_TEMPO = re.compile(r"(?<![\d.])(\d{2,3}(?:\.\d+)?)\s*bpm|bpm\s*(\d{2,3}(?:\.\d+)?)(?![\d.])", re.IGNORECASE)
_METER = re.compile(r"(?<!\d)(\d{1,2})[-_/](4|8|16)(?!\d)")
_METERS = ("4/4", "3/4")
_MOST_QUARTERS = 128


def measured_loop(name: str, sound: np.ndarray, sample_rate: int) -> Layer:
    """The loop that a sound of (frames, channels), float32 or int16, named ``name``, is taken to be.

    Its file begins with bar 1. Tempo and metre in its name ("92 bpm", "6-8") are believed; else it is as long as whole
    bars at a usual tempo whose sixteenths its attacks are nearest to. Raises :class:`Refused` for silence, and for what
    is shorter or longer than a loop may be.
    """
    seconds = len(sound) / sample_rate
    if seconds not in LOOP_S:
        raise refuse("loop-length", f"“{name}” lasts {seconds:.1f} s: a loop lasts {LOOP_S} s. Cut it to whole bars.")
    line = np.asarray(sound, dtype=np.float32) * np.float32(full_scale(sound))
    if not np.isfinite(line).all() or np.abs(line).max() < 10 ** (SILENT_DBFS / 20):
        raise refuse("loop-silent", f"Nothing is heard in “{name}”: choose a file with a sound in it.")
    found = attacks(line, sample_rate) / sample_rate
    kind = _kind(line, found, sample_rate)
    meter, quarters = _length(name, seconds, found)
    bars = max(1, int(quarters / meter.quarters + Fraction(1, 100)))
    exact = abs(quarters - bars * meter.quarters) < Fraction(1, 100)
    bpm = (
        bars * meter.quarters * 60 / Fraction(len(sound), sample_rate)
        if exact
        else quarters * 60 / Fraction(len(sound), sample_rate)
    )
    return Layer(
        kind=kind,
        bars=min(bars, int(LAYER_BARS.high)),
        meter=meter,
        bpm=Fraction(round(min(LAYER_BPM.high, max(LAYER_BPM.low, float(bpm))), 6)).limit_denominator(10**6),
        attacks=tuple(round(float(a), 6) for a in found),
    )


def relabelled(layer: Layer, seconds: float, *, bars: int, meter: str) -> Layer:
    """The same loop with so many bars of a metre in its length. Raises :class:`Refused` where its tempo would be none."""
    if bars not in LAYER_BARS:
        raise refuse("layer-bars", f"A loop has {LAYER_BARS} whole bars, not {bars}: say how many it has.")
    signature = TimeSignature.parse(meter)
    bpm = Fraction(round(float(bars * signature.quarters * 60) / seconds, 6)).limit_denominator(10**6)
    if float(bpm) not in LAYER_BPM:
        raise refuse(
            "loop-tempo",
            f"{bars} bars of {signature} in {seconds:.2f} s would be {float(bpm):.0f} quarter notes a minute: a loop goes at {LAYER_BPM}. Choose another number of bars.",
        )
    return replace(layer, bars=bars, meter=signature, bpm=bpm)


def _kind(line: np.ndarray, found: np.ndarray, sample_rate: int) -> LayerKind:
    """Held where nothing begins in it but itself, tonal where tones sound on until the next begins, else struck."""
    mono = line.mean(axis=1)
    edges = [0, *(round(at * sample_rate) for at in found if at > 0.1), len(mono)]
    sinks, flat = [], []
    for a, b in pairwise(edges):
        third = (b - a) // 3
        if third < FRAME // 4:
            continue
        first, last = (float(np.square(mono[i : i + third]).sum()) for i in (a + third // 8, b - third))
        sinks.append(10 * np.log10((last + 1e-12) / (first + 1e-12)))
        flat.append(_flatness(mono[a + third // 2 : a + third // 2 + FRAME], sample_rate))
    if not sinks or np.median(sinks) < TONAL_SINKS_DB or np.median(flat) > TONAL_FLATNESS:
        return "struck"
    return "held" if len(edges) == 2 and len(mono) > 2 * sample_rate else "tonal"


def _flatness(frame: np.ndarray, sample_rate: int) -> float:
    """Geometric over arithmetic mean of power from 150 Hz to 5 kHz (J. Johnston, IEEE JSAC 6, 1988)."""
    power = np.square(np.abs(np.fft.rfft(frame * np.hanning(len(frame)), FRAME)))
    hz = np.fft.rfftfreq(FRAME, 1 / sample_rate)
    band = power[(hz > 150) & (hz < 5000)] + 1e-15
    return float(np.exp(np.log(band).mean()) / band.mean())


def _length(name: str, seconds: float, found: np.ndarray) -> tuple[TimeSignature, Fraction]:
    """The metre, and how many quarter notes the whole lasts."""
    said_meter, said_bpm = _said_meter(name), _said_bpm(name)
    meters = [said_meter] if said_meter else [TimeSignature.parse(m) for m in _METERS]
    if said_bpm:
        exact = seconds * said_bpm / 60
        nearest = round(2 * exact) / 2
        return meters[0], Fraction(nearest if abs(exact - nearest) < 0.02 * exact else exact).limit_denominator(1000)
    best: tuple[float, TimeSignature, Fraction] | None = None
    for meter in meters:
        bars = 1
        while bars * meter.quarters <= _MOST_QUARTERS:
            quarters = bars * meter.quarters
            score = _fits(found, seconds, quarters, bars)
            if best is None or score > best[0] + 1e-9:
                best = score, meter, quarters
            bars += 1
    assert best is not None
    return best[1], best[2]


def _fits(found: np.ndarray, seconds: float, quarters: Fraction, bars: int) -> float:
    """How well attacks lie on sixteenths, eighths and beats, at a tempo that is usual, in a usual number of bars."""
    bpm = float(quarters * 60) / seconds
    if bpm not in LAYER_BPM:
        return -np.inf
    usual = -0.5 * (np.log2(bpm / USUAL_BPM) / SPREAD_OCTAVES) ** 2
    even = {1: 0.0, 2: 0.1, 4: 0.1, 8: 0.05, 16: 0.0}.get(bars, -0.35)
    if not len(found):
        return float(usual + even)
    on = 0.0
    for parts, weight in ((1, 0.3), (2, 0.4), (4, 0.6)):
        slot = seconds / float(quarters) / parts
        off = np.abs(found - np.round(found / slot) * slot)
        # What chance would hit does not count.
        by_chance = min(1.0, 2 * NEAR_S / slot)
        on += weight * (float((off < NEAR_S).mean()) - by_chance)
    return float(usual + even + 2 * on)


def _said_bpm(name: str) -> float | None:
    match = _TEMPO.search(name.replace("_", " "))
    value = float(match[1] or match[2]) if match else None
    return value if value in LAYER_BPM else None


def _said_meter(name: str) -> TimeSignature | None:
    match = _METER.search(name)
    try:
        return TimeSignature.parse(f"{match[1]}/{match[2]}") if match else None
    except Refused:
        return None
