"""What a show document has of the band's voice: its settings, its recordings, its click sounds."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.conf import settings

from people.models import Band
from upbeat.cues.palette import usual_palette
from upbeat.cues.speech import make_words, moved
from upbeat.cues.voice import Voice, voice_of
from upbeat.errors import refuse
from upbeat.limits import CUE, PALETTE
from upbeat.show.document import read_show
from upbeat.show.ready import needed_words
from voices.models import OwnSound


def band_voice(band: Band, name: str = "") -> Voice:
    """The cue voice of a band; ``name``: with another's sound."""
    return voice_of(voice_document(band, name))


def voice_document(band: Band, name: str = "") -> dict[str, Any]:
    """The voice as a show document has it."""
    voice = {key: value for key, value in band.voice.items() if key != "palette"}
    return {**voice, **({"name": name} if name else {})}


def palette(band: Band) -> list[str]:
    """The words that the band can have said on the spot (rule Q7)."""
    own: list[str] | None = band.voice.get("palette")
    return list(usual_palette(band_voice(band).language)) if own is None else own


def checked_palette(band: Band, words: list[str]) -> list[str]:
    """Words to be said on the spot, once each. Raises :class:`Refused` where the voice cannot say one of them."""
    wanted = list(dict.fromkeys(" ".join(text.split()) for text in words))
    wanted = [text for text in wanted if text]
    if len(wanted) not in PALETTE:
        raise refuse("palette-long", f"{PALETTE.high:g} words can be said on the spot: leave some out.")
    voice, known = band_voice(band), set(palette(band))
    recorded = {o.key for o in band.own_sounds.filter(kind=OwnSound.Kind.WORD)}
    new = [text for text in wanted if text not in known and text.casefold() not in recorded]
    for text in new:
        if len(text) > CUE:
            raise refuse(
                "palette-word-long", f"“{text[:20]}…” is too long to be said on a beat: {CUE} letters at most."
            )
    for word in make_words([voice.wording.said(t) for t in new], voice, settings.SAMPLE_RATE, settings.WORDS):
        if word.silent:
            raise refuse(
                "palette-silent",
                f"The voice cannot say “{word.text}”: write it as it sounds, record it, or choose another voice.",
            )
    return wanted


def with_voice(
    document: dict[str, Any], band: Band, files: dict[str, Path] | None = None, name: str = ""
) -> dict[str, Any]:
    """A show document with the voice of a band, and with what it recorded where a word of it is needed.

    Files are named as they lie below the media folder; ``files`` gathers name to path.
    """
    document["voice"] = voice_document(band, name)
    used = {song["click"].get(v) for song in document["songs"] for v in ("accent", "beat", "division", "count_in")}
    own = list(band.own_sounds.all())
    clicks = [o for o in own if o.kind == OwnSound.Kind.CLICK and o.click_name in used]
    document["click_sounds"] = [{"name": o.click_name, "file": _named(o, False, files)} for o in clicks]
    words = {o.key: o for o in own if o.kind == OwnSound.Kind.WORD}
    document["words"] = []
    if words:
        show = read_show(document)
        for text in needed_words(show):
            if text.casefold() in words:
                document["words"] += word_files(words[text.casefold()], text, show.voice, files)
    return document


def word_files(own: OwnSound, text: str, voice: Voice, files: dict[str, Path] | None = None) -> list[dict[str, Any]]:
    """A recorded word as a show document has it: as it is and shortened, put where the band wants it."""
    onsets = ((False, own.onset), (True, own.fast_onset))
    return [
        {
            "text": text,
            "fast": fast,
            "file": _named(own, fast, files),
            "onset": moved(onset, text, voice, settings.SAMPLE_RATE, own.frames),
        }
        for fast, onset in onsets
    ]


def _named(own: OwnSound, fast: bool, files: dict[str, Path] | None) -> str:
    if files is not None:
        files[own.file(fast)] = own.path(fast)
    return own.file(fast)
