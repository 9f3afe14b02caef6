"""A song's messages in one form, on the frames of its stems (rules S1 and S3).

The form is gone through as it is prepared, every repeat played out and a vamp once: so every pass of
a section has its messages, and every place what holds there, wherever the music jumps to.
"""

from __future__ import annotations

from bisect import bisect_left
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

import msgspec
import numpy as np

from upbeat.messages.held import Held, Outgoing, after, key_of
from upbeat.messages.kinds import HOLDING, Controller, Device, DeviceMessage, Message, Note, Sent, resolved, sent_by

LINE_STEP_S = 0.01  # the least between two values of a line


class StepFrames(NamedTuple):
    """A step of a form: its section, its source frames, how often it is played."""

    section: str
    start: int
    end: int
    times: int


@dataclass(frozen=True)
class Pass:
    """One time through a step: what holds before it, and what goes out in it by source frame."""

    before: Held
    frames: list[int] = field(default_factory=list)
    sent: Sequence[Outgoing] = ()

    def between(self, start: int, end: int) -> Iterable[tuple[int, Outgoing]]:
        """What goes out in source frames ``start`` to ``end``."""
        first, last = bisect_left(self.frames, start), bisect_left(self.frames, end)
        return zip(self.frames[first:last], self.sent[first:last], strict=True)

    def held_at(self, src: int) -> Held:
        """What holds at a source frame, by what went out before it."""
        held = self.before
        for out in self.sent[: bisect_left(self.frames, src)]:
            held = after(held, out)
        return held


@dataclass(frozen=True)
class Score:
    """``passes``: of each step, one for each time it is played; ``start`` and ``end``: what goes out there."""

    passes: tuple[tuple[Pass, ...], ...] = ()
    start: tuple[Outgoing, ...] = ()
    end: tuple[Outgoing, ...] = ()
    #: One message of each key that the form sets anywhere before its end.
    sets: tuple[Outgoing, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.passes)

    def pass_of(self, step: int, round_: int) -> Pass:
        """The pass of a round of a step, from 1; those after the prepared ones are like the last."""
        passes = self.passes[step]
        return passes[min(round_, len(passes)) - 1]


@dataclass(frozen=True)
class Beats:
    """The counted beats of a song by source frame; ``first``: the index of each bar's first (n + 1 entries)."""

    frames: np.ndarray
    first: np.ndarray

    def frame(self, bar: int, beat: int) -> int | None:
        """The frame of a bar and a counted beat of it, both from 1; None where the song has none."""
        if not 1 <= bar < len(self.first) or beat < 1:
            return None
        at = int(self.first[bar - 1]) + beat - 1
        return int(self.frames[at]) if at < self.first[bar] else None

    def later(self, frame: int, beats: float) -> int:
        """The frame so many counted beats after one; before the first and after the last they are as long as the next one."""
        if len(self.frames) < 2:
            return frame + 1
        at = min(max(0, int(np.searchsorted(self.frames, frame, side="right")) - 1), len(self.frames) - 2)
        place = at + (frame - self.frames[at]) / (self.frames[at + 1] - self.frames[at]) + beats
        to = min(max(0, int(place)), len(self.frames) - 2)
        end = self.frames[to] + (place - to) * (self.frames[to + 1] - self.frames[to])
        return max(frame + 1, round(float(end)))


def compile_score(
    title: str,
    messages: Sequence[Message],
    devices: Sequence[Device],
    steps: Sequence[StepFrames],
    playable: Sequence[int],
    beats: Beats,
    sections: Mapping[str, int],
    sample_rate: int,
) -> Score:
    """Messages compiled for a form. Raises :class:`Refused` for a device that is not there.

    ``playable``: the steps that are not cut. ``sections``: the first frame of each.
    """
    written = [(m, *resolved(m, devices, title)) for m in messages]
    at_start = tuple(_out(m, d, s, 0) for m, d, s in written if m.at.place == "start")
    at_end = tuple(_out(m, d, s, 0) for m, d, s in written if m.at.place == "end")
    placed = []
    for m, device, send in written:
        place = _place(m, beats, sections)
        if place is not None:
            placed.append((place, m, device, send))
    placed.sort(key=lambda p: p[0])
    held: Held = {}
    for out in at_start:
        held = after(held, out)
    in_all = Counter(step.section for i in playable for step in [steps[i]] for _ in range(step.times))
    so_far: Counter[str] = Counter()
    passes: list[tuple[Pass, ...]] = [() for _ in steps]
    for i in playable:
        step, found = steps[i], []
        for _ in range(step.times):
            so_far[step.section] += 1
            nth, last = so_far[step.section], so_far[step.section] == in_all[step.section]
            inside = (p for p in placed if step.start <= p[0] < step.end and _in_pass(p[1], nth, last))
            one = _pass(held, inside, step.end, beats, sample_rate)
            held = one.held_at(step.end)
            found.append(one)
        passes[i] = tuple(found)
    everything = (*at_start, *(out for own in passes for one in own for out in one.sent))
    sets = {key_of(out): out for out in everything if out.holds}
    return Score(tuple(passes), at_start, at_end, tuple(sets.values()))


def _place(message: Message, beats: Beats, sections: Mapping[str, int]) -> int | None:
    at = message.at
    if at.place == "section":
        return sections.get(at.section or "")
    return beats.frame(at.bar, at.beat) if at.place == "bar" and at.bar is not None else None


def _in_pass(message: Message, nth: int, last: bool) -> bool:
    wanted = message.at.pass_
    return wanted is None or wanted == nth or (wanted == "last" and last)


def _pass(
    before: Held, inside: Iterable[tuple[int, Message, Device, Sent]], end: int, beats: Beats, sample_rate: int
) -> Pass:
    """What goes out in one pass, lines drawn out from what holds where they begin."""
    sent: list[tuple[int, Outgoing]] = []
    for frame, message, device, send in inside:
        if isinstance(send, Controller) and send.over_beats is not None:
            now = _value_at(before, sent, frame, device.id, send)
            to = min(beats.later(frame, send.over_beats), end)
            sent += _line(_out(message, device, send, 0), now, frame, to, sample_rate)
        else:
            length = beats.later(frame, send.beats) - frame if isinstance(send, Note) else 0
            sent.append((frame, _out(message, device, send, length)))
    sent.sort(key=lambda one: one[0])
    return Pass(before, [frame for frame, _ in sent], [out for _, out in sent])


def _value_at(before: Held, sent: Sequence[tuple[int, Outgoing]], frame: int, device: str, send: Controller) -> int:
    wanted = (device, "controller", str(send.controller))
    earlier = [out for at, out in sorted(sent, key=lambda one: one[0]) if at <= frame and key_of(out) == wanted]
    newest = earlier[-1] if earlier else before.get(wanted)
    return newest.send.value if newest is not None and isinstance(newest.send, Controller) else send.value


def _line(out: Outgoing, start: int, first: int, end: int, sample_rate: int) -> list[tuple[int, Outgoing]]:
    """A line from value ``start`` at frame ``first`` to what ``out`` sends at frame ``end``."""
    assert isinstance(out.send, Controller)
    number, target = out.send.controller, out.send.value
    steps = max(1, min(abs(target - start), int((end - first) / (LINE_STEP_S * sample_rate))))
    line = []
    for k in range(1, steps + 1):
        value = round(start + (target - start) * k / steps)
        line.append((first + (end - 1 - first) * k // steps, out._replace(send=Controller(number, value))))
    return line


def named_out(device: Device, message: DeviceMessage) -> Outgoing:
    """A message that a device has by a name, sent by itself."""
    send = message.send
    plain = msgspec.structs.replace(send, over_beats=None) if isinstance(send, Controller) else send
    holds = send.__struct_config__.tag in HOLDING
    return Outgoing(device.id, device.channel, plain, holds, name=message.name)


def _out(message: Message, device: Device, send: Sent, frames: int) -> Outgoing:
    usual = send.__struct_config__.tag in HOLDING
    holds = usual if message.chase is None else message.chase
    found = sent_by(device, send)
    return Outgoing(device.id, device.channel, send, holds, frames, found[1] if found else "")
