"""Messages on their way from the renderer that leads to the process of the ports (rules S2 and S5).

The renderer tells what goes out in the frames that come, some while before it is due, and tells it anew from the
frame on at which a press has changed it.
"""

from __future__ import annotations

from collections.abc import Iterable

import msgspec

from upbeat.messages.held import Outgoing
from upbeat.messages.wire import midi_bytes, off_bytes
from upbeat.play.events import Event, Message, NoteOff


class Over(msgspec.Struct, frozen=True):
    """A note of a device that is over."""

    device: str
    channel: int
    note: int


class Due(msgspec.Struct, frozen=True, array_like=True):
    """What goes out at an output frame: a message, or the end of a note."""

    frame: int
    out: Outgoing | None
    over: Over | None = None

    @property
    def device(self) -> str:
        return self.out.device if self.out is not None else self.over.device if self.over is not None else ""

    @property
    def data(self) -> bytes:
        """MIDI bytes; empty for a message that is none of MIDI."""
        if self.over is not None:
            return bytes(off_bytes(self.over.note, self.over.channel))
        return bytes(midi_bytes(self.out.send, self.out.channel)) if self.out is not None else b""


class Offer(msgspec.Struct, frozen=True):
    """Everything that goes out in output frames ``start`` to ``end``; what was offered from ``start`` on before is void.

    ``generation``: of the show whose devices these are. ``zero_ns``: when the first frame of all would have been heard, by the
    monotonic clock.
    """

    generation: int
    start: int
    end: int
    zero_ns: int
    rate: int
    due: tuple[Due, ...]

    def ns(self, frame: int) -> int:
        """When a frame is heard."""
        return self.zero_ns + frame * 1_000_000_000 // self.rate

    def from_(self, frame: int) -> Offer:
        """What it says of the frames from one on."""
        if frame <= self.start:
            return self
        due = tuple(d for d in self.due if d.frame >= frame)
        return msgspec.structs.replace(self, start=frame, end=max(frame, self.end), due=due)

    def heard_at(self, ns: int) -> int:
        """The frame that is heard at a time of the monotonic clock."""
        return (ns - self.zero_ns) * self.rate // 1_000_000_000


_decoder = msgspec.json.Decoder(Offer)


def encoded(offer: Offer) -> bytes:
    return msgspec.json.encode(offer)


def decoded(raw: bytes) -> Offer:
    return _decoder.decode(raw)


def due_of(events: Iterable[Event], origin: int, start: int, end: int) -> list[Due]:
    """What goes out in output frames ``start`` to ``end``, of the events of a session that began at ``origin``."""
    found = []
    for event in events:
        if isinstance(event, Message | NoteOff) and start <= event.frame + origin < end:
            frame = event.frame + origin
            if isinstance(event, Message):
                found.append(Due(frame, event.out))
            else:
                found.append(Due(frame, None, Over(event.device, event.channel, event.note)))
    return found
