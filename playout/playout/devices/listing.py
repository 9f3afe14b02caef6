"""The interfaces of this machine, as JSON: ``python -m playout.devices.listing``.

PortAudio sees only what was there when it began, so each list is made by a process of its own.
"""

from __future__ import annotations

import json
import subprocess
import sys
from typing import Any, TypedDict

from playout.devices import INTERFACE, SIMULATED
from playout.shared import SOCKETS

RATES = (44100, 48000, 88200, 96000)
PATIENCE_S = 10.0


class Interface(TypedDict):
    """``rates``: in Hz, that it runs at. ``latency_ms``: of its own. ``refused``: why it cannot be used, or nothing."""

    name: str
    title: str
    outputs: int
    rates: list[int]
    latency_ms: float
    refused: str


def listed(sample_rate: int) -> list[Interface]:
    """The simulated interface, and what PortAudio finds on this machine now."""
    simulated = Interface(
        name=SIMULATED, title="Simulated", outputs=SOCKETS, rates=[sample_rate], latency_ms=0.0, refused=""
    )
    command = [sys.executable, "-m", "playout.devices.listing", str(sample_rate)]
    try:
        done = subprocess.run(command, capture_output=True, timeout=PATIENCE_S, check=True)
        found: list[Interface] = json.loads(done.stdout)
    except (OSError, subprocess.SubprocessError, ValueError):
        found = []
    return [simulated, *found]


def main() -> None:
    sample_rate = int(sys.argv[1])
    print(json.dumps(_found(sample_rate)))


def _found(sample_rate: int) -> list[Interface]:
    try:
        import sounddevice
    except OSError:  # no PortAudio on this machine
        return []
    devices = enumerate(sounddevice.query_devices())
    return [_interface(i, d, sample_rate) for i, d in devices if d["max_output_channels"] > 0]


def _interface(index: int, device: Any, sample_rate: int) -> Interface:
    from playout.devices.portaudio import full_name, rate_refused

    name, rates, refused = full_name(device), [], ""
    outputs = min(SOCKETS, device["max_output_channels"])
    for rate in sorted({*RATES, sample_rate}):
        why = _why_not(index, outputs, rate)
        if why is None:
            rates.append(rate)
        elif rate == sample_rate:
            refused = rate_refused(name, rate, why)
    return Interface(
        name=INTERFACE + name,
        title=name,
        outputs=outputs,
        rates=rates,
        latency_ms=round(1000 * device["default_low_output_latency"], 1),
        refused=refused,
    )


def _why_not(index: int, channels: int, rate: int) -> Exception | None:
    import sounddevice

    try:
        sounddevice.check_output_settings(device=index, channels=channels, samplerate=rate, dtype="float32")
    except sounddevice.PortAudioError as error:
        return error
    return None


if __name__ == "__main__":
    main()
