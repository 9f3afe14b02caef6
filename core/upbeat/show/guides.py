"""Click and cues given away: as sound with the count-in before it, and as a Standard MIDI File."""

from __future__ import annotations

import io
from bisect import bisect_right
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from itertools import pairwise
from operator import itemgetter
from pathlib import Path
from typing import Any

import numpy as np

from upbeat.errors import refuse
from upbeat.mix.render import Renderer
from upbeat.mix.routing import Feed, Patch, Routing, Send, Socket
from upbeat.play.compile import count_in_beats
from upbeat.play.plan import EntryPlan
from upbeat.show.bounce import rehearse, render
from upbeat.show.document import Show
from upbeat.show.ready import ReadyShow, make_ready
from upbeat.song.guides import CountIn
from upbeat.time.meter import TimeSignature, counted

WHAT = ("click", "cues", "both")
TICKS = 960  # a quarter note; every beat and division up to a sixteenth in five parts falls on one
# Percussion keys of General MIDI level 1: wood blocks for accent and beat, maracas between, claves before.
KEYS = {"accent": 76, "beat": 77, "division": 70, "count_in": 75}
_LOUD = {"accent": 120, "beat": 96, "division": 64, "count_in": 112}
_DRUMS = 9


def guides_only(show: Show, what: str = "both") -> Show:
    """A show that plays nothing but click, cues or both, on one mono socket. Raises :class:`Refused`."""
    if what not in WHAT:
        raise refuse("guide-unknown", f"“{what}” cannot be given away: choose click, cues or both.")
    sends = tuple(Send(guide) for guide in ("click", "cues") if what in (guide, "both"))
    routing = Routing(
        (Feed(id="guides", name="Guides", kind="monitor", channels=1, gain_db=0.0, sends=sends),),
        (Socket(1),),
        (Patch(feed="guides", side="mono", socket=1),),
    )
    return replace(show, songs={k: replace(s, stems=()) for k, s in show.songs.items()}, routing=routing)


def guide_sound(
    show: Show, entry: int, folder: Path, what: str = "both", words_folder: Path | None = None
) -> Iterator[np.ndarray]:
    """Click, cues or both of an entry (from 0) as mono float32 blocks, the count-in first. Raises :class:`Refused`."""
    ready = ready_guides(show, entry, folder, what, words_folder)
    spans, _ = rehearse(ready, None, 0)
    blocks: list[np.ndarray] = []
    renderer = Renderer(ready.plan, ready.audio, ready.show.routing)
    for i in range(len(spans)):
        render(renderer, spans[i : i + 1], blocks.append)
        yield blocks.pop()[0]


def ready_guides(
    show: Show, entry: int, folder: Path, what: str = "both", words_folder: Path | None = None
) -> ReadyShow:
    """One entry with its guides alone. Raises :class:`Refused`."""
    one = replace(guides_only(show, what), entries=(show.entry(entry),))
    return make_ready(one, folder, speak=what != "click", words_folder=words_folder)


def write_sound(
    path: Path | str, blocks: Iterator[np.ndarray], sample_rate: int, kind: str, tags: dict[str, str]
) -> int:
    """Write mono blocks as 24-bit WAV or FLAC with title and the like in it; gives the frames."""
    import soundfile

    frames = 0
    with soundfile.SoundFile(path, "w", sample_rate, 1, "PCM_24", format=kind.upper()) as file:
        for name, text in tags.items():
            setattr(file, name, text)
        for block in blocks:
            file.write(np.clip(block, -1, 1))
            frames += len(block)
    return frames


@dataclass(frozen=True)
class PlayedBar:
    """A bar as it is played: its metre, and the output frames of its counted beats and of its end."""

    meter: TimeSignature
    beats: tuple[int, ...]
    end: int
    marker: str = ""


def played_bars(plan: EntryPlan, events: Sequence[dict[str, Any]], sample_rate: int) -> list[PlayedBar]:
    """The bars of an entry in the order they are played, those of the count-in before them."""
    signatures = plan.song.grid.meters
    found: list[PlayedBar] = []
    heard = [e for e in events if e["kind"] == "bar"]
    step = None
    for e in heard:
        bar, shift = e["bar"], e["frame"] - int(plan.bar_frames[e["bar"] - 1])
        beats = tuple(f + shift for f in plan.counts(bar, 1))
        here = (e["step"], e.get("round", 0))
        name = plan.steps[e["step"]].name if here != step else ""
        step = here
        found.append(PlayedBar(counted(signatures.at_bar(bar)), beats, int(plan.bar_frames[bar]) + shift, name))
    if not found:
        return []
    count = plan.count_in.bars
    # Every beat of its bars, also where sticks leave some out.
    clicks, _, length = count_in_beats(replace(plan.song, count_in=CountIn(count)), heard[0]["bar"], sample_rate)
    meter, start = signatures.at_bar(heard[0]["bar"]), found[0].beats[0]
    starts = (
        [start - length] + [start - clicks[len(clicks) // count * b] for b in range(1, count)] + [start]
        if count
        else []
    )
    whole = [
        PlayedBar(meter, tuple(start - c for c in clicks if a <= start - c < b), b, "Count-in" if i == 0 else "")
        for i, (a, b) in enumerate(pairwise(starts))
    ]
    return [*whole, *found]


def guide_midi(ready: ReadyShow, what: str = "both") -> bytes:
    """The one entry of ``ready`` as a Standard MIDI File (format 1): tempo map, metres, markers, clicks, cues as lyrics.

    Tempo is a whole number of microseconds a quarter note in the file; what that loses is made good at the
    next beat, so that no bar line is off by a tick however long the song is. Raises :class:`Refused` for no bars.
    """
    import mido

    plan, rate = ready.plan.entries[0], ready.plan.sample_rate
    _, events = rehearse(ready, None, 0)
    bars = played_bars(plan, events, rate)
    if not bars:
        raise refuse("guide-nothing", f"“{plan.title}” has no bars to be played.")
    places, tempos, meters, markers = _timeline(bars, rate)
    conductor, guide = mido.MidiTrack(), mido.MidiTrack()
    messages: list[tuple[int, Any]] = [(0, mido.MetaMessage("track_name", name=_plain(plan.title)))]
    messages += [
        (tick, mido.MetaMessage("time_signature", numerator=m.numerator, denominator=m.denominator))
        for tick, m in meters
    ]
    messages += [(tick, mido.MetaMessage("set_tempo", tempo=tempo)) for tick, tempo in tempos]
    messages += [(tick, mido.MetaMessage("marker", text=_plain(name))) for tick, name in markers]
    _fill(conductor, messages, places[-1][1])
    notes: list[tuple[int, Any]] = [
        (
            0,
            mido.MetaMessage(
                "track_name", name="Click" if what == "click" else "Cues" if what == "cues" else "Click and cues"
            ),
        )
    ]
    for e in events:
        if e["kind"] == "click" and what != "cues":
            tick = _tick(places, e["frame"])
            notes.append(
                (tick, mido.Message("note_on", channel=_DRUMS, note=KEYS[e["voice"]], velocity=_LOUD[e["voice"]]))
            )
            notes.append((tick + TICKS // 16, mido.Message("note_off", channel=_DRUMS, note=KEYS[e["voice"]])))
        elif e["kind"] == "cue" and what != "click":
            notes.append((_tick(places, e["frame"]), mido.MetaMessage("lyrics", text=_plain(e["text"]))))
    _fill(guide, notes, places[-1][1])
    out = io.BytesIO()
    mido.MidiFile(type=1, ticks_per_beat=TICKS, tracks=[conductor, guide], charset="utf-8").save(file=out)
    return out.getvalue()


Timeline = tuple[list[tuple[int, int]], list[tuple[int, int]], list[tuple[int, TimeSignature]], list[tuple[int, str]]]


def _timeline(bars: Sequence[PlayedBar], rate: int) -> Timeline:
    """(frame, tick) of every beat, and tempo (µs a quarter), metre and marker events by tick."""
    places: list[tuple[int, int]] = []
    meters: list[tuple[int, TimeSignature]] = []
    markers: list[tuple[int, str]] = []
    tick = 0
    for bar in bars:
        if not meters or str(meters[-1][1]) != str(bar.meter):
            meters.append((tick, bar.meter))
        if bar.marker:
            markers.append((tick, bar.marker))
        offsets = [int(o * TICKS) for o in bar.meter.felt_beats]
        places += [(frame, tick + o) for frame, o in zip(bar.beats, offsets, strict=True)]
        tick += int(bar.meter.quarters * TICKS)
    places.append((bars[-1].end, tick))
    first = places[0][0]
    tempos: list[tuple[int, int]] = []
    written = Fraction(0)  # µs that the file has come to
    for (_, a), (frame, b) in pairwise(places):
        wanted = Fraction((frame - first) * 1_000_000, rate)
        tempo = round((wanted - written) * TICKS / (b - a))
        # The tempo before goes on while it keeps the next beat within a quarter of a tick.
        if tempos and abs(written + Fraction(tempos[-1][1] * (b - a), TICKS) - wanted) * 4 * TICKS < tempos[-1][1]:
            tempo = tempos[-1][1]
        elif not tempos or tempo != tempos[-1][1]:
            tempos.append((a, tempo))
        written += Fraction(tempo * (b - a), TICKS)
    return places, tempos, meters, markers


def _tick(places: Sequence[tuple[int, int]], frame: int) -> int:
    """The tick of an output frame, in a straight line between beats."""
    i = bisect_right(places, frame, key=itemgetter(0)) - 1
    i = min(max(i, 0), len(places) - 2)
    (a, low), (b, high) = places[i], places[i + 1]
    return max(0, round(low + Fraction((frame - a) * (high - low), b - a)))


def _fill(track: Any, messages: list[tuple[int, Any]], end: int) -> None:
    import mido

    at = 0
    for tick, message in sorted(messages, key=lambda t: (t[0], t[1].type == "note_on")):
        track.append(message.copy(time=tick - at))
        at = tick
    track.append(mido.MetaMessage("end_of_track", time=max(0, end - at)))


def _plain(text: str) -> str:
    return " ".join(text.split())[:120]
