"""What is written on a song's chart, as text and back."""

from __future__ import annotations

from collections.abc import Sequence

from songs.models import Song
from songs.rows import held
from upbeat.song import chordpro
from upbeat.song.song import Section


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


def matched(parts: Sequence[chordpro.Part], sections: Sequence[Section]) -> list[tuple[chordpro.Part, int | None]]:
    """Each part of a text with the section it is for: the next of the same name, else the next one at all."""
    left = list(range(len(sections)))
    pairs: list[tuple[chordpro.Part, int | None]] = []
    for part in parts:
        index = next((i for i in left if sections[i].name.casefold() == part.name.casefold()), None)
        if index is None:
            names = {p.name.casefold() for p in parts}
            index = next((i for i in left if sections[i].name.casefold() not in names), None)
        if index is not None:
            left.remove(index)
        pairs.append((part, index))
    return pairs
