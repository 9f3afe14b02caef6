"""What goes over the engine's two ZeroMQ sockets on loopback.

Control (REQ to REP): one JSON object ``{"do": name, …}``, answered by
``{"ok": true, …}`` or ``{"ok": false, "problems": [{code, message}]}``.

State (PUB): ``state`` with a JSON object, at least 20 times a second and on every change;
``tap:FEED`` with a 16-byte header (first output frame as int64, channels and frames as uint32,
little-endian) and int16 samples, interleaved.
"""

from __future__ import annotations

import struct

import numpy as np

STATE = b"state"
_TAP = struct.Struct("<qII")


def pack_tap(frame: int, block: np.ndarray) -> bytes:
    """A (channels, frames) float32 block as a tap message; what is over full scale is clipped."""
    samples = np.clip(block.T * 32767, -32768, 32767).astype("<i2")
    return _TAP.pack(frame, block.shape[0], block.shape[1]) + samples.tobytes()


def unpack_tap(message: bytes) -> tuple[int, np.ndarray]:
    """The first output frame and the (frames, channels) int16 samples of a tap message."""
    frame, channels, frames = _TAP.unpack_from(message)
    return frame, np.frombuffer(message, dtype="<i2", offset=_TAP.size).reshape(frames, channels)
