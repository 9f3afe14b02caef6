"""Devices: where blocks of sound go.

- ``simulated``: stands in for an audio interface, and can record
- ``interface:NAME``: real hardware by way of PortAudio (sounddevice)
"""

from __future__ import annotations

from typing import Annotated, Literal, Protocol

import msgspec
import numpy as np

from playout.shared import BLOCK, DEVICE_TEXT, Shared
from upbeat import limits

__all__ = ["BLOCK", "Choice", "Device", "DeviceNow", "chosen", "make_device"]

SIMULATED, INTERFACE = "simulated", "interface:"


class Choice(msgspec.Struct, frozen=True, kw_only=True):
    """Which device is fed, and how.

    ``outputs``: how many are used. ``block``: frames that an interface asks for at a time.
    ``buffer``: blocks of 256 frames that wait for it, two of its own blocks at the least.
    """

    name: Annotated[str, msgspec.Meta(pattern=r"^(simulated|interface:.{1,200})$")] = SIMULATED
    outputs: Annotated[int, msgspec.Meta(ge=limits.SOCKETS.low, le=limits.SOCKETS.high)] = 8
    block: Literal[*limits.INTERFACE_BLOCKS] = 256  # type: ignore[valid-type]
    buffer: Annotated[int, msgspec.Meta(ge=limits.BUFFER_BLOCKS.low, le=limits.BUFFER_BLOCKS.high)] = 4

    @property
    def blocks(self) -> int:
        return max(self.buffer, 2 * -(-self.block // BLOCK))


class DeviceNow(msgspec.Struct, frozen=True):
    """What is fed, and why it does not sound, where it does not."""

    choice: Choice
    problem: str


def chosen(memory: Shared) -> Choice | None:
    """The device that was fed last."""
    text = memory.text(DEVICE_TEXT)
    return msgspec.json.decode(text, type=DeviceNow).choice if text else None


class Device(Protocol):
    """Takes blocks of (sockets, BLOCK) float32 and plays them at its own pace, from ``start`` on.

    ``room``: how many blocks it takes now. ``missed``: how many whole blocks it has played as silence
    since the last call because nothing was there; time went on. ``held``: frames that were written and
    are not heard yet. ``wait``: seconds until there is room. ``there``: False while it is gone; time goes on all the same.
    ``broken``: it can only be had again by another process. ``problem``: why it is not there, in a sentence. ``hungry``: what it holds is over in a moment.
    ``stop`` does not wait; ``finish`` waits for what was begun, once it is stopped.
    """

    channels: int
    sample_rate: int

    @property
    def there(self) -> bool: ...
    @property
    def broken(self) -> bool: ...
    @property
    def problem(self) -> str: ...
    @property
    def hungry(self) -> bool: ...

    def start(self) -> None: ...
    def room(self) -> int: ...
    def missed(self) -> int: ...
    def write(self, block: np.ndarray) -> None: ...
    def held(self) -> int: ...
    def wait(self) -> float: ...
    def stop(self) -> None: ...
    def finish(self) -> None: ...


def make_device(choice: Choice, sample_rate: int) -> Device:
    """The device that was chosen, not started yet."""
    from playout.devices.simulated import SimulatedDevice

    if choice.name == SIMULATED:
        return SimulatedDevice(choice.outputs, sample_rate, choice.blocks)
    from playout.devices.portaudio import PortAudioDevice

    return PortAudioDevice(
        choice.name.removeprefix(INTERFACE), choice.outputs, sample_rate, block=choice.block, blocks=choice.blocks
    )
