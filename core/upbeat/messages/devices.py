"""The devices of a band, changed, and named messages read from a list."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping, Sequence
from typing import Any

import msgspec

from upbeat.arguments import parsed
from upbeat.errors import refuse
from upbeat.limits import DEVICES
from upbeat.messages.kinds import Controller, Device, DeviceMessage, Note, Osc, Program, Sent, read_devices

MOST_LIST = 256 << 10  # bytes of a list
#: What a row makes by the first of these columns that it fills in, and the columns that say more of it.
KINDS: Mapping[str, tuple[type[Sent], tuple[str, ...]]] = {
    "program": (Program, ("program", "bank")),
    "note": (Note, ("note", "velocity", "beats")),
    "controller": (Controller, ("controller", "value")),
    "address": (Osc, ("address", "args")),
}


def as_data(devices: Sequence[Device]) -> list[dict[str, Any]]:
    """Devices as a show document has them."""
    # As JSON gives them back: tuples would be told apart from the lists of a document that was read.
    found: list[dict[str, Any]] = msgspec.json.decode(msgspec.json.encode(devices))
    return found


def with_device(devices: Sequence[Device], raw: Mapping[str, Any]) -> tuple[Device, ...]:
    """The devices with one that is new, or with what ``raw`` says of the one of its id. Raises :class:`Refused`."""
    rest = {d.id: d for d in devices}
    before = rest.get(str(raw.get("id")))
    [new] = read_devices([{**(msgspec.to_builtins(before) if before is not None else {}), **raw}])
    if new.id not in rest and len(devices) + 1 not in DEVICES:
        raise refuse("devices-many", f"A band has at most {DEVICES.high:g} devices: take one out first.")
    if any(d.name == new.name and d.id != new.id for d in devices):
        raise refuse("device-name", f"There is a device “{new.name}” already: give this one another name.")
    return tuple({**rest, new.id: new}.values())


def without_device(devices: Sequence[Device], device: str) -> tuple[Device, ...]:
    """The devices without one. Raises :class:`Refused` where it is not there."""
    one_of(devices, device)
    return tuple(d for d in devices if d.id != device)


def one_of(devices: Sequence[Device], device: str) -> Device:
    """A device by its id. Raises :class:`Refused`."""
    found = next((d for d in devices if d.id == device), None)
    if found is None:
        raise refuse("device-unknown", "There is no such device any more.")
    return found


def with_list(devices: Sequence[Device], device: str, text: str) -> tuple[Device, ...]:
    """The devices with the messages of a list put to one, in place of those of the same names. Raises :class:`Refused`."""
    into = one_of(devices, device)
    named = {m.name: m for m in into.messages}
    for number, name, send in read_list(text):
        before = named.get(name)
        named[name] = DeviceMessage(before.id if before else _free(named.values(), number), name, send)
    changed = msgspec.structs.replace(into, messages=tuple(named.values()))
    return with_device(devices, msgspec.to_builtins(changed))


def _free(named: Any, number: int) -> str:
    taken = {m.id for m in named}
    while f"m{number}" in taken:
        number += 1
    return f"m{number}"


def read_list(text: str) -> list[tuple[int, str, Sent]]:
    """A list with a column ``name`` and some of :data:`KINDS`: number of each row, name, message.

    Raises :class:`Refused` that names the row.
    """
    if len(text.encode("utf-8", "replace")) > MOST_LIST:
        raise refuse("list-large", f"This list has more than {MOST_LIST >> 10} KB: take out what the songs do not use.")
    lines = io.StringIO(text.lstrip("\ufeff"))
    try:
        first = lines.readline()
        split = max(",;\t", key=first.count)
        rows = list(csv.DictReader(lines, [c.strip().lower() for c in first.split(split)], delimiter=split))
    except csv.Error as error:
        raise refuse("list-format", f"This list cannot be read ({error}): save it as CSV.") from None
    head = [c.strip().lower() for c in first.split(split)]
    if "name" not in head or not KINDS.keys() & set(head):
        raise refuse(
            "list-head", "The first row names the columns: “name”, and “program”, “note”, “controller” or “address”."
        )
    found = []
    for number, row in enumerate(rows, 2):
        given = {str(k): v.strip() for k, v in row.items() if k and isinstance(v, str) and v.strip()}
        if given:
            found.append((number, given.get("name", ""), _message(number, given)))
    if not found:
        raise refuse(
            "list-empty", "There is no message in this list: write one in each row below the names of the columns."
        )
    return found


def _message(number: int, given: Mapping[str, str]) -> Sent:
    if not given.get("name"):
        raise refuse("list-name", f"Row {number} has no name: write one.")
    column = next((k for k in KINDS if k in given), None)
    what = f"Row {number} (“{given['name']}”)"
    if column is None:
        raise refuse("list-row", f"{what} says not what is sent: fill in one of its columns.")
    kind, columns = KINDS[column]
    raw: dict[str, Any] = {c: given[c] for c in columns if c in given}
    if "args" in raw:
        raw["args"] = [_value(one) for one in raw["args"].split()]
    return parsed(raw, kind, what, strict=False)


def _value(text: str) -> int | float | str:
    """An argument of OSC as it is written: a number where it is one."""
    for kind in (int, float):
        try:
            return kind(text)
        except ValueError:
            continue
    return text
