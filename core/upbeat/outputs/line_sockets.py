"""The sockets of a rig as a line check goes through them, with what is said of each."""

from __future__ import annotations

from upbeat.cues.voice import MAX_TEXT
from upbeat.cues.wording import Wording
from upbeat.mix.routing import Routing, Socket
from upbeat.play.line_check import LineSocket


def line_sockets(routing: Routing, wording: Wording) -> tuple[LineSocket, ...]:
    """Every socket in the order of its number. ``wording``: how the voice says numbers."""
    return tuple(_socket(routing, s, wording) for s in sorted(routing.sockets, key=lambda s: s.number))


def _socket(routing: Routing, socket: Socket, wording: Wording) -> LineSocket:
    name = socket_name(routing, socket)
    spoken = f"{wording.number(socket.number)}. {name}" if name else wording.number(socket.number)
    return LineSocket(
        number=socket.number,
        name=name,
        spoken=spoken[:MAX_TEXT].strip(),
        headphones=socket.headphones,
        kept=socket.use == "kept",
    )


def socket_name(routing: Routing, socket: Socket) -> str:
    """Where a socket leads; where nobody wrote that, what is on it, or what stands on the box."""
    names = {f.id: f.name for f in routing.feeds}
    carried = dict.fromkeys(names[p.feed] for p in routing.patches if p.socket == socket.number and p.feed in names)
    return socket.label or ", ".join(carried) or socket.printed
