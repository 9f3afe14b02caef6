"""Devices: where blocks of sound go.

- ``simulated``: stands in for an audio interface, and can record
- ``portaudio``: real hardware by way of sounddevice
"""

from __future__ import annotations

from typing import Protocol

import numpy as np

from playout.shared import BLOCK

__all__ = ["BLOCK", "Device", "make_device"]


class Device(Protocol):
    """Takes blocks of (sockets, BLOCK) float32 and plays them at its own pace, from ``start`` on.

    ``room``: how many blocks it takes now. ``missed``: how many whole blocks it has played as silence
    since the last call because nothing was there; time went on. ``held``: frames that were written and
    are not heard yet. ``wait``: seconds until there is room. ``there``: False while it is gone; time goes on all the same.
    ``hungry``: what it holds is over in a moment.
    """

    name: str
    channels: int
    sample_rate: int

    @property
    def there(self) -> bool: ...
    @property
    def hungry(self) -> bool: ...

    def start(self) -> None: ...
    def room(self) -> int: ...
    def missed(self) -> int: ...
    def write(self, block: np.ndarray) -> None: ...
    def held(self) -> int: ...
    def wait(self) -> float: ...
    def stop(self) -> None: ...


def make_device(name: str, channels: int, sample_rate: int, blocks: int) -> Device:
    """``simulated``, or ``portaudio`` with an index or name after a colon; ``blocks``: in its own buffer."""
    from playout.devices.simulated import SimulatedDevice

    if name == "simulated":
        return SimulatedDevice(channels, sample_rate, blocks)
    from playout.devices.portaudio import PortAudioDevice

    _, _, index = name.partition(":")
    return PortAudioDevice(int(index) if index.isdigit() else index, channels, sample_rate, blocks)
