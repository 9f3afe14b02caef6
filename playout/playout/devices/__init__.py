"""Devices: where rendered blocks go.

- ``simulated``: stands in for an audio interface, and can record
- ``portaudio``: real hardware by way of sounddevice
"""

from __future__ import annotations

from typing import Protocol

import numpy as np

BLOCK = 256  # frames


class Device(Protocol):
    """Takes blocks of (sockets, frames) float32 and plays them at its own pace.

    ``write`` waits until there is room. ``held`` is how many frames were written and are not
    heard yet. ``dropouts`` counts blocks that were not there when the device needed them.
    """

    name: str
    channels: int
    sample_rate: int
    dropouts: int

    def start(self) -> None: ...
    def write(self, block: np.ndarray) -> None: ...
    def held(self) -> int: ...
    def stop(self) -> None: ...


def make_device(name: str, channels: int, sample_rate: int, ahead: int) -> Device:
    """``simulated``, or ``portaudio`` with an index or name after a colon; ``ahead``: blocks in hand."""
    from playout.devices.simulated import SimulatedDevice

    if name == "simulated":
        return SimulatedDevice(channels, sample_rate, BLOCK, ahead)
    from playout.devices.portaudio import PortAudioDevice

    _, _, index = name.partition(":")
    return PortAudioDevice(int(index) if index.isdigit() else index, channels, sample_rate, BLOCK, ahead)
