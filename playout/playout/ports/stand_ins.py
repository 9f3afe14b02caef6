"""Simulated receivers that ship with the product: a keyboard rig, a lighting desk and a film player.

Where there is a system of MIDI each has a port there, and gets what is sent to it by that; where there is none, the same bytes
go the short way.
"""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal, TypedDict

from playout.ports.midi import Midi
from upbeat.controls.signals import Reader, Signal
from upbeat.messages.timecode_heard import TimecodeHeard, Told

Kind = Literal["keyboard", "desk", "film"]
KINDS: Mapping[str, Kind] = {"Keyboard rig": "keyboard", "Lighting desk": "desk", "Film player": "film"}
RECEIVERS = tuple(KINDS)
BANK_HIGH, BANK_LOW = 0, 32
SEEN, EXPECTED = 8, 256


class Heard(TypedDict):
    """Something that came, in the bytes of MIDI; ``late_ms``: after it was due, None where it was not due at a time."""

    data: str
    number: int
    late_ms: float | None


class TimecodeNow(TypedDict):
    """The place that timecode told last: ``seconds`` of the day, ``age_ms`` ago; ``running``: it goes on by itself."""

    label: str
    fps: str
    seconds: float
    age_ms: float
    running: bool


class StandInNow(TypedDict):
    """``program`` from 1, of the channel that was heard last; ``notes`` that sound; ``scene``: the note that was struck last."""

    name: str
    kind: Kind
    program: int | None
    bank: int
    controllers: dict[str, int]
    notes: list[int]
    scene: int | None
    heard: list[Heard]
    timecode: TimecodeNow | None


@dataclass
class _StandIn:
    name: str
    reader: Reader
    program: int | None = None
    bank: int = 0
    controllers: dict[str, int] = field(default_factory=dict)
    notes: list[int] = field(default_factory=list)
    scene: int | None = None
    heard: list[Heard] = field(default_factory=list)
    count: int = 0
    timecode: TimecodeHeard = field(default_factory=TimecodeHeard)
    #: What is on its way, and when it was due.
    expected: deque[tuple[bytes, int]] = field(default_factory=lambda: deque(maxlen=EXPECTED))


class StandIns:
    """The stand-ins, plugged in where there is something to plug them into."""

    def __init__(self, midi: Midi):
        self._midi = midi
        self._all = {name: _StandIn(name, Reader(name)) for name in KINDS}
        self.changed = True

    def has(self, name: str) -> bool:
        return name in self._all

    def expect(self, name: str, data: bytes, due_ns: int | None) -> None:
        """Something is sent to one that was due then."""
        one = self._all.get(name)
        if one is not None and due_ns is not None:
            one.expected.append((data, due_ns))

    def came(self, name: str, data: bytes, at: float) -> None:
        """Something came to the port of one, at ``at`` of the monotonic clock in seconds."""
        self._take(self._all[name], data, at)

    @property
    def unplugged(self) -> set[str]:
        """Those that have no port, and get what is sent to them the short way."""
        return self._all.keys() - self._midi.plugged

    def take(self, name: str, data: bytes) -> bool:
        """Give one what is sent to it, where it has no port."""
        one = self._all.get(name)
        if one is None or name in self._midi.plugged:
            return False
        self._take(one, data, time.monotonic())
        return True

    def told(self) -> list[StandInNow]:
        self.changed = False
        return [
            StandInNow(
                name=one.name,
                kind=KINDS[one.name],
                program=one.program,
                bank=one.bank,
                controllers=dict(one.controllers),
                notes=list(one.notes),
                scene=one.scene,
                heard=list(one.heard),
                timecode=_timecode(one.timecode.told),
            )
            for one in self._all.values()
        ]

    def _take(self, one: _StandIn, data: bytes, at: float) -> None:
        self.changed = True
        one.count += 1
        one.timecode.feed(data, at)
        due_ns = _expected(one, data)
        late_ms = None if due_ns is None else round(1000 * at - due_ns / 1e6, 1)
        one.heard = [Heard(data=data.hex(" "), number=one.count, late_ms=late_ms), *one.heard][:SEEN]
        for signal in one.reader.feed(data):
            _happen(one, signal)


def _expected(one: _StandIn, data: bytes) -> int | None:
    """When a message that came was due; what was expected before it is not waited for any more."""
    for skipped, (sent, due_ns) in enumerate(list(one.expected)):
        if sent == data:
            for _ in range(skipped + 1):
                one.expected.popleft()
            return due_ns
    return None


def _timecode(told: Told | None) -> TimecodeNow | None:
    if told is None:
        return None
    return TimecodeNow(
        label=str(told.label),
        fps=told.fps,
        seconds=told.seconds,
        age_ms=round(1000 * (time.monotonic() - told.at), 1),
        running=told.running,
    )


def _happen(one: _StandIn, signal: Signal) -> None:
    number = signal.control.number
    match signal.control.kind:
        case "program":
            one.program = number + 1
        case "controller" if number == BANK_HIGH:
            one.bank = signal.value << 7 | one.bank & 0x7F
        case "controller" if number == BANK_LOW:
            one.bank = one.bank & ~0x7F | signal.value
        case "controller":
            one.controllers[str(number)] = signal.value
        case "note" if signal.down:
            one.notes = [n for n in one.notes if n != number] + [number]
            one.scene = number
        case "note":
            one.notes = [n for n in one.notes if n != number]
