"""All usual names called at six tempos, and what an independent recogniser takes them for."""

from __future__ import annotations

import difflib
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import soxr
from material import RATE, song

from upbeat.cues.onset import perceived_onset
from upbeat.cues.usual_words import NAMES
from upbeat.show.bounce import play
from upbeat.show.document import FORMAT, VERSION, Show, read_show
from upbeat.show.guides import ready_guides

TEMPOS = (60, 90, 120, 150, 180, 210)
HEARD_AT = 16_000
COUNTS = ("one", "two", "three", "four", "five", "six", "seven", "eight")


def called(voice: Any, tempos: tuple[int, ...] = TEMPOS, names: tuple[str, ...] = NAMES, **changes: Any) -> Show:
    """A song for each tempo in which every name is called into, two bars of 4/4 each, counted in aloud."""
    songs = []
    for bpm in tempos:
        sections = [{"id": f"s{i}", "name": name, "bars": 2} for i, name in enumerate(("Start", *names))]
        songs.append(
            song(
                id=f"at{bpm}",
                tempo=[{"bar": 1, "bpm": str(bpm)}],
                sections=sections,
                calls=True,
                count_in={"bars": 2, "aloud": True},
                **changes,
            )
        )
    document = {
        "format": FORMAT,
        "version": VERSION,
        "title": "Words",
        "sample_rate": RATE,
        "songs": songs,
        "voice": voice,
        "entries": [{"id": s["id"], "song": s["id"]} for s in songs],
        "feeds": [],
        "rig": {"sockets": []},
        "patch": [],
    }
    return read_show(document)


def spoken(show: Show, entry: int, folder: Path) -> tuple[np.ndarray, list[dict[str, Any]]]:
    """The cues of an entry as they leave the socket, and its words."""
    blocks: list[np.ndarray] = []
    events = play(ready_guides(show, entry, folder, "cues", folder), None, blocks.append)
    return np.concatenate(blocks, axis=1)[0], [e for e in events if e["kind"] == "cue"]


@dataclass(frozen=True)
class Placed:
    """How the words of a song stand: worst distance of a heard onset from its beat in ms, overlaps, shortened words, words in all."""

    worst_ms: float
    overlaps: int
    shortened: int
    words: int


def placed(sound: np.ndarray, words: list[dict[str, Any]]) -> Placed:
    off = [w["start"] + perceived_onset(sound[w["start"] : w["end"]], RATE) - w["frame"] for w in words]
    spans = sorted((w["start"], w["end"]) for w in words)
    overlaps = sum(a[1] > b[0] for a, b in zip(spans, spans[1:], strict=False))
    return Placed(1000 * max(map(abs, off)) / RATE, overlaps, sum(w["fast"] for w in words), len(words))


def recogniser(grammar: str) -> Any:
    """pocketsphinx with its own English model and a JSGF grammar; it knows nothing of our voices."""
    from pocketsphinx import Decoder, get_model_path

    model = get_model_path()
    decoder = Decoder(hmm=f"{model}/en-us/en-us", dict=f"{model}/en-us/cmudict-en-us.dict", lm=None, logfn="/dev/null")
    decoder.add_word("outro", "AW T R OW", True)
    decoder.add_jsgf_string("cues", f"#JSGF V1.0; grammar cues; {grammar}")
    decoder.activate_search("cues")
    return decoder


def _words(names: tuple[str, ...]) -> str:
    return " | ".join(n.casefold().replace("-", " ") for n in names)


def one_word() -> Any:
    """Hears one cue word, whichever."""
    return recogniser(f"public <word> = {_words((*COUNTS, *NAMES))} ;")


def whole_call() -> Any:
    """Hears a call: a name and counts after it, whichever and however many; or counts alone."""
    return recogniser(f"public <call> = [ <name> ] <count>* ; <name> = {_words(NAMES)} ; <count> = {_words(COUNTS)} ;")


def heard(decoder: Any, sound: np.ndarray) -> list[str]:
    """The words that the recogniser hears in a sound at :data:`RATE`."""
    low = soxr.resample(sound, RATE, HEARD_AT, "HQ")
    # A recording is never digital silence.
    low = np.pad(low, HEARD_AT // 4) + np.random.default_rng(1).normal(0, 1e-4, len(low) + HEARD_AT // 2)
    decoder.start_utt()
    decoder.process_raw(
        (np.clip(low * min(1.0, 0.9 / np.abs(low).max()), -1, 1) * 32000).astype("<i2").tobytes(), full_utt=True
    )
    decoder.end_utt()
    answer = decoder.hyp()
    return answer.hypstr.split() if answer else []


def right(answer: list[str], said: list[str]) -> tuple[int, int]:
    """Of the words that were said, how many were heard in order, and how many there were."""
    wanted = " ".join(said).casefold().replace("-", " ").split()
    return sum(
        b.size for b in difflib.SequenceMatcher(None, answer, wanted, autojunk=False).get_matching_blocks()
    ), len(wanted)


def calls_of(words: list[dict[str, Any]]) -> list[list[dict[str, Any]]]:
    """Words in groups: each name with its counts."""
    groups: list[list[dict[str, Any]]] = []
    for word in words:
        if not groups or word["text"] not in COUNTS or word["start"] - groups[-1][-1]["end"] > 1.2 * RATE:
            groups.append([])
        groups[-1].append(word)
    return groups


def drums(bpm: int, frames: int, lufs: float) -> np.ndarray:
    """A drum stem of kick, snare and hats on every beat and between, at a loudness (BS.1770)."""
    from upbeat.audio.measure import Meter
    from upbeat_demo.synth import RATE as DRUM_RATE
    from upbeat_demo.synth import drum

    sounds = {name: soxr.resample(drum(name), DRUM_RATE, RATE, "HQ") for name in ("kick", "snare", "hat")}
    line = np.zeros(frames + RATE, dtype=np.float32)
    for eighth in range(int(frames / RATE * bpm / 30)):
        at = round(eighth * 30 / bpm * RATE)
        for name in ("hat", *(("kick",) if eighth % 4 == 0 else ("snare",) if eighth % 4 == 2 else ())):
            line[at : at + len(sounds[name])] += sounds[name]
    line = line[:frames]
    meter = Meter(RATE, 1)
    meter.push(line[None])
    now = meter.result("pcm", 24).integrated_lufs
    assert now is not None
    return line * np.float32(10 ** ((lufs - now) / 20))
