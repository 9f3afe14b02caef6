"""Which sockets of a box are a pair."""

from __future__ import annotations

from collections.abc import Sequence

from upbeat.mix.routing import Socket


def pairs_of(sockets: Sequence[Socket]) -> list[tuple[int, int]]:
    """(left, right) numbers of the pairs, in order: what was said of a socket, else an odd one and the next.

    A pair counts as soon as one of its sockets names the other; a socket that names itself stands alone.
    """
    numbers = {s.number for s in sockets}
    said = {(min(s.number, s.pair), max(s.number, s.pair)) for s in sockets if s.pair in numbers and s.pair != s.number}
    spoken_for = {n for pair in said for n in pair} | {s.number for s in sockets if s.pair == s.number}
    usual = {(n, n + 1) for n in numbers if n % 2 and {n, n + 1} <= numbers - spoken_for}
    return sorted(said | usual)
