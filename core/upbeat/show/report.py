"""What was really played, told from a night log (rule P12)."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, TypedDict

from upbeat.play.hand import Hand, HandChange
from upbeat.play.plan import EntryPlan, ShowPlan
from upbeat.show.ready import ReadyShow
from upbeat.show.replay import Night, other_show, show_in, spans_of

_BLOCK_S = 20.0  # on paper nothing is rendered, so that spans may be long


class PassPlayed(TypedDict):
    """A pass through a step (``step``, of the form it was played in): its section, its round, the bar of the song it began at, the bars of it that were played."""

    step: int
    section: str
    round: int
    first_bar: int
    bars: int


class LevelChanged(TypedDict):
    """A part as it was by hand when an entry was over. ``db``: on top of its prepared level, None for off.

    ``becomes``: what a stem's own level would be, if it kept this one; None where there is none to keep.
    """

    part: str
    name: str
    db: float | None
    on: bool | None
    becomes: float | None


class MarkMade(TypedDict):
    """A place that was marked; ``bar`` None where nothing played."""

    s: float
    bar: int | None
    by: str


class DropoutHeard(TypedDict):
    """Blocks that were not there in time."""

    s: float
    bar: int | None
    blocks: int


class EntryPlayed(TypedDict):
    """One time entry ``entry`` was played; 0 where it was taken out of the setlist meanwhile. Seconds count from the beginning of the show.

    ``id``, ``song``: of the entry and its song; ``form``: the name of the form it began in; ``prepared_s``: how long that
    lasts by itself; ``whole``: it was played from its first bar to its end.
    """

    entry: int
    id: str
    song: str
    title: str
    form: str
    started_s: float
    ended_s: float
    prepared_s: float
    whole: bool
    passes: list[PassPlayed]
    jumps: int
    levels_changed: list[LevelChanged]
    marks: list[MarkMade]
    dropouts: int
    dropouts_at: list[DropoutHeard]


@dataclass
class _One:
    """An entry as it is gathered: what is told of it, its plan, and its bar lines as heard."""

    told: EntryPlayed
    plan: EntryPlan
    lines: list[int] = field(default_factory=list)
    bars: list[int] = field(default_factory=list)

    def bar_at(self, frame: int) -> int | None:
        at = bisect_right(self.lines, frame) - 1
        return self.bars[at] if at >= 0 else None


def report(ready: ReadyShow, night: Night, open_show: Callable[[str], ReadyShow] = show_in) -> list[EntryPlayed]:
    """The entries in the order they were played, as the core plays the log again on paper.

    ``open_show``: opens a show by its folder that changes were taken in from.
    """
    events: list[dict[str, Any]] = []
    hands: list[tuple[int, Hand]] = []
    shows = [(0, ready)]
    rate = ready.plan.sample_rate
    for part in spans_of(ready, night, night.end + 1, events, round(_BLOCK_S * rate), open_show):
        hands += [(c.frame, c.hand) for c in (HandChange(part.span.start, part.span.hand), *part.span.changes)]
        if part.changes:
            shows.append((part.span.start, part.ready))
    _check_same(events, night)
    played = _gathered(sorted(events, key=lambda e: e["frame"]), shows, rate)
    for one in played:
        end = round(one.told["ended_s"] * rate)
        one.told["levels_changed"] = _levels(_plan_at(shows, end - 1), one.plan, hands, end)
    for line in night.lines:
        if line.get("kind") == "dropout":
            _add_dropouts(played, line, rate)
    return [one.told for one in played]


def _check_same(events: list[dict[str, Any]], night: Night) -> None:
    """Raise :class:`Refused` where most bars that were heard are not those that the show plays by the log."""
    bars = [line for line in night.lines if line.get("kind") == "bar" and isinstance(line.get("frame"), int)]
    heard = {_bar(line) for line in bars}
    played = {_bar(event) for event in events if event["kind"] == "bar"}
    if 2 * len(heard & played) < len(heard):
        raise other_show()


def _bar(line: dict[str, Any]) -> tuple[Any, ...]:
    return line.get("frame"), line.get("entry"), line.get("bar")


def _gathered(events: list[dict[str, Any]], shows: list[tuple[int, ReadyShow]], rate: int) -> list[_One]:
    played: list[_One] = []
    last: tuple[str, int, int, int] | None = None
    for event in events:
        if event["kind"] == "bar":
            plan = _plan_at(shows, event["frame"])
            entry = plan.entries[event["entry"]]
            # Its id is the same whatever was taken in meanwhile.
            now = (entry.id, event["step"], event["round"], event["bar"])
            if last is None or last[0] != now[0]:
                played.append(_begun(plan, event["entry"], event["frame"] / rate))
            _add_bar(played[-1], entry, event, follows=last is not None and _goes_on(last, now), rate=rate)
            last = now
        elif event["kind"] == "jump" and event["why"] != "round" and played:
            played[-1].told["jumps"] += 1
        elif event["kind"] == "end" and played:
            one = played[-1]
            one.told["whole"] = one.bars[0] == one.plan.steps[one.plan.playable[0]].first_bar
        elif event["kind"] == "press" and event["accepted"] and played:
            last = _pressed(played[-1], event, last, rate)
    return played


def _goes_on(last: tuple[str, int, int, int], now: tuple[str, int, int, int]) -> bool:
    return last[:3] == now[:3] and now[3] == last[3] + 1


def _add_bar(one: _One, entry: EntryPlan, event: dict[str, Any], follows: bool, rate: int) -> None:
    told, bar = one.told, event["bar"]
    if not follows or not told["passes"]:
        step = entry.steps[event["step"]]
        told["passes"].append(
            PassPlayed(step=event["step"], section=step.name, round=event["round"], first_bar=bar, bars=0)
        )
    told["passes"][-1]["bars"] += 1
    one.lines.append(event["frame"])
    one.bars.append(bar)
    lines = entry.bar_frames
    told["ended_s"] = (event["frame"] + int(lines[bar] - lines[bar - 1])) / rate


def _pressed(
    one: _One, event: dict[str, Any], last: tuple[str, int, int, int] | None, rate: int
) -> tuple[str, int, int, int] | None:
    """What a press does to the entry that was played last; gives where the music is after it."""
    at = event["frame"] / rate
    match event["press"]:
        case "stop" | "fade_away":
            one.told["ended_s"] = min(one.told["ended_s"], at)
        case "go" | "begin_again":
            return None
        case "mark":
            one.told["marks"].append(MarkMade(s=round(at, 3), bar=event["at_bar"], by=event["by"]))
    return last


def _plan_at(shows: list[tuple[int, ReadyShow]], frame: int) -> ShowPlan:
    """The plan of the show that is played at a frame."""
    return next(ready.plan for first, ready in reversed(shows) if first <= frame)


def _levels(plan: ShowPlan, entry: EntryPlan, hands: list[tuple[int, Hand]], end: int) -> list[LevelChanged]:
    """What was other than prepared at output frame ``end``, of a song's own parts."""
    hand = next((hand for frame, hand in reversed(hands) if frame < end), Hand())
    own = {f"stem:{s.id}": s.gain_db for s in entry.song.stems}
    return [
        LevelChanged(
            part=p.part,
            name=plan.parts[p.part],
            db=p.db,
            on=p.on,
            becomes=round(own[p.part] + p.db, 2) if p.db and p.part in own else None,
        )
        for p in hand.parts
        if p.part in plan.parts and (p.part in own or not p.part.startswith("stem:"))
    ]


def _begun(plan: ShowPlan, entry: int, started_s: float) -> _One:
    own, one = plan.own(entry), plan.entries[entry]
    told = EntryPlayed(
        entry=own + 1 if own in plan.listed else 0,
        id=plan.entries[own].id,
        song=one.song.id,
        title=one.title,
        form=one.form,
        started_s=started_s,
        ended_s=started_s,
        prepared_s=round(one.lasting / plan.sample_rate, 3),
        whole=False,
        passes=[],
        jumps=0,
        levels_changed=[],
        marks=[],
        dropouts=0,
        dropouts_at=[],
    )
    return _One(told, one)


def _add_dropouts(played: list[_One], line: dict[str, Any], rate: int) -> None:
    frame, blocks = line.get("frame"), line.get("blocks", 1)
    if not isinstance(frame, int) or not isinstance(blocks, int):
        return
    for one in reversed(played):
        if one.told["started_s"] <= frame / rate:
            one.told["dropouts"] += blocks
            one.told["dropouts_at"].append(DropoutHeard(s=round(frame / rate, 3), bar=one.bar_at(frame), blocks=blocks))
            return
