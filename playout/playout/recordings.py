"""Recording every socket of the simulated device."""

from __future__ import annotations

import time
from pathlib import Path

import msgspec

from playout import commands, shared
from playout.devices import Device
from playout.devices.simulated import SimulatedDevice
from playout.shared import BLOCK, Shared
from upbeat.errors import refuse


class Recordings:
    """Files below ``folder``, those of each band in a folder of its own."""

    def __init__(self, folder: Path):
        self.folder = folder

    def turn(self, command: commands.Record, device: Device, memory: Shared) -> bytes:
        """Begin or end a recording; answers with its file and the frame of the session it begins at."""
        if not isinstance(device, SimulatedDevice):
            raise refuse("record-device", "Only the simulated device records: record a real one at the desk.")
        memory.head[shared.RECORDING] = int(command.on)
        if not command.on:
            finished = device.finish_recording()
            return _ok(recording=False, file=str(finished) if finished else None)
        frame = memory.number(shared.WRITTEN) * BLOCK
        path = self.folder / command.folder / f"sockets-{time.strftime('%Y%m%d-%H%M%S')}-{frame}.wav"
        device.record(path)
        return _ok(recording=True, file=str(path), frame=frame - memory.number(shared.BEGAN), output_frame=frame)


def _ok(**fields: object) -> bytes:
    return msgspec.json.encode({"ok": True, **fields})
