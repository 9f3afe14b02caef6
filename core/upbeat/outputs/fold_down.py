"""A show's feeds on another rig, by stated rules (M4): 8 → 6 → 4 → 2 sockets, and up again.

Feeds that leave together are a *line*: a house line, the guides (click and cues), or a mix. While the lines need more
sockets than there are, one step after the other is taken:

1. mixes become mono, the last one first;
2. click and cues share one socket;
3. mixes are left out, the last one first: who listened there hears click and cues;
4. house lines join, the last two first;
5. the house becomes mono;
6. click and cues are left out (a single socket belongs to the house).

Then mixes come back, the first one first, while there is a socket for them. On two sockets the guides are left and the
house is right. On a rig with more sockets every feed stands by itself again, as wide as it is.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from upbeat.errors import refuse
from upbeat.mix.routing import Feed, Patch, Routing, Side, Socket, feed_order, guide_of, guided
from upbeat.outputs.pairs import pairs_of

LineKind = Literal["house", "guides", "mix"]


@dataclass(frozen=True, kw_only=True)
class Line:
    """Feeds (by id) that leave together on ``width`` sockets, 1 or 2; ``sockets``: those they are on now."""

    kind: LineKind
    feeds: tuple[str, ...]
    width: int
    sockets: tuple[int, ...] = ()


Lines = tuple[Line, ...]


def fold_down(routing: Routing, sockets: Sequence[Socket], kept: Sequence[Patch] = ()) -> Routing:
    """``routing`` on a rig of ``sockets``, with wires of its own. Raises :class:`Refused` where none is free.

    ``kept``: wires made there by hand; their feeds and sockets stay as they are.
    """
    free = [s for s in sockets if s.use == "free"]
    if not free:
        raise refuse("rig-none-free", "The rig has no free socket: free one, or take another rig.")
    there = {s.number for s in free}
    kept = tuple(p for p in kept if p.socket in there)
    taken, placed = {p.socket for p in kept}, {p.feed for p in kept}
    more = len(free) > sum(s.use == "free" for s in routing.sockets)
    lines = tuple(
        replace(line, feeds=left)
        for line in lines_of(routing, apart=more)
        if (left := tuple(f for f in line.feeds if f not in placed))
    )
    open_ = [s for s in free if s.number not in taken]
    fitted = fit(lines, len(open_), sum(not s.headphones for s in open_) or len(open_))
    made = [p for line, numbers in _places(fitted, open_) for p in _wires(routing, line, numbers)]
    return replace(routing, sockets=tuple(sockets), patches=(*kept, *made))


def lines_of(routing: Routing, apart: bool = False) -> Lines:
    """The lines of a routing as it is wired, house first. ``apart``: each feed by itself, as wide as it is.

    A feed that is wired nowhere is a line too, unless it is music that another feed takes.
    """
    taken = {s.source[5:] for f in routing.feeds for s in f.sends if s.source.startswith("feed:")}
    kinds, lines = kinds_of(routing.feeds), list[Line]()
    together: dict[tuple[LineKind, tuple[int, ...]], Line] = {}
    for feed in routing.feeds:
        own = [p for p in routing.patches if p.feed == feed.id]
        numbers = tuple(dict.fromkeys(p.socket for p in sorted(own, key=lambda p: p.side != "left")))
        if not numbers and feed.id in taken and kinds[feed.id] != "guides":
            continue
        wide = feed.channels if apart or not own else min(feed.channels, len({p.side for p in own} - {"mono"}) or 1)
        line = Line(kind=kinds[feed.id], feeds=(feed.id,), width=wide, sockets=numbers)
        with_it = None if apart or not numbers else together.get((line.kind, numbers))
        if with_it is not None:
            line = _joined(with_it, line)
            lines[lines.index(with_it)] = line
        else:
            lines.append(line)
        together[line.kind, numbers] = line
    return tuple(sorted(lines, key=lambda line: line.kind != "house"))


def fit(lines: Lines, sockets: int, for_house: int) -> Lines:
    """The lines as the rules fold them, so that ``sockets`` are enough, of which the house may have ``for_house``."""

    def fits(state: Lines) -> bool:
        house = _needed(tuple(line for line in state if line.kind == "house"))
        return _needed(state) <= sockets and house <= for_house

    fitted = next((state for state in _steps(lines) if fits(state)), ())
    there = {f for line in fitted for f in line.feeds}
    for line in lines:
        if line.kind == "mix" and not there & set(line.feeds) and _needed(fitted) < sockets:
            width = line.width if _needed(fitted) + line.width <= sockets else 1
            fitted = (*fitted, replace(line, width=width))
    order = {line.feeds[0]: i for i, line in enumerate(lines)}
    return tuple(sorted(fitted, key=lambda line: order[line.feeds[0]]))


def _steps(lines: Lines) -> Iterator[Lines]:
    """The lines after no step, after the first, and so on."""
    yield lines
    for i in _last_first(lines, "mix"):
        if lines[i].width == 2:
            lines = _with(lines, i, replace(lines[i], width=1))
            yield lines
    guides = [line for line in lines if line.kind == "guides"]
    if guides:
        joined = replace(guides[0], width=1)
        for line in guides[1:]:
            joined = _joined(joined, replace(line, width=1))
        lines = (*(line for line in lines if line.kind != "guides"), joined)
        yield lines
    for i in _last_first(lines, "mix"):
        lines = lines[:i] + lines[i + 1 :]
        yield lines
    while len(house := list(_last_first(lines, "house"))) > 1:
        last, before = house[:2]
        lines = _with(lines, before, _joined(lines[before], lines[last]))
        lines = lines[:last] + lines[last + 1 :]
        yield lines
    for i in _last_first(lines, "house"):
        lines = _with(lines, i, replace(lines[i], width=1))
        yield lines
    if any(line.kind == "house" for line in lines):
        yield tuple(line for line in lines if line.kind == "house")


def _last_first(lines: Lines, kind: LineKind) -> Iterator[int]:
    return (i for i in reversed(range(len(lines))) if lines[i].kind == kind)


def _with(lines: Lines, i: int, line: Line) -> Lines:
    return (*lines[:i], line, *lines[i + 1 :])


def _joined(a: Line, b: Line) -> Line:
    return replace(a, feeds=a.feeds + b.feeds, width=max(a.width, b.width))


def _needed(lines: Lines) -> int:
    return sum(line.width for line in lines)


def kinds_of(feeds: Sequence[Feed]) -> dict[str, LineKind]:
    """What each feed is: guides have nothing else in them."""
    kinds: dict[str, LineKind] = {}
    for feed in feed_order(feeds):
        alone = feed.sends and all(
            kinds[s.source[5:]] == "guides" if s.source.startswith("feed:") else guide_of(s.source) for s in feed.sends
        )
        kinds[feed.id] = "house" if feed.kind == "house" else "guides" if alone else "mix"
    if "guides" not in kinds.values():
        # Somebody must hear them: the first mix that has them is the last one to go.
        with_them = guided(feeds)
        first = next((f.id for f in feeds if f.kind == "monitor" and with_them[f.id]), None)
        kinds |= {first: "guides"} if first is not None else {}
    return kinds


# --- where each line goes --------------------------------------------------------------------------


def _places(lines: Lines, sockets: Sequence[Socket]) -> list[tuple[Line, tuple[int, ...]]]:
    """The sockets of each line, the house first: where it is now if it can stay, else wide lines on pairs first."""
    if len(sockets) == 2 and {(line.kind, line.width) for line in lines} == {("guides", 1), ("house", 1)}:
        order = sorted(lines, key=lambda line: line.kind != "guides")
        return [(line, (s.number,)) for line, s in zip(order, sockets, strict=True)]
    left, found = list(sockets), list[tuple[Line, tuple[int, ...]]]()
    house = [line for line in lines if line.kind == "house"]
    for own in (house, [line for line in lines if line.kind != "house"]):
        staying = [line for line in own if _may_stay(line, left)]
        for line in (*staying, *sorted((x for x in own if x not in staying), key=lambda x: -x.width)):
            numbers = line.sockets if line in staying else _chosen(line, left)
            found.append((line, numbers))
            left = [s for s in left if s.number not in numbers]
    return found


def _may_stay(line: Line, left: Sequence[Socket]) -> bool:
    good = {s.number for s in left if line.kind != "house" or not s.headphones}
    return len(line.sockets) == line.width and set(line.sockets) <= good


def _chosen(line: Line, left: Sequence[Socket]) -> tuple[int, ...]:
    best = _preferred(left, line.kind)
    if line.width == 1:
        return (best[0].number,)
    liked = {s.number: i for i, s in enumerate(best) if s.headphones == best[1].headphones}
    pairs = sorted((p for p in pairs_of(left) if set(p) <= set(liked)), key=lambda p: liked[p[0]])
    return pairs[0] if pairs else (best[0].number, best[1].number)


def _preferred(sockets: Sequence[Socket], kind: LineKind) -> list[Socket]:
    """Balanced sockets for the house, those for headphones last of all; the other way round for ears."""
    if kind == "house":
        return sorted(sockets, key=lambda s: (s.headphones, not s.balanced, s.number))
    return sorted(sockets, key=lambda s: (not s.headphones, s.number))


def _wires(routing: Routing, line: Line, numbers: tuple[int, ...]) -> list[Patch]:
    """The wires of a line on its sockets, with the trims and polarity that its feeds have now.

    A socket has one delay: that of the first feed.
    """
    made: list[Patch] = []
    channels = {f.id: f.channels for f in routing.feeds}
    for feed in line.feeds:
        own = [p for p in routing.patches if p.feed == feed]
        stereo = len(numbers) == 2 and channels[feed] == 2
        sides: Sequence[Side] = ("left", "right") if stereo else ["mono" for _ in numbers]
        for named, number in zip(sides, numbers, strict=True):
            was = next((p for p in own if p.side == named), own[0] if own else None)
            delay = next((p.delay_ms for p in made if p.socket == number), was.delay_ms if was else 0.0)
            made.append(
                Patch(
                    feed=feed,
                    side=named,
                    socket=number,
                    trim_db=was.trim_db if was else 0.0,
                    delay_ms=delay,
                    invert=was.invert if was else False,
                )
            )
    return made
