"""How a song's recording begins and ends: trimmed, faded, cut on a bar line, or held (``song.edges``)."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from upbeat.audio.pcm import full_scale
from upbeat.mix.stem_audio import RAMP_S, StemAudio
from upbeat.song.edges import Edges
from upbeat.song.stems import is_bass
from upbeat.time.grid import Grid

_ATTACK_S, _CROSS_S, _LISTENED_S = 0.12, 0.08, 0.5
_WINDOW = 8192
_SINKS_DB = 48.0  # over the time an end is held
_DRY_S = 0.35  # drums ring for as long as a hit does, not as long as a chord


def edged(stem: StemAudio, edges: Edges, grid: Grid, sample_rate: int) -> StemAudio:
    """A stem that begins and ends where its song does; what it does by itself within that stays."""
    ramp = round(RAMP_S * sample_rate)
    changes: dict[str, object] = {}
    fade_in = round(edges.fade_in_s * sample_rate)
    if edges.start_s is not None or fade_in:
        start = max(0, round((edges.start_s or 0.0) * sample_rate) - stem.delay)
        if start > stem.start or stem.start < start + fade_in:
            changes.update(start=max(start, stem.start), fade_in=max(fade_in, ramp if start else 0))
    if edges.end_bar is not None:
        end = grid.bar_lines([edges.end_bar], sample_rate)[0] - stem.delay
        if stem.start < end < stem.ends:
            held = round(edges.hold_s * sample_rate)
            changes["end"] = end
            changes["fade_out"] = 0 if held else max(round(edges.fade_out_s * sample_rate), ramp)
            if held:
                changes["tail"] = hold(
                    stem.pcm[end : end + listened(sample_rate)],
                    held,
                    sample_rate,
                    stem.stem.group == "rhythm" and not is_bass(stem.stem),
                )
        elif end <= stem.start:
            changes.update(end=stem.start, fade_out=0)
    return replace(stem, **changes) if changes else stem  # type: ignore[arg-type]


def listened(sample_rate: int) -> int:
    """How many frames after a bar line are listened to, to hold what sounds there."""
    return round(_ATTACK_S * sample_rate) + round(_LISTENED_S * sample_rate)


def hold(after: np.ndarray, frames: int, sample_rate: int, dry: bool = False) -> np.ndarray:
    """What begins on a bar line, held for ``frames`` and sinking to nothing: float32 in the units of ``after``.

    ``after``: (frames, channels), the recording from the bar line on. Its attack is heard as it is; then
    the spectrum of the half second behind it sounds on with phases of chance (the same on all sides, so
    that it stays as wide as it was), which holds a chord without its rhythm coming round (after Moorer,
    "The use of the phase vocoder in computer music applications", JAES 26, 1978). ``dry``: the attack
    alone, let ring for a third of a second.
    """
    channels = after.shape[1]
    attack, cross = round(_ATTACK_S * sample_rate), round(_CROSS_S * sample_rate)
    source = np.zeros((listened(sample_rate), channels), dtype=np.float32)
    known = after[: len(source)]
    source[: len(known)] = known
    tail = np.zeros((frames, channels), dtype=np.float32)
    if dry:
        length = min(frames, len(source), round(_DRY_S * sample_rate))
        tail[:length] = source[:length] * np.linspace(1, 0, length, dtype=np.float32)[:, None] ** 2
        return tail
    texture = _texture(source[attack:], frames, full_scale(after))
    edge = min(attack + cross, frames)
    into = np.clip((np.arange(edge) - attack) / cross, 0, 1)
    tail[:] = texture
    tail[:edge] = source[:edge] * np.cos(into * np.pi / 2)[:, None] + texture[:edge] * np.sin(into * np.pi / 2)[:, None]
    sinking = 10 ** (-_SINKS_DB / 20 * np.arange(frames) / max(1, frames)) * np.minimum(
        1, (frames - np.arange(frames)) / (0.1 * frames)
    )
    tail *= sinking.astype(np.float32)[:, None]
    return tail


def _texture(sound: np.ndarray, frames: int, scale: float) -> np.ndarray:
    """Noise with the spectrum and the level of ``sound``, (frames, channels)."""
    hop = _WINDOW // 4
    window = np.hanning(_WINDOW + 1)[:-1]
    starts = range(0, max(1, len(sound) - _WINDOW + 1), hop)
    pieces = [
        np.pad(part := sound[a : a + _WINDOW], ((0, _WINDOW - len(part)), (0, 0))) * window[:, None] for a in starts
    ]
    power = np.mean([np.abs(np.fft.rfft(p, axis=0)) ** 2 for p in pieces], axis=0)
    chance = np.random.default_rng(1)
    out = np.zeros((frames + 2 * _WINDOW, sound.shape[1]))
    for at in range(0, frames + _WINDOW, hop):
        phases = np.exp(2j * np.pi * chance.random(len(power)))
        out[at : at + _WINDOW] += np.fft.irfft(np.sqrt(power) * phases[:, None], _WINDOW, axis=0) * window[:, None]
    out = out[_WINDOW : _WINDOW + frames]
    own, wanted = np.sqrt(np.mean(out**2)), np.sqrt(np.mean(np.square(sound, dtype=np.float64)))
    return (out * (wanted / own if own * scale > 1e-9 else 0.0)).astype(np.float32)
