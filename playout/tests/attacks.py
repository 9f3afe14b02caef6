"""What may come to the control port from somebody who means harm, or whose program is wrong."""

import json
import socket
import time

import msgspec
import numpy as np

from upbeat.play.presses import PRESSES

PRESS = {"do": "press", "press": "go_to", "args": {"step": 1, "when": "section_end"}}
VALUES = [0, -1, 2**63, 2**400, 1e400, float("nan"), "", "x" * 300, "\ud800", None, [], {}, [[]] * 50, True, 0.5]


def mutated(rng):
    """A control message with something in it that nobody asked for."""
    message = json.loads(json.dumps(PRESS))
    what = rng.randrange(6)
    if what == 0:
        message[rng.choice(["do", "press", "args", "by"])] = rng.choice(VALUES)
    elif what == 1:
        message["args"][rng.choice(["step", "when", "other"])] = rng.choice(VALUES)
    elif what == 2:
        message["args"] = {f"k{i}": i for i in range(rng.choice([9, 1000]))}
    raw = json.dumps(message).encode("utf-8", "surrogatepass")
    if what == 3:
        at = rng.randrange(len(raw))
        raw = raw[:at] + bytes([rng.randrange(256)]) + raw[at + 1 :]
    elif what == 4:
        raw = raw[: rng.randrange(len(raw))]
    elif what == 5:
        raw = rng.choice([b"[" * 100_000, b'{"do":' * 5000, b"\xff" * 70_000, b"null", b"", b"0" * 60_000])
    return raw


def every_press():
    """Every press with every kind of value for each of its arguments, and with one that it does not have."""
    for name, one in PRESSES.items():
        if name in ("stop", "fade_away"):
            continue  # the show is to play on
        fields = [f.name for f in msgspec.structs.fields(one.arguments)]
        for field in [*fields, "other"]:
            for value in VALUES:
                message = {"do": "press", "press": name, "args": {field: value}}
                yield json.dumps(message).encode("utf-8", "surrogatepass")


def raw_bytes(port):
    """Connections that send no messages: noise of up to 10 MB, frames that are cut off, and silence."""
    rng = np.random.default_rng(5)
    greeting = b"\xff\0\0\0\0\0\0\0\1\x7f\3\0NULL" + bytes(48)  # of ZMTP 3
    ready = b"\4\x1a\5READY\x0bSocket-Type\0\0\0\6DEALER"
    frames = (b"\2" + b"\xff" * 8, b"\2" + (1 << 40).to_bytes(8), b"\1\0\0\xff", b"\0\xff" + b"x" * 10)
    for noise in [*(rng.bytes(n) for n in (1, 5, 64, 1000, 10_000_000)), *(greeting + ready + f for f in frames)]:
        with socket.create_connection(("127.0.0.1", port)) as line:
            try:
                line.sendall(noise)
                time.sleep(0.05)
            except OSError:
                pass  # it was cut off, as it should be
