"""Where messages go: a MIDI port of the machine, or an address of the local network by OSC (rules S1 and S5)."""

from __future__ import annotations

import errno
import ipaddress
import socket
import time
from collections.abc import Callable
from typing import Protocol

import msgspec
from pythonosc.osc_message_builder import OscMessageBuilder

from upbeat.errors import Problem
from upbeat.messages.kinds import DeviceKind, Osc, OscValue, Out

_EXCLUSIVE, _END = 0xF0, 0xF7
REFUSED_S = 3.0  # after which an address that nothing listens at is tried again
_NEAR = [
    ipaddress.ip_network(one)
    for one in (
        "127.0.0.0/8",
        "::1",
        "10.0.0.0/8",
        "172.16.0.0/12",
        "192.168.0.0/16",
        "fc00::/7",
        "169.254.0.0/16",
        "fe80::/10",
    )
]


class Address(msgspec.Struct, frozen=True, kw_only=True):
    """A device as the show describes it."""

    id: str
    name: str
    kind: DeviceKind
    port: str = ""
    channel: int = 1
    host: str = ""
    udp_port: int | None = None
    lead_ms: float = 0.0


class Receiver(Protocol):
    """The way to a device. Nothing here waits."""

    def look(self) -> None:
        """See whether it is there; may take a while, and is for a thread of its own."""

    def missing(self) -> Problem | None:
        """Why nothing can be sent now; None where it can."""

    def send(self, send: Out | None, data: bytes, due_ns: int | None = None) -> bool:
        """Send a message, or the MIDI bytes of it, that was due at ``due_ns`` of the monotonic clock; False where it was not taken."""


#: Sends a message to a port; when it was due, in ns of the monotonic clock, where it was.
SendTo = Callable[[str, bytes, int | None], bool]


class MidiReceiver:
    """A MIDI port. ``outputs``: those that there are; ``send``: sends to one of them."""

    def __init__(self, address: Address, outputs: Callable[[], set[str]], send: SendTo):
        self._address, self._outputs, self._send = address, outputs, send

    def look(self) -> None:
        pass

    def missing(self) -> Problem | None:
        name, port = self._address.name, self._address.port
        if not port:
            return Problem("device-port", f"“{name}” has no port yet: choose one.")
        if port not in self._outputs():
            return Problem("device-gone", f"The port “{port}” of “{name}” is not plugged in.")
        return None

    def send(self, send: Out | None, data: bytes, due_ns: int | None = None) -> bool:
        return all(self._send(self._address.port, one, due_ns) for one in apart(data))


class OscReceiver:
    """A host of this machine or its network, by UDP."""

    def __init__(self, address: Address):
        self._address = address
        self._socket: socket.socket | None = None
        self._refused = -REFUSED_S  # when it was told last that nothing listens
        self._why: Problem | None = Problem("device-asked", f"“{address.name}” is being looked for: try again.")
        if _is_number(address.host):
            self.look()

    def look(self) -> None:
        if self._socket is not None:
            if self._socket.getsockopt(socket.SOL_SOCKET, socket.SO_ERROR) == errno.ECONNREFUSED:
                self._refused = time.monotonic()
            return
        host, port, name = self._address.host, self._address.udp_port, self._address.name
        if not host or port is None:
            self._why = Problem("device-host", f"“{name}” has no host and port yet: type them.")
            return
        try:
            family, kind, proto, _, to = socket.getaddrinfo(host, port, type=socket.SOCK_DGRAM)[0]
        except (OSError, UnicodeError):
            self._why = Problem("host-unknown", f"The host “{host}” of “{name}” is not there: check how it is written.")
            return
        if not is_near(str(to[0])):
            self._why = Problem("host-far", f"“{host}” is not in this network: “{name}” gets nothing.")
            return
        made = socket.socket(family, kind, proto)
        made.setblocking(False)
        try:
            made.connect(to)
        except OSError:
            made.close()
            self._why = Problem("host-unreached", f"The network of “{host}” cannot be reached: look at its cable.")
            return
        self._socket, self._why = made, None

    def missing(self) -> Problem | None:
        if time.monotonic() - self._refused < REFUSED_S:
            where = f"{self._address.host}, port {self._address.udp_port}"
            return Problem("device-deaf", f"Nothing listens at {where}: start “{self._address.name}” there.")
        return self._why

    def send(self, send: Out | None, data: bytes, due_ns: int | None = None) -> bool:
        made = self._socket
        if made is None or not isinstance(send, Osc):
            return False
        try:
            made.send(packet(send.address, send.args))
        except ConnectionRefusedError:  # told of the one before; this one was not sent
            self._refused = time.monotonic()
            return False
        except OSError:
            return False
        return True


def _is_number(host: str) -> bool:
    try:
        ipaddress.ip_address(host)
    except ValueError:
        return False
    return True


def is_near(address: str) -> bool:
    """Whether an IP address is of this machine or its network: loopback, private (RFC 1918, RFC 4193), link-local."""
    found = ipaddress.ip_address(address.partition("%")[0])
    return any(found in network for network in _NEAR if network.version == found.version)


def packet(address: str, args: tuple[OscValue, ...]) -> bytes:
    """A message of Open Sound Control 1.0."""
    builder = OscMessageBuilder(address=address)
    for arg in args:
        builder.add_arg(arg)
    return builder.build().dgram


def apart(data: bytes) -> list[bytes]:
    """Channel messages and those of the system, one by one: a driver takes one at a time."""
    found, at = [], 0
    while at < len(data):
        size = data.index(_END, at) + 1 - at if data[at] == _EXCLUSIVE else _size(data[at])
        found.append(data[at : at + size])
        at += size
    return found


def _size(status: int) -> int:
    if status >= 0xF0:
        return {0xF1: 2, 0xF2: 3, 0xF3: 2}.get(status, 1)
    return 2 if status & 0xF0 in (0xC0, 0xD0) else 3
