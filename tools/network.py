"""The product on the local network (./start --network): its address, a QR picture of it, and a name that is announced."""

from __future__ import annotations

import contextlib
import io
import socket
from typing import Any

NAME = "Upbeat Cue"
HOST = "upbeat-cue.local"


def own_address() -> str | None:
    """The IPv4 address by which this machine is reached in its network; None where it has none."""
    with contextlib.suppress(OSError), socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as asking:
        asking.connect(("192.0.2.1", 9))  # sends nothing: chooses the way (RFC 5737)
        found = str(asking.getsockname()[0])
        if not found.startswith("127."):
            return found
    with contextlib.suppress(OSError):
        listed = {str(info[4][0]) for info in socket.getaddrinfo(socket.gethostname(), None, socket.AF_INET)}
        return next((one for one in sorted(listed) if not one.startswith("127.")), None)
    return None


def picture(address: str) -> str:
    """A QR picture of an address, for a terminal."""
    import segno

    drawn = io.StringIO()
    segno.make(address, error="m").terminal(out=drawn, compact=True, border=2)
    return drawn.getvalue()


def announce(address: str, port: int) -> Any:
    """Announce the product by multicast DNS; gives what ends it, None where the network does not let us."""
    try:
        from zeroconf import ServiceInfo, Zeroconf

        info = ServiceInfo(
            "_http._tcp.local.",
            f"{NAME}._http._tcp.local.",
            addresses=[socket.inet_aton(address)],
            port=port,
            properties={"path": "/band"},
            server=f"{HOST}.",
        )
        announced = Zeroconf(interfaces=[address])
        announced.register_service(info, allow_name_change=True)
        return announced
    except Exception as error:  # a show goes on without a name in the network
        print(f"The name {HOST} is not announced: {error or type(error).__name__}.", flush=True)
        return None
