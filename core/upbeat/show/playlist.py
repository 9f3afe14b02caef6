"""The songs of a setlist as the house hears them, each as a file, with a playlist (M3U8) in their order."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from upbeat.mix.render import Renderer
from upbeat.mix.routing import Feed, Routing
from upbeat.show.bounce import rehearse, render
from upbeat.show.document import Entry, Show
from upbeat.show.loudness import heard_feeds, house_feeds, summed
from upbeat.show.ready import make_ready
from upbeat.song.guides import CountIn
from upbeat.song.song import Song


@dataclass(frozen=True)
class Track:
    """A file of a playlist, ``seconds`` long."""

    file: str
    title: str
    seconds: float


def write_song(
    song: Song,
    form: str | None,
    feeds: Iterable[Feed],
    away: Iterable[str],
    folder: Path,
    sample_rate: int,
    path: Path,
    tags: dict[str, str],
    progress: Callable[[float], None] | None = None,
) -> float:
    """Write a song in a form as FLAC, 24 bits in stereo, as it is heard in the house; gives its seconds. Raises :class:`Refused`.

    From its first bar to where its recording has rung out, with neither click nor cues; a vamp is played once.
    ``progress`` is given the share that is done.
    """
    import soundfile

    known = heard_feeds(feeds)
    house = house_feeds(known)
    show = Show(
        title=song.title,
        sample_rate=sample_rate,
        songs={song.id: replace(song, count_in=CountIn(0, False), calls=False)},
        entries=(Entry(id="track", song=song.id, form=form),),
        routing=Routing(known),
        away=frozenset(away),
    )
    ready = make_ready(show, folder, speak=False)
    spans, _ = rehearse(ready, None, 0)
    renderer = Renderer(ready.plan, ready.audio, show.routing, show.away, tuple(f.id for f in house))
    channels = [f.channels for f in house]
    frames = 0
    with soundfile.SoundFile(path, "w", sample_rate, 2, "PCM_24", format="FLAC") as file:
        for name, text in tags.items():
            setattr(file, name, text)

        def write(block: np.ndarray) -> None:
            nonlocal frames
            file.write(np.clip(summed(block, channels), -1, 1).T)
            frames += block.shape[1]
            if progress and spans:
                progress(frames / spans[-1].end)

        render(renderer, spans, write)
    return frames / sample_rate


def m3u8(name: str, tracks: Sequence[Track]) -> str:
    """A playlist in UTF-8: a line with length and title before each file (the extended form of M3U)."""
    lines = ["#EXTM3U", f"#PLAYLIST:{_line(name)}"]
    for track in tracks:
        lines += [f"#EXTINF:{round(track.seconds)},{_line(track.title)}", _line(track.file)]
    return "\n".join(lines) + "\n"


def _line(text: str) -> str:
    return " ".join(text.split())
