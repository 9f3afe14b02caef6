"""The speech engines espeak-ng and flite through their C libraries, in a process of its own.

Run as a program: it reads a list of wishes as JSON and writes each as a header of two 32-bit
numbers (sample rate, bytes) and 16-bit mono sound; a rate of 0 says that there is no such voice.
One process speaks many words, since starting an engine takes longer than a word; and what a C
library may do to its process is not done to ours. It imports nothing of ours, to start at once.
"""

from __future__ import annotations

import ctypes
import json
import struct
import sys
from typing import Any

_SYNCHRONOUS, _DONT_EXIT, _UTF8 = 2, 0x8000, 1
_RATE, _PITCH = 1, 3  # espeak_PARAMETER
_DEFAULT_RATE = 170  # words a minute at which flite and espeak-ng are about as fast


class _Language(ctypes.Structure):
    """espeak_VOICE: a voice asked for by its language."""

    _fields_ = [
        ("name", ctypes.c_char_p),
        ("languages", ctypes.c_char_p),
        ("identifier", ctypes.c_char_p),
        ("gender", ctypes.c_ubyte),
        ("age", ctypes.c_ubyte),
        ("variant", ctypes.c_ubyte),
        ("spare", ctypes.c_ubyte),
        ("score", ctypes.c_int),
        ("more", ctypes.c_void_p),
    ]


class Espeak:
    """espeak-ng: ``speed`` as a ratio, ``pitch`` in semitones."""

    def __init__(self) -> None:
        self.library = ctypes.CDLL("libespeak-ng.so.1")
        self.rate = self.library.espeak_Initialize(_SYNCHRONOUS, 0, None, _DONT_EXIT)
        self.heard = bytearray()
        kind = ctypes.CFUNCTYPE(ctypes.c_int, ctypes.POINTER(ctypes.c_short), ctypes.c_int, ctypes.c_void_p)
        self.callback = kind(self._take)
        self.library.espeak_SetSynthCallback(self.callback)

    def _take(self, sound: Any, count: int, events: Any) -> int:
        if sound and count > 0:
            self.heard += ctypes.string_at(sound, 2 * count)
        return 0

    def speak(self, voice: str, text: str, speed: float, pitch: float) -> tuple[int, bytes]:
        wanted = _Language(languages=voice.encode())
        if (
            self.library.espeak_SetVoiceByName(voice.encode()) != 0
            and self.library.espeak_SetVoiceByProperties(ctypes.byref(wanted)) != 0
        ):
            return 0, b""
        self.library.espeak_SetParameter(_RATE, min(450, max(80, round(_DEFAULT_RATE * speed))), 0)
        # Its range from 0 to 99 is an octave to each side of the voice's own pitch, which is 50.
        self.library.espeak_SetParameter(_PITCH, min(99, max(0, round(50 + pitch * 50 / 12))), 0)
        raw = text.encode()
        self.heard.clear()
        self.library.espeak_Synth(raw, len(raw) + 1, 0, 0, 0, _UTF8, None, None)
        self.library.espeak_Synchronize()
        return self.rate, bytes(self.heard)


class _Wave(ctypes.Structure):
    _fields_ = [
        ("type", ctypes.c_char_p),
        ("rate", ctypes.c_int),
        ("count", ctypes.c_int),
        ("channels", ctypes.c_int),
        ("samples", ctypes.POINTER(ctypes.c_short)),
    ]


class _Voice(ctypes.Structure):
    _fields_ = [("name", ctypes.c_char_p), ("features", ctypes.c_void_p)]


class Flite:
    """flite: ``voice`` is a speaker whose library is installed; English alone. ``pitch`` is not its to change."""

    def __init__(self) -> None:
        self.library = ctypes.CDLL("libflite.so.1", mode=ctypes.RTLD_GLOBAL)
        self.library.flite_init()
        for name in ("libflite_usenglish.so.1", "libflite_cmulex.so.1"):
            ctypes.CDLL(name, mode=ctypes.RTLD_GLOBAL)
        self.library.flite_text_to_wave.restype = ctypes.POINTER(_Wave)
        self.library.flite_text_to_wave.argtypes = [ctypes.c_char_p, ctypes.c_void_p]
        self.library.delete_wave.argtypes = [ctypes.POINTER(_Wave)]
        self.library.flite_feat_set_float.argtypes = [ctypes.c_void_p, ctypes.c_char_p, ctypes.c_float]
        self.voices: dict[str, int] = {}
        self.chance = ctypes.CDLL(None)

    def _voice(self, name: str) -> int:
        if name not in self.voices:
            try:
                register = getattr(ctypes.CDLL(f"libflite_cmu_us_{name}.so.1"), f"register_cmu_us_{name}")
            except (OSError, AttributeError):
                return 0
            register.restype = ctypes.c_void_p
            self.voices[name] = register(None) or 0
        return self.voices[name]

    def speak(self, voice: str, text: str, speed: float, pitch: float) -> tuple[int, bytes]:
        at = self._voice(voice)
        if not at:
            return 0, b""
        features = ctypes.cast(at, ctypes.POINTER(_Voice)).contents.features
        self.library.flite_feat_set_float(features, b"duration_stretch", 1 / speed)
        # Its breath is made of the C library's random numbers: the same for a word whatever was said before it.
        self.chance.srand(1)
        wave = self.library.flite_text_to_wave(text.encode(), at)
        sound_of = wave.contents
        sound = sound_of.rate, ctypes.string_at(sound_of.samples, 2 * sound_of.count)
        self.library.delete_wave(wave)
        return sound


def main() -> int:
    engines: dict[str, Any] = {}
    for wish in json.load(sys.stdin):
        name = wish["engine"]
        if name not in engines:
            try:
                engines[name] = {"espeak-ng": Espeak, "flite": Flite}[name]()
            except OSError:
                engines[name] = None
        engine = engines[name]
        rate, sound = engine.speak(wish["voice"], wish["text"], wish["speed"], wish["pitch"]) if engine else (0, b"")
        sys.stdout.buffer.write(struct.pack("<II", rate, len(sound)) + sound)
        sys.stdout.buffer.flush()
    return 0


if __name__ == "__main__":
    sys.exit(main())
