"""Systems of MIDI, and the names that their ports are kept by."""

from __future__ import annotations

import contextlib
import os
import re
from collections.abc import Iterator

import rtmidi

from upbeat.limits import NAME

APIS = {"ALSA": rtmidi.API_LINUX_ALSA, "JACK": rtmidi.API_UNIX_JACK}
OURS = "upbeat ear"  # of the ends by which we listen and speak
LIGHTS = " lights"  # after the name of a box of ours: what its lights hear by
_ALSA_NUMBERS = re.compile(r" \d+:\d+$")


def names_of(listed: list[str]) -> dict[str, int]:
    """The ports of a list by the names they are kept by, without numbers that change; two of one name are numbered."""
    found: dict[str, int] = {}
    for index, full in enumerate(listed):
        client, _, port = _ALSA_NUMBERS.sub("", full).partition(":")
        client = client.removesuffix(LIGHTS)
        if client.startswith((OURS, "Midi Through")):
            continue
        name = client if port in ("", "in", "out", "lights") or port.startswith(client) else f"{client} {port}"
        name, first = name.strip()[: NAME - 4], name.strip()[: NAME - 4]
        count = 1
        while name in found:
            count += 1
            name = f"{first} {count}"
        found[name] = index
    return found


@contextlib.contextmanager
def quiet() -> Iterator[None]:
    """Without what the libraries of MIDI write when a server is not there."""
    kept, nowhere = os.dup(2), os.open(os.devnull, os.O_WRONLY)
    try:
        os.dup2(nowhere, 2)
        yield
    finally:
        os.dup2(kept, 2)
        os.close(kept)
        os.close(nowhere)
