"""Where words are placed, held against where espeak-ng itself begins their first vowel.

``.venv/bin/python benchmarks/vowels.py`` has espeak-ng speak all usual names and counts to twelve in the
built-in languages and tell its phonemes, and prints how far after the start of the first vowel the perceived
onset (rule Q2) is found: in the sound as it is spoken, and as it is made ready.
"""

from __future__ import annotations

import ctypes

import numpy as np
import soxr

from upbeat.cues.onset import perceived_onset
from upbeat.cues.treat import clearer, trim
from upbeat.cues.wording import LANGUAGES, NAMES, wording

RATE = 48_000
VOICES = {"en": "en-us", "fr": "fr-fr"}
# The International Phonetic Alphabet's vowels, and espeak-ng's own letters for some.
VOWELS = set("aeiouyɐɑɒæəɚɛɜɪɔøœʊʌɨʉɯɤɘɵɞɶ@AEIOU3V0")
_SYNCHRONOUS, _PHONEMES_DONT_EXIT, _PHONEME = 2, 0x8001, 7


class Event(ctypes.Structure):
    _fields_ = [
        ("type", ctypes.c_int),
        ("uid", ctypes.c_uint),
        ("at", ctypes.c_int),
        ("length", ctypes.c_int),
        ("ms", ctypes.c_int),
        ("sample", ctypes.c_int),
        ("user", ctypes.c_void_p),
        ("name", ctypes.c_char * 8),
    ]


class Language(ctypes.Structure):
    _fields_ = [("name", ctypes.c_char_p), ("languages", ctypes.c_char_p), ("rest", ctypes.c_char * 32)]


class Speaker:
    """espeak-ng telling its phonemes."""

    def __init__(self) -> None:
        self.library = ctypes.CDLL("libespeak-ng.so.1")
        self.rate = self.library.espeak_Initialize(_SYNCHRONOUS, 0, None, _PHONEMES_DONT_EXIT)
        self.sound, self.phonemes = bytearray(), []
        self.callback = ctypes.CFUNCTYPE(
            ctypes.c_int, ctypes.POINTER(ctypes.c_short), ctypes.c_int, ctypes.POINTER(Event)
        )(self._take)
        self.library.espeak_SetSynthCallback(self.callback)

    def _take(self, sound, count, events) -> int:
        if sound and count > 0:
            self.sound += ctypes.string_at(sound, 2 * count)
        i = 0
        while events and events[i].type:
            if events[i].type == _PHONEME:
                self.phonemes.append((events[i].name.decode("utf-8", "replace"), events[i].sample))
            i += 1
        return 0

    def say(self, text: str, language: str) -> tuple[np.ndarray, float | None]:
        """Sound at :data:`RATE`, and the frame of its first vowel where it has one."""
        self.sound.clear()
        self.phonemes.clear()
        if self.library.espeak_SetVoiceByName(language.encode()):
            self.library.espeak_SetVoiceByProperties(ctypes.byref(Language(None, language.encode())))
        raw = text.encode()
        self.library.espeak_Synth(raw, len(raw) + 1, 0, 0, 0, 1, None, None)
        self.library.espeak_Synchronize()
        sound = soxr.resample(np.frombuffer(bytes(self.sound), "<i2").astype(np.float32) / 32768, self.rate, RATE, "HQ")
        first = next((at for name, at in self.phonemes if any(c in VOWELS for c in name)), None)
        return sound, None if first is None else first * RATE / self.rate


def main() -> None:
    speaker, found = Speaker(), []
    for language in LANGUAGES:
        said = wording(language)
        for text in [*said.counts[:12], *sorted({said.name(n) for n in NAMES})]:
            sound, vowel = speaker.say(text, VOICES.get(language, language))
            if vowel is None:
                continue
            plain = trim(sound, RATE)
            loud = np.flatnonzero(np.abs(sound) > np.abs(sound).max() * 10 ** (-45 / 20))
            vowel -= max(0, loud[0] - RATE // 200)
            found.append([1000 * (perceived_onset(s, RATE) - vowel) / RATE for s in (plain, clearer(plain, RATE))])
    off = np.array(found)
    print(
        f"{len(off)} words in {len(LANGUAGES)} languages\n\n| after the vowel begins, ms | 5 % | a quarter | half | three quarters | 95 % |\n|---|---|---|---|---|---|"
    )
    for name, row in (
        ("as it is spoken", off[:, 0]),
        ("as it is made ready", off[:, 1]),
        ("between the two", off[:, 1] - off[:, 0]),
    ):
        print(f"| {name} | {' | '.join(f'{np.percentile(row, p):.0f}' for p in (5, 25, 50, 75, 95))} |")


if __name__ == "__main__":
    main()
