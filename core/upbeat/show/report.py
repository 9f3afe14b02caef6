"""What was really played, told from a night log (rule P12)."""

from __future__ import annotations

from typing import Any, TypedDict

from upbeat.play.hand import Hand, HandChange
from upbeat.play.plan import ShowPlan
from upbeat.show.ready import ReadyShow
from upbeat.show.replay import Night, spans_of
from upbeat.song.song import Song


class PassPlayed(TypedDict):
    """A pass through a section: its round, the bar it began at and how many bars of it were played."""

    section: str
    round: int
    first_bar: int
    bars: int


class LevelChanged(TypedDict):
    """A part as it was by hand when an entry was over. ``db``: on top of its prepared level, None for off."""

    part: str
    name: str
    db: float | None
    on: bool | None


class EntryPlayed(TypedDict):
    """One time entry ``entry`` was played; 0 where it was taken out of the setlist meanwhile. Seconds count from the beginning of the show."""

    entry: int
    title: str
    started_s: float
    ended_s: float
    passes: list[PassPlayed]
    jumps: int
    levels_changed: list[LevelChanged]
    marks: list[dict[str, Any]]
    dropouts: int


def report(ready: ReadyShow, night: Night) -> list[EntryPlayed]:
    """The entries in the order they were played, as the core plays the log again on paper."""
    events: list[dict[str, Any]] = []
    hands: list[tuple[int, Hand]] = []
    shows = [(0, ready)]
    for part in spans_of(ready, night, night.end + 1, events):
        hands += [(c.frame, c.hand) for c in (HandChange(part.span.start, part.span.hand), *part.span.changes)]
        if part.changes:
            shows.append((part.span.start, part.ready))
    rate = ready.plan.sample_rate
    played: list[EntryPlayed] = []
    songs: list[Song] = []
    last: tuple[str, int, int, int] | None = None
    for event in sorted(events, key=lambda e: e["frame"]):
        if event["kind"] == "bar":
            plan = _plan_at(shows, event["frame"])
            entry = plan.entries[event["entry"]]
            # Its id is the same whatever was taken in meanwhile.
            now = (entry.id, event["step"], event["round"], event["bar"])
            if last is None or last[0] != now[0]:
                played.append(_begun(plan, event["entry"], event["frame"] / rate))
                songs.append(entry.song)
            one = played[-1]
            if last is None or last[:3] != now[:3] or event["bar"] != last[3] + 1 or not one["passes"]:
                step = entry.steps[event["step"]]
                one["passes"].append(
                    PassPlayed(section=step.name, round=event["round"], first_bar=event["bar"], bars=0)
                )
            one["passes"][-1]["bars"] += 1
            bars = entry.bar_frames
            one["ended_s"] = (event["frame"] + int(bars[event["bar"]] - bars[event["bar"] - 1])) / rate
            last = now
        elif event["kind"] == "jump" and event["why"] != "round" and played:
            played[-1]["jumps"] += 1
        elif (
            event["kind"] == "press"
            and event["press"] in ("stop", "fade_away", "go", "begin_again", "resume")
            and event["accepted"]
        ):
            if event["press"] in ("stop", "fade_away") and played:
                played[-1]["ended_s"] = min(played[-1]["ended_s"], event["frame"] / rate)
            if event["press"] in ("go", "begin_again"):
                last = None
        elif event["kind"] == "press" and event["press"] == "mark" and played:
            played[-1]["marks"].append({"s": round(event["frame"] / rate, 3), "bar": event["at_bar"]})
    for one, song in zip(played, songs, strict=True):
        end = round(one["ended_s"] * rate)
        one["levels_changed"] = _levels(_plan_at(shows, end - 1), song, hands, end)
    for line in night.lines:
        if line.get("kind") == "dropout":
            _add_dropouts(played, line, rate)
    return played


def _plan_at(shows: list[tuple[int, ReadyShow]], frame: int) -> ShowPlan:
    """The plan of the show that is played at a frame."""
    return next(ready.plan for first, ready in reversed(shows) if first <= frame)


def _levels(plan: ShowPlan, song: Song, hands: list[tuple[int, Hand]], end: int) -> list[LevelChanged]:
    """What was other than prepared at output frame ``end``, of a song's own parts."""
    hand = next((hand for frame, hand in reversed(hands) if frame < end), Hand())
    own = {f"stem:{s.id}" for s in song.stems}
    return [
        LevelChanged(part=p.part, name=plan.parts[p.part], db=p.db, on=p.on)
        for p in hand.parts
        if p.part in plan.parts and (p.part in own or not p.part.startswith("stem:"))
    ]


def _begun(plan: ShowPlan, entry: int, started_s: float) -> EntryPlayed:
    own = plan.own(entry)
    return EntryPlayed(
        entry=own + 1 if own in plan.listed else 0,
        title=plan.entries[entry].title,
        started_s=started_s,
        ended_s=started_s,
        passes=[],
        jumps=0,
        levels_changed=[],
        marks=[],
        dropouts=0,
    )


def _add_dropouts(played: list[EntryPlayed], line: dict[str, Any], rate: int) -> None:
    at = line.get("frame", 0) / rate
    for one in reversed(played):
        if one["started_s"] <= at:
            one["dropouts"] += int(line.get("blocks", 1))
            return
