"""Tempo map and markers of a Standard MIDI File (SMF 1.0, RP-001 of the MIDI Manufacturers Association).

Only what places bars is kept: tempo (meta 0x51), time signatures (0x58), markers (0x06) and cue
points (0x07), wherever they stand. Notes are walked over. All times are exact fractions.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise
from pathlib import Path
from typing import Any

from upbeat.errors import Problem, refuse

MAX_BYTES = 16 << 20
MAX_BARS = 100_000
DEFAULT_US, DEFAULT_METER = 500_000, (4, 4)  # 120 quarter notes a minute in 4/4, as SMF 1.0 has it
_MARKER, _CUE, _TEMPO, _METER, _END = 0x06, 0x07, 0x51, 0x58, 0x2F


@dataclass(frozen=True)
class Marker:
    tick: int
    text: str
    kind: str


@dataclass(frozen=True, kw_only=True)
class MidiMap:
    """Events by tick. ``tempos`` hold microseconds a quarter note, ``meters`` (numerator, denominator).

    ``ticks``: ticks a quarter note; None where the file counts in frames of a timecode, with
    ``tick_s`` the seconds of a tick.
    """

    ticks: int | None
    tick_s: Fraction | None
    tempos: tuple[tuple[int, int], ...]
    meters: tuple[tuple[int, tuple[int, int]], ...]
    markers: tuple[Marker, ...]
    last_tick: int


def read_midi(data: bytes, name: str) -> MidiMap:
    """Read a file. Raises :class:`Refused` for one that is damaged."""
    if not data:
        raise refuse("file-empty", f"“{name}” is empty: export it again.")
    if len(data) > MAX_BYTES:
        raise refuse(
            "midi-too-big",
            f"“{name}” is {len(data) >> 20} MB, more than a tempo map needs: export only the tempo track.",
        )
    if data[:4] != b"MThd":
        raise refuse("midi-not", f"“{name}” is not a MIDI file: export the tempo map as a Standard MIDI File.")
    length = int.from_bytes(data[4:8], "big")
    if len(data) < 14:
        raise refuse("header-cut", f"“{name}” ends in the middle of its header: export it again.")
    if length < 6 or 8 + length > len(data):
        raise refuse(
            "midi-header", f"“{name}” is damaged: its header says it is {length:,} bytes long. Export it again."
        )
    kind, count, division = (int.from_bytes(data[i : i + 2], "big") for i in (8, 10, 12))
    if kind > 2:
        raise refuse("midi-type", f"“{name}” is a MIDI file of an unknown type ({kind}): export it as type 0 or 1.")
    ticks, tick_s = _division(division, name)
    tracks = _tracks(data, 8 + length, name)
    if not tracks:
        raise refuse("midi-no-tracks", f"“{name}” holds no track: export it again.")
    if len(tracks) < count:
        raise refuse(
            "midi-tracks-missing",
            f"“{name}” is cut short: it promises {count:,} tracks and holds {len(tracks):,}. Export it again.",
        )
    found = _Found(name)
    for start, end in tracks:
        found.walk(data, start, end)
    # Sorting is stable: of several events at one tick, the last in the file comes last.
    tempos = dict(sorted(found.tempos, key=lambda t: t[0]))
    meters = dict(sorted(found.meters, key=lambda t: t[0]))
    markers = tuple(sorted(found.markers, key=lambda m: m.tick))
    return MidiMap(
        ticks=ticks,
        tick_s=tick_s,
        tempos=tuple(tempos.items()),
        meters=tuple(meters.items()),
        markers=markers,
        last_tick=found.last,
    )


def _division(division: int, name: str) -> tuple[int | None, Fraction | None]:
    if not division & 0x8000:
        if division == 0:
            raise refuse("midi-division", f"“{name}” has 0 ticks a quarter note: it is damaged. Export it again.")
        return division, None
    frames, per_frame = 256 - (division >> 8), division & 0xFF
    if frames not in (24, 25, 29, 30) or per_frame == 0:
        raise refuse(
            "midi-division",
            f"“{name}” counts in a timecode that does not exist ({frames} frames a second): export it again.",
        )
    # 29 stands for 30 drop-frame, whose frames last 1001/30000 s.
    rate = Fraction(30000, 1001) if frames == 29 else Fraction(frames)
    return None, 1 / (rate * per_frame)


def _tracks(data: bytes, at: int, name: str) -> list[tuple[int, int]]:
    """Start and end of every track chunk; others are skipped, as the standard asks."""
    tracks = []
    while at < len(data):
        if at + 8 > len(data):
            break
        length = int.from_bytes(data[at + 4 : at + 8], "big")
        end = at + 8 + length
        if data[at : at + 4] == b"MTrk":
            if end > len(data):
                raise refuse(
                    "midi-cut",
                    f"“{name}” is cut short: a track promises {length:,} bytes and {len(data) - at - 8:,} are there. Export it again.",
                )
            tracks.append((at + 8, end))
        at = end
    return tracks


class _Found:
    """What the tracks hold. ``last`` is the latest tick of any event."""

    def __init__(self, name: str):
        self.name = name
        self.tempos: list[tuple[int, int]] = []
        self.meters: list[tuple[int, tuple[int, int]]] = []
        self.markers: list[Marker] = []
        self.last = 0

    def walk(self, data: bytes, at: int, end: int) -> None:
        tick, status = 0, 0
        while at < end:
            delta, at = self._quantity(data, at, end)
            tick += delta
            if at >= end:
                self._cut()
            byte = data[at]
            if byte == 0xFF:
                if at + 2 > end:
                    self._cut()
                kind = data[at + 1]
                length, at = self._quantity(data, at + 2, end)
                if at + length > end:
                    raise refuse(
                        "midi-beyond-track",
                        f"“{self.name}” is damaged: a text or event runs past the end of its track. Export it again.",
                    )
                self._meta(tick, kind, data[at : at + length])
                at += length
                self.last = max(self.last, tick)
                if kind == _END:
                    return
                continue
            if byte in (0xF0, 0xF7):
                length, at = self._quantity(data, at + 1, end)
                at += length
                status = 0
            else:
                if byte & 0x80:
                    if byte > 0xF0:
                        raise refuse(
                            "midi-status",
                            f"“{self.name}” is damaged: it holds an event that no file may hold. Export it again.",
                        )
                    status = byte
                    at += 1
                elif not status:
                    raise refuse(
                        "midi-no-status",
                        f"“{self.name}” is damaged: an event does not say what it is. Export it again.",
                    )
                at += 1 if status & 0xE0 == 0xC0 else 2
            if at > end:
                self._cut()
            self.last = max(self.last, tick)

    def _quantity(self, data: bytes, at: int, end: int) -> tuple[int, int]:
        """A variable-length quantity of at most four bytes."""
        value = 0
        for i in range(4):
            if at + i >= end:
                self._cut()
            byte = data[at + i]
            value = value << 7 | byte & 0x7F
            if not byte & 0x80:
                return value, at + i + 1
        raise refuse(
            "midi-number", f"“{self.name}” is damaged: it holds a number of more than four bytes. Export it again."
        )

    def _meta(self, tick: int, kind: int, body: bytes) -> None:
        if kind == _TEMPO:
            if len(body) != 3:
                raise refuse(
                    "midi-tempo-length",
                    f"“{self.name}” is damaged: a tempo is {len(body)} bytes long instead of 3. Export it again.",
                )
            us = int.from_bytes(body, "big")
            if us == 0:
                raise refuse(
                    "midi-tempo-zero",
                    f"“{self.name}” has a tempo of 0 microseconds a quarter note, which cannot be played: mend its tempo track.",
                )
            self.tempos.append((tick, us))
        elif kind == _METER:
            if len(body) < 2:
                raise refuse(
                    "midi-meter-length",
                    f"“{self.name}” is damaged: a time signature is {len(body)} bytes long instead of 4. Export it again.",
                )
            if body[0] == 0:
                raise refuse("meter-numerator", f"“{self.name}” has a metre with 0 beats: mend its time signatures.")
            if body[1] > 6:
                raise refuse(
                    "meter-denominator",
                    f"“{self.name}” has a metre whose lower figure is 2 to the power of {body[1]}: mend its time signatures.",
                )
            self.meters.append((tick, (body[0], 1 << body[1])))
        elif kind in (_MARKER, _CUE):
            self.markers.append(Marker(tick, decode_text(body), "marker" if kind == _MARKER else "cue"))

    def _cut(self) -> None:
        raise refuse("midi-cut", f"“{self.name}” ends in the middle of a track: it is cut short. Export it again.")


def decode_text(body: bytes) -> str:
    """UTF-8 where the bytes are valid UTF-8, else Latin-1; without ending zeros."""
    body = body.split(b"\0", 1)[0]
    try:
        return body.decode("utf-8").strip()
    except UnicodeDecodeError:
        return body.decode("latin-1").strip()


@dataclass(frozen=True)
class Bars:
    """Bar lines of a map: ``starts`` in ticks (exact), ``seconds`` of them, ``meters`` by bar from 1."""

    starts: tuple[Fraction, ...]
    seconds: tuple[Fraction, ...]
    meters: tuple[tuple[int, tuple[int, int]], ...]


def clock(found: MidiMap) -> Callable[[Fraction], Fraction]:
    """Seconds of a tick."""
    if found.tick_s is not None:
        tick_s = found.tick_s
        return lambda tick: tick * tick_s
    assert found.ticks is not None
    events = found.tempos if found.tempos and found.tempos[0][0] == 0 else ((0, DEFAULT_US), *found.tempos)
    per_tick = [Fraction(us, 1_000_000 * found.ticks) for _, us in events]
    at = [tick for tick, _ in events]
    seconds = [Fraction(0)]
    for i in range(1, len(at)):
        seconds.append(seconds[-1] + (at[i] - at[i - 1]) * per_tick[i - 1])

    def of(tick: Fraction) -> Fraction:
        i = max(0, bisect_right(at, tick) - 1)
        return seconds[i] + (tick - at[i]) * per_tick[i]

    return of


def bars_of(found: MidiMap, name: str) -> tuple[Bars, list[Problem]]:
    """Every bar line up to the first one at or after the last event.

    A time signature inside a bar begins a new one there (the bar before stays short), which is said.
    Raises :class:`Refused` where no song is so long.
    """
    assert found.ticks is not None
    changes = list(found.meters if found.meters and found.meters[0][0] == 0 else ((0, DEFAULT_METER), *found.meters))
    starts: list[Fraction] = []
    meters: list[tuple[int, tuple[int, int]]] = []
    problems: list[Problem] = []
    for i, (tick, meter) in enumerate(changes):
        length = Fraction(4 * found.ticks * meter[0], meter[1])
        until = Fraction(changes[i + 1][0]) if i + 1 < len(changes) else max(Fraction(found.last_tick), tick + length)
        count = -(-(until - tick) // length)
        if len(starts) + count > MAX_BARS:
            raise refuse(
                "midi-too-long",
                f"“{name}” is {len(starts) + int(count):,} bars long, which no song is: a song has at most {MAX_BARS:,}. Export it again.",
            )
        before = Fraction(4 * found.ticks * meters[-1][1][0], meters[-1][1][1]) if meters else None
        if (
            not meters
            or meters[-1][1] != meter
            or (until - tick) % length
            or (starts and i and tick - starts[-1] != before)
        ):
            meters.append((len(starts) + 1, meter))
        starts += [tick + k * length for k in range(count)]
        if i + 1 < len(changes) and (until - tick) % length:
            problems.append(
                Problem(
                    "meter-inside-bar",
                    f"A time signature of “{name}” stands inside bar {len(starts)}: that bar is taken to end there.",
                )
            )
        if i + 1 == len(changes):
            starts.append(tick + count * length)
    if found.last_tick == 0:
        starts = starts[:1] + starts[1:2]
    seconds = clock(found)
    return Bars(tuple(starts), tuple(seconds(s) for s in starts), tuple(meters)), problems


def place(bars: Bars, tick: Fraction, ticks: int) -> tuple[int, Fraction]:
    """Bar and beat (from 1, in units of the denominator) of a tick."""
    bar = max(1, min(bisect_right(bars.starts, tick), len(bars.starts)))
    meter = next(m for first, m in reversed(bars.meters) if first <= bar)
    return bar, 1 + (tick - bars.starts[bar - 1]) / Fraction(4 * ticks, meter[1])


def tempo_map(path: Path, name: str | None = None) -> dict[str, Any]:
    """The fields of ``upbeat tempo-map`` (docs/cli.md). Raises :class:`Refused`."""
    name = name or path.name
    if path.stat().st_size > MAX_BYTES:
        raise refuse(
            "midi-too-big",
            f"“{name}” is {path.stat().st_size >> 20} MB, more than a tempo map needs: export only the tempo track.",
        )
    found = read_midi(path.read_bytes(), name)
    seconds = clock(found)
    if found.ticks is None:
        markers = [
            {"bar": None, "beat": None, "seconds": _s(seconds(Fraction(m.tick))), "text": m.text, "kind": m.kind}
            for m in found.markers
        ]
        problem = Problem(
            "midi-timecode", f"“{name}” counts in timecode, not in bars: only the times of its markers are known."
        )
        return {
            "ok": True,
            "problems": [problem.as_dict()],
            "tempo": [],
            "meters": [],
            "markers": markers,
            "bar_lines_s": [],
        }
    bars, problems = bars_of(found, name)

    def at(tick: int) -> tuple[int, Fraction]:
        return place(bars, Fraction(tick), found.ticks or 1)

    tempos = found.tempos if found.tempos and found.tempos[0][0] == 0 else ((0, DEFAULT_US), *found.tempos)
    return {
        "ok": True,
        "problems": [p.as_dict() for p in problems],
        "tempo": [
            {"bar": bar, "beat": float(beat), "bpm": 60_000_000 / us}
            for (bar, beat), us in ((at(t), us) for t, us in _changes(tempos))
        ],
        "meters": [{"bar": bar, "meter": f"{n}/{d}"} for bar, (n, d) in bars.meters],
        "markers": [
            {"bar": bar, "beat": float(beat), "seconds": _s(seconds(Fraction(m.tick))), "text": m.text, "kind": m.kind}
            for (bar, beat), m in ((at(m.tick), m) for m in found.markers)
        ],
        "bar_lines_s": [_s(s) for s in bars.seconds],
    }


def _s(seconds: Fraction) -> float:
    return round(float(seconds), 9)


def _changes(events: Sequence[tuple[int, int]]) -> list[tuple[int, int]]:
    """Events that change something, the first one always."""
    return [events[0], *(b for a, b in pairwise(events) if a[1] != b[1])]
