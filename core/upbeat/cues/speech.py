"""The cue voice: words rendered ahead by espeak-ng, trimmed, levelled, with their onsets (rule Q6)."""

from __future__ import annotations

import hashlib
import io
import json
import os
import re
import shutil
import subprocess
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from upbeat.audio.pcm import WavWriter, map_pcm
from upbeat.cues.place import COUNTS
from upbeat.errors import refuse

WORDS_A_MINUTE = 170
MOST_FASTER = 1.35  # rule Q1
PEAK = 0.8
MAX_TEXT = 80
_VERSION = 3  # of the sound made here; a new one makes every kept word anew


@dataclass(frozen=True)
class Word:
    """One rendering of a word: mono float32, and its perceived onset in frames."""

    text: str
    fast: bool
    sound: np.ndarray
    onset: int


def spoken_words(names: Iterable[str], most_counts: int = 8) -> list[str]:
    """Every word that calls may need: the names once each, and the counts."""
    return [*dict.fromkeys(n.strip() for n in names if n.strip()), *COUNTS[:most_counts]]


def make_words(texts: Iterable[str], voice: str, sample_rate: int, folder: str | os.PathLike[str]) -> list[Word]:
    """Render each text as spoken and shortened, keeping what was made before in ``folder``.

    Raises :class:`Refused` where there is no speech engine or no such voice.
    """
    words = []
    for text in texts:
        plain = _kept(text, voice, 1.0, sample_rate, Path(folder))
        fast = _kept(text, voice, 1.3, sample_rate, Path(folder))
        if len(fast.sound) * MOST_FASTER < len(plain.sound) or len(fast.sound) > len(plain.sound):
            fast = _kept(text, voice, 1.18, sample_rate, Path(folder))
        words += [plain, Word(text, True, fast.sound, fast.onset)]
    return words


def _kept(text: str, voice: str, faster: float, sample_rate: int, folder: Path) -> Word:
    key = hashlib.sha256(json.dumps([_VERSION, text, voice, faster, sample_rate]).encode()).hexdigest()[:32]
    sound_file, facts_file = folder / f"{key}.wav", folder / f"{key}.json"
    if facts_file.exists() and (mapped := map_pcm(sound_file)) is not None:
        return Word(text, False, np.array(mapped[0][:, 0]), json.loads(facts_file.read_text())["onset"])
    sound = speak(text, voice, sample_rate, faster)
    from upbeat.cues.onset import perceived_onset

    onset = perceived_onset(sound, sample_rate)
    folder.mkdir(parents=True, exist_ok=True)
    part = folder / f"{key}.{os.getpid()}.part"
    with WavWriter(part, sample_rate, 1) as writer:
        writer.write(sound[:, None])
    part.replace(sound_file)
    part.write_text(json.dumps({"text": text, "voice": voice, "faster": faster, "onset": onset}))
    part.replace(facts_file)
    return Word(text, False, sound, onset)


def speak(text: str, voice: str, sample_rate: int, faster: float = 1.0) -> np.ndarray:
    """One word or name by espeak-ng as mono float32: trimmed, at peak 0.8. Raises :class:`Refused`."""
    import soundfile
    import soxr

    engine = shutil.which("espeak-ng")
    if engine is None:
        raise refuse("voice-engine-missing", "The speech engine espeak-ng is not installed: run ./setup.")
    if not re.fullmatch(r"[A-Za-z0-9][A-Za-z0-9+_-]{0,31}", voice):
        raise refuse("voice-unknown", f"“{voice}” is not a cue voice: choose a language such as en or fr.")
    speed = str(round(WORDS_A_MINUTE * faster))
    done = subprocess.run([engine, "-v", voice, "-s", speed, "--stdin", "--stdout"], input=text[:MAX_TEXT].encode(), capture_output=True, timeout=20, check=False)
    if done.returncode != 0 or len(done.stdout) < 64:
        raise refuse("voice-unknown", f"The cue voice “{voice}” is not installed: choose another language.")
    sound, rate = soundfile.read(io.BytesIO(done.stdout), dtype="float32")
    return level(trim(soxr.resample(sound, rate, sample_rate, "HQ"), sample_rate))


def trim(sound: np.ndarray, sample_rate: int, floor_db: float = -45.0) -> np.ndarray:
    """Cut the silence off both ends, leaving 5 ms before and 15 ms after, faded. Silence gives 10 ms of it."""
    peak = np.abs(sound).max(initial=0)
    loud = np.flatnonzero(np.abs(sound) > peak * 10 ** (floor_db / 20)) if peak > 0 else np.zeros(0, dtype=int)
    if not len(loud):
        return np.zeros(sample_rate // 100, dtype=np.float32)
    a, b = max(0, loud[0] - sample_rate // 200), min(len(sound), loud[-1] + sample_rate * 15 // 1000)
    cut = sound[a:b].copy()
    ramp = min(len(cut) // 2, sample_rate // 200)
    cut[:ramp] *= np.linspace(0, 1, ramp, dtype=np.float32)
    cut[-ramp:] *= np.linspace(1, 0, ramp, dtype=np.float32)
    return cut


def level(sound: np.ndarray) -> np.ndarray:
    """The same sound with its peak at 0.8 of full scale."""
    peak = np.abs(sound).max(initial=0)
    return (sound * (PEAK / peak) if peak > 0 else sound).astype(np.float32)
