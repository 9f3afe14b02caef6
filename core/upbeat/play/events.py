"""What happens at an output frame: a small closed union, and its records in logs and event lists."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

from upbeat.click.pattern import VOICES
from upbeat.cues.place import Spoken
from upbeat.messages.held import Outgoing
from upbeat.messages.wire import off_bytes, sent


@dataclass(frozen=True, slots=True)
class Click:
    """A click of voice ``voice`` (an index into :data:`VOICES`)."""

    frame: int
    voice: int
    entry: int


@dataclass(frozen=True, slots=True, kw_only=True)
class BarLine:
    """A bar begins. ``bar`` counts from 1; ``round`` is the pass of a repeat or vamp."""

    frame: int
    entry: int
    step: int
    round: int
    bar: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Seam:
    """A jump from source frame ``src_from`` to ``src_to``; ``why`` is the press behind it, or ``round``."""

    frame: int
    why: str
    entry: int
    step: int
    round: int
    src_from: int
    src_to: int


@dataclass(frozen=True, slots=True)
class EntryEnd:
    """The last bar of an entry is over."""

    frame: int
    entry: int


@dataclass(frozen=True, slots=True)
class LinkTaken:
    """The setlist's link leads into ``entry`` without a press (rule P2)."""

    frame: int
    link: Literal["attacca", "after"]
    entry: int


Why = Literal["place", "chase", "clock", "press"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Message:
    """A message goes out to a device: because its ``place`` is there, or in a ``chase`` to where the music jumps, by the ``clock`` or by a ``press``."""

    frame: int
    entry: int
    out: Outgoing
    why: Why


@dataclass(frozen=True, slots=True, kw_only=True)
class NoteOff:
    """A note that a device was sent is over."""

    frame: int
    device: str
    channel: int
    note: int
    why: Why = "place"


#: A spoken word is an event of its own: it has a frame at which it is perceived.
Event = Click | Spoken | BarLine | Seam | EntryEnd | LinkTaken | Message | NoteOff


def record(event: Event) -> dict[str, Any]:
    """An event as JSON: ``frame``, ``kind`` and what belongs to the kind (docs/cli.md, bounce)."""
    match event:
        case Click():
            return {"frame": event.frame, "kind": "click", "voice": VOICES[event.voice], "entry": event.entry}
        case Spoken():
            times = {"start": event.start, "end": event.end, "fast": event.fast}
            return {"frame": event.frame, "kind": "cue", "text": event.text, **times}
        case BarLine():
            at = {"entry": event.entry, "step": event.step, "round": event.round}
            return {"frame": event.frame, "kind": "bar", **at, "bar": event.bar}
        case Seam():
            at = {"entry": event.entry, "step": event.step, "round": event.round}
            source = {"src_from": event.src_from, "src_to": event.src_to}
            return {"frame": event.frame, "kind": "jump", "why": event.why, **at, **source}
        case Message():
            return {"frame": event.frame, "kind": "message", **sent(event.out), "why": event.why, "entry": event.entry}
        case NoteOff():
            data = list(off_bytes(event.note, event.channel))
            return {
                "frame": event.frame,
                "kind": "message",
                "device": event.device,
                "message": "note_off",
                "data": data,
                "why": event.why,
            }
        case EntryEnd():
            return {"frame": event.frame, "kind": "end", "entry": event.entry}
        case LinkTaken():
            return {"frame": event.frame, "kind": "link", "link": event.link, "entry": event.entry}
