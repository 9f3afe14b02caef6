"""A band's devices: kept, to be changed and taken back."""

from __future__ import annotations

from api.kept import KeptDocument
from devices.models import BandDevices, DevicesChange
from upbeat.messages.devices import as_data
from upbeat.messages.kinds import Device, read_devices

KEPT: KeptDocument[tuple[Device, ...]] = KeptDocument(
    document=BandDevices, changes=DevicesChange, read=read_devices, as_data=as_data
)
