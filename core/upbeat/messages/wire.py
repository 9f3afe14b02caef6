"""Messages as bytes (MIDI 1.0, detailed specification 4.2, tables I to III)."""

from __future__ import annotations

from typing import Any

from upbeat.messages.held import Outgoing
from upbeat.messages.kinds import Clock, Controller, Note, Osc, Out, Program

_BANK_HIGH, _BANK_LOW = 0, 32


def program_bytes(send: Program, channel: int) -> tuple[int, ...]:
    """Bank select in two parts where a bank is given, then the program. ``channel`` from 1."""
    at = channel - 1
    bank = () if send.bank is None else (0xB0 | at, _BANK_HIGH, send.bank >> 7, 0xB0 | at, _BANK_LOW, send.bank & 0x7F)
    return (*bank, 0xC0 | at, send.program - 1)


def controller_bytes(send: Controller, channel: int) -> tuple[int, ...]:
    return 0xB0 | channel - 1, send.controller, send.value


def on_bytes(send: Note, channel: int) -> tuple[int, ...]:
    return 0x90 | channel - 1, send.note, send.velocity


def off_bytes(note: int, channel: int) -> tuple[int, ...]:
    return 0x80 | channel - 1, note, 0


TICK, START, CONTINUE, STOP = (0xF8,), (0xFA,), (0xFB,), (0xFC,)
TICKS = 24  # to the quarter note
_POSITION, _SIXTEENTH, _MOST = 0xF2, 6, 16_383


def position_bytes(tick: int) -> tuple[int, ...]:
    """Song position in sixteenth notes, of a tick of the clock from 0; the last that can be told stands for those after it."""
    at = min(tick // _SIXTEENTH, _MOST)
    return _POSITION, at & 0x7F, at >> 7


def midi_bytes(send: Out, channel: int) -> tuple[int, ...]:
    """The bytes of a message; none for one that is not of MIDI."""
    match send:
        case Program():
            return program_bytes(send, channel)
        case Controller():
            return controller_bytes(send, channel)
        case Note():
            return on_bytes(send, channel)
        case Clock():
            return send.data
        case Osc():
            return ()


def short(out: Outgoing) -> str:
    """What goes out in one line: MIDI bytes in hexadecimal, or an OSC address with its arguments."""
    if isinstance(out.send, Osc):
        return " ".join([out.send.address, *map(str, out.send.args)])
    return bytes(midi_bytes(out.send, out.channel)).hex(" ")


def kind_of(out: Outgoing) -> str:
    """The kind of a message as documents write it."""
    return str(type(out.send).__struct_config__.tag)


def sent(out: Outgoing) -> dict[str, Any]:
    """What goes out as JSON: ``device, message`` (its kind), ``data``: MIDI bytes, or an OSC address with its arguments."""
    osc = {"address": out.send.address, "args": list(out.send.args)} if isinstance(out.send, Osc) else None
    data: Any = osc or list(midi_bytes(out.send, out.channel))
    return {"device": out.device, "message": kind_of(out), "data": data, **({"name": out.name} if out.name else {})}
