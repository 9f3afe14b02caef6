"""The pads of a show: each song's own, and the tones that its links name in the keys that they lead to (rule P10)."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from upbeat.limits import PAD_S
from upbeat.mix.loops import TONES, Loop, looped, tone
from upbeat.mix.routing import gain
from upbeat.mix.stem_audio import EntryAudio
from upbeat.play.plan import EntryPlan, tone_id
from upbeat.show.document import Show
from upbeat.song.chords import fifths, parse_key
from upbeat.song.song import Song


def tonic(key: str) -> int | None:
    """The tonic of a key, 0 for C to 11 for B; None for what is no key."""
    known = parse_key(key)
    return 7 * fifths(known[0]) % 12 if known else None


def pad_of(song: Song) -> str:
    """The first stem of a song that is a pad and not muted, by id; "" where there is none."""
    return next((s.id for s in song.stems if s.purpose == "pad" and not s.muted), "")


def between_songs(show: Show, entries: Sequence[EntryPlan], audio: Sequence[EntryAudio]) -> tuple[Loop, ...]:
    """Every pad that a link of the show may lead to. Which entry comes is only known on the night."""
    asked = {e.link.pad for e in show.entries if e.link.kind != "attacca"} - {""}
    found: dict[str, Loop] = {}
    for name in sorted(asked & set(TONES)):
        for entry in entries:
            ident = tone_id(name, entry.tonic)
            if ident not in found:
                found[ident] = Loop(ident, "tonal", tone(name, entry.tonic or 0, show.sample_rate))
    if "song" in asked:
        for entry, sound in zip(entries, audio, strict=True):
            for stem in (s for s in sound.stems if s.stem.id == entry.pad and entry.pad not in found):
                most = round(PAD_S.high * show.sample_rate)
                pcm = np.asarray(stem.pcm[stem.start : min(stem.ends, stem.start + most)], dtype=np.float32)
                if len(pcm) < PAD_S.low * show.sample_rate:
                    continue
                level = np.float32(stem.scale * gain(stem.stem.gain_db + entry.song.gain_db))
                found[stem.stem.id] = Loop(
                    stem.stem.id, stem.stem.group, looped(pcm.T * level, show.sample_rate), stem.stem.pan
                )
    return tuple(found.values())
