"""What a show's devices are sent, told from playing it on paper (rules S1 to S3)."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from upbeat.messages.wire import off_bytes, sent
from upbeat.play.events import Message, NoteOff
from upbeat.show.bounce import TimedPress, rehearse
from upbeat.show.ready import ReadyShow


def listed(ready: ReadyShow, presses: Sequence[TimedPress] | None, entry: int) -> list[dict[str, Any]]:
    """Every message of an entry, from 0, in order of time: ``frame, at_s, device, kind, data, why``.

    ``frame`` is when it goes out, ``place_frame`` what it belongs to: later by the lead of its device.
    Raises :class:`Refused` where there is no such entry.
    """
    spans, _ = rehearse(ready, presses, entry)
    rate = ready.plan.sample_rate
    leads = {d.id: round(d.lead_ms * rate / 1000) for d in ready.show.devices}
    names = {d.id: d.name for d in ready.show.devices}
    found = []
    for event in (e for span in spans for e in span.events):
        if isinstance(event, Message):
            told = sent(event.out)
            device, kind, data, why = event.out.device, told["message"], told["data"], event.why
        elif isinstance(event, NoteOff):
            device, kind, data, why = event.device, "note_off", list(off_bytes(event.note, event.channel)), event.why
        else:
            continue
        due = max(0, event.frame - leads[device])
        found.append(
            {
                "frame": due,
                "at_s": round(due / rate, 6),
                "place_frame": event.frame,
                "device": device,
                "device_name": names[device],
                "kind": kind,
                "data": data,
                "why": why,
            }
        )
    return sorted(found, key=lambda m: m["frame"])
