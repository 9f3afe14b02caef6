"""Rigs by shape: so many sockets, with headphone sockets of their own, mirrored, or none."""

from __future__ import annotations

from typing import Literal, get_args

from upbeat.errors import refuse
from upbeat.mix.routing import Socket

Phones = Literal["none", "separate", "mirrored"]
PHONES: tuple[Phones, ...] = get_args(Phones)
SHAPES = (2, 4, 6, 8, 10, 14, 16, 18, 32)
_TWO_PAIRS = 14  # boxes from this size on have two headphone sockets


def rig_sockets(count: int, phones: Phones = "none") -> tuple[Socket, ...]:
    """The sockets of a box. ``separate``: its last pairs are for headphones; ``mirrored``: its first ones are heard there too.

    Raises :class:`Refused` for a shape that no box has.
    """
    if count not in SHAPES:
        raise refuse(
            "rig-shape", f"There is no shape of {count} sockets: {', '.join(map(str, SHAPES))}, or add them singly."
        )
    ears = 2 * (1 + (count >= _TWO_PAIRS)) if phones != "none" else 0
    if phones == "separate" and count <= ears:
        raise refuse("rig-shape", f"A box of {count} sockets has none left beside separate headphones.")
    return tuple(_socket(n, count, ears, phones) for n in range(1, count + 1))


def _socket(number: int, count: int, ears: int, phones: Phones) -> Socket:
    side = "L" if number % 2 else "R"
    if phones == "separate" and number > count - ears:
        printed = f"Phones {(number - count + ears + 1) // 2} {side}"
        return Socket(number, balanced=False, headphones=True, printed=printed)
    mirrored = f"Phones {(number + 1) // 2} {side}" if phones == "mirrored" and number <= ears else ""
    return Socket(number, printed=f"Out {number}", mirrored=mirrored)
