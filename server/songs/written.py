"""What is written on a song's chart, as text and back."""

from __future__ import annotations

from songs.models import Song
from songs.rows import held
from upbeat.song import chordpro


def bar_texts(song: Song) -> list[str]:
    """What is written in every bar of a song."""
    return [song.chords.get(str(bar), "") for bar in range(1, sum(s.bars for s in held(song).sections) + 1)]


def as_chordpro(song: Song) -> str:
    """The chart of a song as ChordPro text."""
    bars, parts, first = bar_texts(song), [], 0
    for s in held(song).sections:
        own = bars[first : first + s.bars]
        parts.append(chordpro.Part(name=s.name, bars=tuple(own) if any(own) else (), words=s.words, note=s.note))
        first += s.bars
    meter = song.meters[0]["meter"]
    return chordpro.write(
        chordpro.ChartText(
            title=song.title,
            key=song.key,
            tempo=str(song.tempo[0]["bpm"]),
            time=meter,
            note=song.note,
            parts=tuple(parts),
        )
    )
