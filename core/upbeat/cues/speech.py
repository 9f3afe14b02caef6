"""Words rendered ahead: spoken by an engine or recorded, clear, levelled, with their onsets (rule Q6)."""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import select
import struct
import subprocess
import sys
from collections.abc import Generator, Iterable, Iterator, Mapping, Sequence
from contextlib import ExitStack, closing
from dataclasses import dataclass
from itertools import zip_longest
from pathlib import Path
from typing import IO, cast

import numpy as np

from upbeat.audio.pcm import WavWriter, map_pcm
from upbeat.cues import engine as speech_engine
from upbeat.cues.onset import perceived_onset
from upbeat.cues.treat import clearer, level, shortened, trim
from upbeat.cues.voice import MAX_TEXT, Voice
from upbeat.errors import refuse

MOST_FASTER = 1.35  # rule Q1
_FASTER = (1.3, 1.18)
_SILENT = 0.02  # of full scale: flite breathes where there is nothing to say
_AT_ONCE = 8  # words worth a second process
_PATIENCE_S = 30
_VERSION = 9  # of the rendering; a higher number invalidates every cached word


@dataclass(frozen=True)
class Word:
    """One rendering of a word: mono float32, and its perceived onset in frames, which may be put aside by hand."""

    text: str
    fast: bool
    sound: np.ndarray
    onset: int

    @property
    def silent(self) -> bool:
        """Whether there is nothing to be heard in it."""
        return not self.sound.any()


def spoken_words(names: Iterable[str], counts: Sequence[str], most_counts: int = 8) -> list[str]:
    """Every word that calls may need: the names once each, and the counts."""
    return [*dict.fromkeys([*(n.strip() for n in names if n.strip()), *counts[:most_counts]])]


def make_words(
    texts: Iterable[str],
    voice: Voice,
    sample_rate: int,
    folder: str | os.PathLike[str],
    own: Mapping[str, np.ndarray] | None = None,
) -> list[Word]:
    """Each text as spoken and shortened, in turn, keeping what was made before in ``folder``.

    ``own``: recordings made ready (upbeat.cues.recorded) by what is said, case folded; they are
    taken instead of the engine's. Raises :class:`Refused` where there is no such voice.
    """
    folder = Path(folder)
    texts = list(texts)
    recorded = own or {}
    by_engine = [t for t in texts if t.casefold() not in recorded]
    _speak_all([(t, f) for t in by_engine for f in (1.0, _FASTER[0])], voice, sample_rate, folder)
    words = []
    for text in texts:
        mine = recorded.get(text.casefold())
        plain, fast = (
            _recorded(text, mine, sample_rate, folder)
            if mine is not None
            else _spoken(text, voice, sample_rate, folder)
        )
        words += [
            Word(text, i > 0, sound, moved(onset, text, voice, sample_rate, len(sound)))
            for i, (sound, onset) in enumerate((plain, fast))
        ]
    return words


def moved(onset: int, text: str, voice: Voice, sample_rate: int, frames: int) -> int:
    """The onset that a word of ``frames`` is placed by, once the band has put it earlier or later."""
    return min(max(0, onset - round(voice.shifts.get(text, 0.0) * sample_rate / 1000)), frames)


Made = tuple[np.ndarray, int]
Raw = tuple[np.ndarray, int]


def _spoken(text: str, voice: Voice, sample_rate: int, folder: Path) -> tuple[Made, Made]:
    plain = _load(folder, _key(text, voice, 1.0, sample_rate))
    assert plain is not None
    for faster in _FASTER:
        key = _key(text, voice, faster, sample_rate)
        if _load(folder, key) is None:
            _speak_all([(text, faster)], voice, sample_rate, folder)
        fast = _load(folder, key)
        if fast is not None and len(plain[0]) / MOST_FASTER <= len(fast[0]) <= len(plain[0]):
            return plain, fast
    return plain, _squeezed(plain, sample_rate, folder, _key(text, voice, 0.0, sample_rate))


def _recorded(text: str, sound: np.ndarray, sample_rate: int, folder: Path) -> tuple[Made, Made]:
    key = hashlib.sha256(json.dumps([_VERSION, sample_rate]).encode() + sound.tobytes()).hexdigest()[:32]
    plain = _load(folder, key) or _keep(folder, key, sound, sample_rate, text)
    return plain, _squeezed(plain, sample_rate, folder, f"{key}-fast")


def _squeezed(plain: Made, sample_rate: int, folder: Path, key: str) -> Made:
    kept = _load(folder, key)
    if kept is not None:
        return kept
    # Trimming takes a little more than the stretching does.
    fast = next(
        (
            s
            for by in (1.3, 1.25, 1.2, 1.1)
            if len(plain[0]) / MOST_FASTER <= len(s := shortened(plain[0], sample_rate, by)) <= len(plain[0])
        ),
        plain[0],
    )
    return _keep(folder, key, level(fast, sample_rate), sample_rate, "")


def _key(text: str, voice: Voice, faster: float, sample_rate: int) -> str:
    return hashlib.sha256(
        json.dumps([_VERSION, text, voice.name, voice.speed, voice.pitch, faster, sample_rate]).encode()
    ).hexdigest()[:32]


def _is_kept(folder: Path, key: str) -> bool:
    return (folder / f"{key}.json").exists() and (folder / f"{key}.wav").exists()


def _load(folder: Path, key: str) -> Made | None:
    facts = folder / f"{key}.json"
    try:
        onset = json.loads(facts.read_text())["onset"]
    except (OSError, ValueError, KeyError):
        return None
    mapped = map_pcm(folder / f"{key}.wav")
    return None if mapped is None else (np.array(mapped[0][:, 0]), int(onset))


def _keep(folder: Path, key: str, sound: np.ndarray, sample_rate: int, text: str) -> Made:
    onset = perceived_onset(sound, sample_rate)
    folder.mkdir(parents=True, exist_ok=True)
    part = folder / f"{key}.{os.getpid()}.part"
    with WavWriter(part, sample_rate, 1) as writer:
        writer.write(sound[:, None])
    part.replace(folder / f"{key}.wav")
    part.write_text(json.dumps({"text": text, "onset": onset}))
    part.replace(folder / f"{key}.json")
    return sound, onset


def _speak_all(wanted: Sequence[tuple[str, float]], voice: Voice, sample_rate: int, folder: Path) -> None:
    """Speak and keep what is not kept yet: (text, how much faster), by two engines at once where it is worth it."""
    missing = [(t, f) for t, f in wanted if not _is_kept(folder, _key(t, voice, f, sample_rate))]
    parts = [missing[0::2], missing[1::2]] if len(missing) > _AT_ONCE else [missing]
    with ExitStack() as stack:
        running = [stack.enter_context(closing(_ask_engine(part, voice))) for part in parts if part]
        # Each is asked once before any is waited for, and they speak on while a word is made ready.
        for (text, faster), raw in zip(missing, _in_turn(running), strict=True):
            _keep(folder, _key(text, voice, faster, sample_rate), _made_ready(*raw, sample_rate), sample_rate, text)


def _in_turn(running: Sequence[Iterator[Raw]]) -> Iterator[Raw]:
    return (raw for row in zip_longest(*running) for raw in row if raw is not None)


def _made_ready(sound: np.ndarray, rate: int, sample_rate: int) -> np.ndarray:
    import soxr

    if not len(sound) or np.abs(sound).max() < _SILENT:
        return np.zeros(sample_rate // 100, dtype=np.float32)
    plain = trim(soxr.resample(sound, rate, sample_rate, "HQ"), sample_rate)
    return level(trim(clearer(plain, sample_rate), sample_rate, -60.0), sample_rate)


def speak(text: str, voice: Voice, sample_rate: int, faster: float = 1.0) -> np.ndarray:
    """One word or name as mono float32, made clear and levelled. Raises :class:`Refused`."""
    with closing(_ask_engine([(text, faster)], voice)) as answers:
        sound, rate = next(answers)
    return _made_ready(sound, rate, sample_rate)


def _ask_engine(wanted: Sequence[tuple[str, float]], voice: Voice) -> Generator[Raw, None, None]:
    """Sound and sample rate of each wish, as soon as the engine has spoken it; it is started at once."""
    wishes = [
        {
            "engine": voice.engine,
            "voice": voice.speaker,
            "text": text[:MAX_TEXT],
            "speed": voice.speed * faster,
            "pitch": voice.pitch,
        }
        for text, faster in wanted
    ]
    program = [sys.executable, "-I", "-S", str(Path(speech_engine.__file__))]
    running = subprocess.Popen(
        program, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, bufsize=0
    )
    with contextlib.suppress(BrokenPipeError):
        cast(IO[bytes], running.stdin).write(json.dumps(wishes).encode())
        cast(IO[bytes], running.stdin).close()
    return _answers(running, [text for text, _ in wanted], voice)


def _answers(running: subprocess.Popen[bytes], texts: Sequence[str], voice: Voice) -> Generator[Raw, None, None]:
    try:
        pipe = cast(IO[bytes], running.stdout).fileno()
        for text in texts:
            header = _exactly(pipe, 8)
            rate, size = struct.unpack("<II", header) if len(header) == 8 else (-1, 0)
            raw = _exactly(pipe, size)
            if rate < 0 or len(raw) < size:
                raise refuse(
                    "voice-engine-failed",
                    f"The speech engine {voice.engine} stopped while it spoke “{text[:40]}”: choose another voice or wording.",
                )
            if not rate:
                raise refuse("voice-unknown", f"The cue voice “{voice.name}” is not installed: choose another voice.")
            yield np.frombuffer(raw, "<i2").astype(np.float32) / 32768, rate
    finally:
        running.kill()
        running.wait()
        cast(IO[bytes], running.stdout).close()


def _exactly(pipe: int, size: int) -> bytes:
    """``size`` bytes, or fewer where the engine has ended or says nothing for half a minute."""
    got = bytearray()
    while len(got) < size and select.select([pipe], [], [], _PATIENCE_S)[0]:
        piece = os.read(pipe, size - len(got))
        if not piece:
            break
        got += piece
    return bytes(got)
