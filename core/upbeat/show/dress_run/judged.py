"""What is wrong with what was measured."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from statistics import median_low

from upbeat.mix.matching import CEILING_DBTP, Loud, propose
from upbeat.mix.sounding import standing
from upbeat.play.plan import EntryPlan
from upbeat.show.document import Show
from upbeat.show.dress_run.faults import Fault, Mend
from upbeat.show.dress_run.sound import Sounded
from upbeat.show.ready import ReadyShow
from upbeat.song.stems import is_performed

OVER_DBTP = 0.0  # what a converter can put out
OUT_OF_LINE_LU = 2.0  # between a song and the middle of its show
SILENT = 10 ** (-70 / 20)  # of full scale


def db(peak: float) -> float | None:
    return 20 * math.log10(peak) if peak > 0 else None


def overloads(ready: ReadyShow, sounded: Sounded) -> Iterator[Fault]:
    """Sockets that go over, for each entry once, where it is worst."""
    sockets, plan = ready.show.routing.sockets, ready.plan
    for (entry, row), (peak, bar) in sounded.peaks.items():
        level = db(peak)
        # What is rounded to nothing is nothing.
        if level is None or round(level, 1) <= OVER_DBTP:
            continue
        own = plan.entries[entry]
        yield Fault(
            code="overload",
            severity="wrong",
            message=f"Socket {sockets[row].number} goes over by {level:.1f} dB {_where(own, bar)}.",
            entry=entry + 1,
            bar=bar or None,
            socket=sockets[row].number,
            mend=_lower(ready, sounded, entry, row),
        )


def _lower(ready: ReadyShow, sounded: Sounded, entry: int, row: int) -> Mend | None:
    """What to turn down: the song where the house is too loud in it, else the feed that the socket carries."""
    routing = ready.show.routing
    on = {p.feed for p in routing.patches if p.socket == routing.sockets[row].number}
    feeds = [f for f in routing.feeds if f.id in on]
    if any(f.kind == "house" for f in feeds):
        return Mend("turn_down", ready.plan.entries[entry].song.id, _down(_house_peak(ready, sounded, entry)))
    most = max(peak for (_, r), (peak, _) in sounded.peaks.items() if r == row)
    return Mend("feed_down", feeds[0].id, _down(most)) if feeds else None


def _house_peak(ready: ReadyShow, sounded: Sounded, entry: int) -> float:
    """The greatest true peak of an entry on the sockets of the house."""
    routing = ready.show.routing
    house = {f.id for f in routing.feeds if f.kind == "house"}
    sockets = {p.socket for p in routing.patches if p.feed in house}
    rows = [r for r, s in enumerate(routing.sockets) if s.number in sockets]
    return max((sounded.peaks[entry, r][0] for r in rows if (entry, r) in sounded.peaks), default=0.0)


def _down(peak: float) -> float:
    """Decibels down to the ceiling, rounded up to a tenth, so that it helps."""
    return math.ceil(10 * (20 * math.log10(peak) - CEILING_DBTP)) / 10


def _where(plan: EntryPlan, bar: int) -> str:
    if not bar:
        return f"in the count-in of “{plan.title}”"
    step = next((s for s in plan.steps if s.first_bar <= bar < s.first_bar + s.bars), None)
    return f"in bar {bar} of “{plan.title}”" + (f", {step.name}" if step is not None else "")


def silences(ready: ReadyShow, sounded: Sounded) -> Iterator[Fault]:
    """Sections in which nothing reaches the house though stems are set to sound in them, and sockets that stay silent."""
    if sounded.house:
        for (entry, step), bars in _house_by_step(sounded).items():
            yield from _silent_step(ready, entry, step, bars)
    wired = {p.socket for p in ready.show.routing.patches}
    for row, socket in enumerate(ready.show.routing.sockets):
        loudest = max((peak for (_, r), (peak, _) in sounded.peaks.items() if r == row), default=0.0)
        if socket.number in wired and loudest < SILENT:
            yield Fault(
                code="socket-silent",
                severity="look",
                message=f"Nothing ever leaves socket {socket.number}, though it is wired: take the wire out, or send something to its feed.",
                socket=socket.number,
            )


def _house_by_step(sounded: Sounded) -> Mapping[tuple[int, int], dict[int, float]]:
    steps: dict[tuple[int, int], dict[int, float]] = {}
    for (entry, step, bar), peak in sounded.house.items():
        if bar:
            steps.setdefault((entry, step), {})[bar] = peak
    return steps


def _silent_step(ready: ReadyShow, entry: int, step: int, bars: Mapping[int, float]) -> Iterator[Fault]:
    own, away = ready.plan.entries[entry], ready.show.away_in(entry)
    here = own.steps[step]
    # What rings over from the section before lies in the first bar.
    inner = {bar: peak for bar, peak in bars.items() if bar != here.first_bar} or bars
    if any(peak >= SILENT for peak in inner.values()):
        return
    asked = [s for s in own.song.stems if is_performed(s) and standing(s, away, here.tacet) == "sounds"]
    if asked:
        yield Fault(
            code="silence",
            severity="look",
            message=f"Nothing is heard in the house in {here.name} of “{own.title}”, where “{asked[0].name}” is set to sound: "
            "if that is meant, make it tacet there.",
            entry=entry + 1,
            bar=here.first_bar,
        )


def out_of_line(ready: ReadyShow, sounded: Sounded) -> Iterator[Fault]:
    """Entries that are louder or softer than the middle of the show, by their loudness in the house (BS.1770)."""
    known = {e: lufs for e, lufs in sounded.lufs.items() if lufs is not None}
    if len(known) < 2:
        return
    middle = median_low(known.values())
    for entry, lufs in sorted(known.items()):
        beyond = lufs - middle
        if abs(beyond) <= OUT_OF_LINE_LU:
            continue
        own = ready.plan.entries[entry]
        given = propose(Loud(lufs, db(_house_peak(ready, sounded, entry))), middle).gain_db
        yield Fault(
            code="loudness",
            severity="look",
            message=f"“{own.title}” is {abs(beyond):.1f} LU {'louder' if beyond > 0 else 'softer'} in the house than most of the show.",
            entry=entry + 1,
            mend=Mend("turn_down" if given < 0 else "turn_up", own.song.id, abs(given)) if given * beyond < 0 else None,
        )


def wired_sockets(show: Show, sounded: Sounded) -> list[dict[str, object]]:
    """Of every socket its loudest place in the show: ``number, true_peak_dbtp, entry, bar``."""
    found: list[dict[str, object]] = []
    for row, socket in enumerate(show.routing.sockets):
        of = [(peak, entry, bar) for (entry, r), (peak, bar) in sounded.peaks.items() if r == row]
        peak, entry, bar = max(of, default=(0.0, 0, 0))
        level = db(peak)
        found.append(
            {
                "number": socket.number,
                "true_peak_dbtp": None if level is None else round(level, 3),
                "entry": entry + 1 if level is not None else None,
                "bar": (bar or None) if level is not None else None,
            }
        )
    return found
