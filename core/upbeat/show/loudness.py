"""How loud a song is where the audience hears it: its house feed, rendered and measured."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from upbeat.audio.measure import Meter
from upbeat.errors import refuse
from upbeat.mix.render import Renderer
from upbeat.mix.routing import Feed, Routing, Send
from upbeat.show.bounce import rehearse, render
from upbeat.show.document import Entry, Show
from upbeat.show.ready import make_ready
from upbeat.song.guides import CountIn
from upbeat.song.song import Song

_MIDDLE = np.float32(np.sqrt(0.5))
GROUPS_HEARD = ("rhythm", "tonal", "voices", "effects", "full_mix")


@dataclass(frozen=True, kw_only=True)
class HouseLevel:
    """Of a song in one form: integrated loudness (LUFS), true peak (dBTP), and loudness along it.

    ``short_term``: LUFS over three seconds (EBU Tech 3341) around every ``step_s``, None in silence;
    ``steps``: (place in the form, second it begins at).
    """

    lufs: float | None
    peak_dbtp: float | None
    seconds: float
    step_s: float
    short_term: tuple[float | None, ...]
    steps: tuple[tuple[int, float], ...]


def house_feeds(feeds: Iterable[Feed]) -> tuple[Feed, ...]:
    """The feeds that the audience hears together; all music at its own level where there is none.

    A house feed that goes into another one is heard by way of that.
    """
    house = [f for f in feeds if f.kind == "house"]
    within = {s.source for f in house for s in f.sends}
    tops = tuple(f for f in house if f"feed:{f.id}" not in within)
    return tops or (
        Feed(
            id="house",
            name="House",
            kind="house",
            channels=2,
            gain_db=0.0,
            sends=tuple(Send(f"group:{g}") for g in GROUPS_HEARD),
        ),
    )


def heard_feeds(feeds: Iterable[Feed]) -> tuple[Feed, ...]:
    """The feeds of the house and those they take from."""
    known = {f.id: f for f in feeds}
    waiting = list(house_feeds(known.values()))
    kept: dict[str, Feed] = {f.id: f for f in waiting}
    while waiting:
        for send in waiting.pop().sends:
            other = known.get(send.source.removeprefix("feed:")) if send.source.startswith("feed:") else None
            if other is not None and other.id not in kept:
                kept[other.id] = other
                waiting.append(other)
    return tuple(kept.values())


def house_level(
    song: Song, form: str | None, feeds: Iterable[Feed], away: Iterable[str], folder: Path, sample_rate: int
) -> HouseLevel:
    """Play a form of a song into the house and measure it, all house feeds together. Raises :class:`Refused`.

    ``away``: players who are not on. Neither click nor cues are there to be measured.
    """
    known = heard_feeds(feeds)
    house = house_feeds(known)
    quiet = replace(song, count_in=CountIn(0, False), calls=False)
    show = Show(
        title=song.title,
        sample_rate=sample_rate,
        songs={song.id: quiet},
        entries=(Entry(id="measured", song=song.id, form=form),),
        routing=Routing(known),
        away=frozenset(away),
    )
    ready = make_ready(show, folder, speak=False)
    spans, events = rehearse(ready, None, 0)
    if not spans:
        raise refuse("song-empty", f"“{song.title}” has nothing to be measured.")
    renderer = Renderer(ready.plan, ready.audio, show.routing, show.away, tuple(f.id for f in house))
    meter = Meter(sample_rate, 2)
    render(renderer, spans, lambda block: meter.push(summed(block, [f.channels for f in house])))
    level = meter.result("house", None)
    steps: list[tuple[int, float]] = []
    for e in events:
        if e["kind"] == "bar" and (not steps or steps[-1][0] != e["step"]):
            steps.append((e["step"], round(e["frame"] / sample_rate, 3)))
    along, step_s = meter.short_term()
    return HouseLevel(
        lufs=level.integrated_lufs,
        peak_dbtp=level.true_peak_dbtp,
        seconds=level.frames / sample_rate,
        step_s=step_s,
        short_term=along,
        steps=tuple(steps),
    )


def summed(block: np.ndarray, channels: list[int]) -> np.ndarray:
    """Feeds one below the other, (rows, frames), as one in stereo; a mono one lies in the middle (equal power)."""
    total = np.zeros((2, block.shape[1]), dtype=np.float32)
    row = 0
    for count in channels:
        total += block[row : row + 2] if count == 2 else block[row] * _MIDDLE
        row += count
    return total
