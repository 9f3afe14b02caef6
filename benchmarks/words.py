"""The cue words: on their beats in every language, understood, and how long making them takes.

``.venv/bin/python benchmarks/words.py`` prints the tables of docs/click.md: for every built-in language
and tempo what is measured in the rendered cues; how many English words pocketsphinx takes right, dry and
under a drum stem 6 dB louder; and the time of all words of a setlist of 20 songs, new and kept.
"""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

import numpy as np

sys.path[:0] = [str(Path(__file__).resolve().parents[1] / "core" / "tests")]

from cue_words import RATE, TEMPOS, called, calls_of, drums, heard, one_word, placed, right, spoken, whole_call

from upbeat.cues.speech import make_words
from upbeat.cues.treat import TARGET_LUFS
from upbeat.cues.voice import Voice
from upbeat.cues.wording import LANGUAGES, NAMES, wording

VOICES = {"en": "flite/rms", "fr": "fr-fr"}


def placement(folder: Path, languages: list[str]) -> None:
    print(
        "| language | voice | words | worst ms off its beat | overlaps | shortened, by bpm "
        + ", ".join(map(str, TEMPOS))
        + " | words said, by bpm |"
    )
    print("|---|---|---|---|---|---|---|")
    for language in languages:
        name = VOICES.get(language, language)
        show = called(name)
        made = make_words(
            [*{wording(language).name(n) for n in NAMES}, *wording(language).counts], Voice(name=name), RATE, folder
        )
        most = max(len(a.sound) / len(b.sound) for a, b in zip(made[::2], made[1::2], strict=True))
        answer = [placed(*spoken(show, i, folder)) for i in range(len(TEMPOS))]
        print(
            f"| {language} | {name} | {len(made) // 2}, at most ÷ {most:.2f} | {max(p.worst_ms for p in answer):.2f} | {sum(p.overlaps for p in answer)} "
            f"| {', '.join(str(p.shortened) for p in answer)} | {', '.join(str(p.words) for p in answer)} |",
            flush=True,
        )


def understood(folder: Path, voice: str) -> None:
    show = called(voice)
    single, call = one_word(), whole_call()
    print(
        f"\n{voice}\n\n| bpm | word by word, dry | word by word, under drums | in its call, dry | in its call, under drums |\n|---|---|---|---|---|"
    )
    totals = np.zeros((4, 2), dtype=int)
    for i, bpm in enumerate(TEMPOS):
        sound, words = spoken(show, i, folder)
        loud = sound + drums(bpm, len(sound), TARGET_LUFS + 6)
        row = []
        for k, (decoder, source, groups) in enumerate(
            [
                (single, sound, [[w] for w in words]),
                (single, loud, [[w] for w in words]),
                (call, sound, calls_of(words)),
                (call, loud, calls_of(words)),
            ]
        ):
            counts = np.sum(
                [
                    right(
                        heard(decoder, source[max(0, g[0]["start"] - RATE // 10) : g[-1]["end"] + RATE // 10]),
                        [w["text"] for w in g],
                    )
                    for g in groups
                ],
                axis=0,
            )
            totals[k] += counts
            row.append(f"{counts[0] / counts[1]:.2f}")
        print(f"| {bpm} | {' | '.join(row)} |", flush=True)
    print(f"| all | {' | '.join(f'{a / b:.3f}' for a, b in totals)} |", flush=True)


def speed(voice: str) -> None:
    """Twenty songs of usual names, each with two free cues of its own."""
    free = [f"cue {a} {b}" for a in ("keys", "strings", "lights", "choir") for b in ("in", "out", "up", "soft", "now")]
    texts = [*NAMES, *(f"{n} two" for n in NAMES[:6]), *free, *wording("en").counts[:8]]
    with tempfile.TemporaryDirectory() as temporary:
        times = []
        for _ in range(2):
            began = time.monotonic()
            make_words(texts, Voice(name=voice), RATE, temporary)
            times.append(time.monotonic() - began)
    print(
        f"\n{voice}: {len(texts)} words of 20 songs, each also shortened: {times[0]:.2f} s the first time, {times[1]:.2f} s the second."
    )


def main() -> None:
    wanted = sys.argv[1:] or ["placement", "understood", "speed"]
    with tempfile.TemporaryDirectory() as temporary:
        if "speed" in wanted:
            speed("flite/rms")
            speed("es")
        if "placement" in wanted:
            placement(Path(temporary), list(LANGUAGES))
        if "understood" in wanted:
            for voice in ("flite/rms", "flite/slt", "en-us"):
                understood(Path(temporary), voice)


if __name__ == "__main__":
    main()
