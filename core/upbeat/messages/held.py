"""What devices have been brought to by what was sent (rule S3)."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from upbeat.messages.kinds import Clock, Controller, Note, Osc, Out, Program

Key = tuple[str, ...]
#: What was sent last of everything that holds, by device and by what it sets, in the order of the keys' first coming.
Held = Mapping[Key, "Outgoing"]


class Outgoing(NamedTuple):
    """What goes out to a device. ``frames``: how long a note sounds; ``holds``: it is chased."""

    device: str
    channel: int
    send: Out
    holds: bool
    frames: int = 0
    name: str = ""


def key_of(out: Outgoing) -> Key:
    """What a message sets: two of one key do not hold at once."""
    match out.send:
        case Program():
            return out.device, "program"
        case Controller(controller=number):
            return out.device, "controller", str(number)
        case Note():
            return out.device, "scene"
        case Osc(address=address):
            return out.device, "osc", address
        case Clock():
            return out.device, "clock"


#: What controllers are where nobody has moved them (MIDI 1.0, RP-015, Response to Reset All Controllers).
AT_REST = {1: 0, 11: 127, 64: 0, 65: 0, 66: 0, 67: 0}


def at_rest(out: Outgoing) -> Outgoing | None:
    """What undoes a message on a device that was never sent one of its key; None where nobody knows."""
    if not isinstance(out.send, Controller) or out.send.controller not in AT_REST:
        return None
    return out._replace(send=Controller(out.send.controller, AT_REST[out.send.controller]), name="")


def after(held: Held, out: Outgoing) -> Held:
    """What holds once a message has been sent."""
    if not out.holds:
        return held
    if isinstance(out.send, Program) and out.send.bank is None and (before := held.get(key_of(out))):
        # The bank stays as it is until another is chosen.
        bank = before.send.bank if isinstance(before.send, Program) else None
        out = out._replace(send=Program(out.send.program, bank))
    return {**held, key_of(out): out}


def over(rest: Held, held: Held) -> Held:
    """What holds where ``held`` was sent on top of ``rest``."""
    for out in held.values():
        rest = after(rest, out)
    return rest


#: Programs first: on many keyboards they bring controllers of their own.
_ORDER = {"program": 0, "controller": 1, "scene": 2, "osc": 2}


def missing(before: Held, wanted: Held) -> list[Outgoing]:
    """What has to be sent so that what holds ``before`` becomes what is ``wanted``, in order."""
    other = [out for key, out in wanted.items() if key not in before or before[key].send != out.send]
    return sorted(other, key=lambda out: _ORDER[key_of(out)[1]])
