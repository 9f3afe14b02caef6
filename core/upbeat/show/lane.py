"""The cue lane: every word of an entry as it will be spoken, pass by pass, and what had to give way."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any, Literal

from upbeat.play.compile import count_in_beats
from upbeat.play.plan import EntryPlan
from upbeat.show.bounce import rehearse
from upbeat.show.ready import ReadyShow
from upbeat.song.guides import CountIn

Kind = Literal["name", "count", "free"]


@dataclass(frozen=True, kw_only=True)
class LaneWord:
    """A spoken word: ``at`` is where it is heard, ``start`` and ``end`` what its sound takes. Output frames."""

    text: str
    kind: Kind
    at: int
    start: int
    end: int
    fast: bool


@dataclass(frozen=True)
class LeftOut:
    """A word that is not spoken, and why: ``covered`` by the name, giving way to a ``call``, or ``silent`` in this voice."""

    text: str
    at: int
    why: Literal["covered", "call", "silent"]


@dataclass(frozen=True)
class LaneBeat:
    """A counted beat: its output frame, its bar (0 and below in the count-in) and its number there."""

    at: int
    bar: int
    beat: int


@dataclass(frozen=True, kw_only=True)
class Pass:
    """One pass through a step (``step`` None: the count-in), to output frame ``end``, and the step it leads into."""

    step: int | None
    round: int
    beats: tuple[LaneBeat, ...]
    end: int
    into: int | None
    words: tuple[LaneWord, ...]
    left_out: tuple[LeftOut, ...]


def cue_lane(ready: ReadyShow) -> list[Pass]:
    """The passes of the one entry of ``ready`` as it is played when nobody presses anything but release."""
    plan, rate = ready.plan.entries[0], ready.plan.sample_rate
    _, events = rehearse(ready, None, 0)
    bars = [e for e in events if e["kind"] == "bar"]
    if not bars:
        return []
    spoken = [e for e in events if e["kind"] == "cue"]
    passes = [_count_in(plan, bars[0], rate), *_passes(plan, bars)]
    ends = [p.end for p in passes]
    by_pass: list[list[dict[str, Any]]] = [[] for _ in passes]
    for word in spoken:
        by_pass[min(bisect_right(ends, word["frame"]), len(passes) - 1)].append(word)
    return [_with_words(ready, p, words) for p, words in zip(passes, by_pass, strict=True)]


def _passes(plan: EntryPlan, bars: Sequence[dict[str, Any]]) -> list[Pass]:
    groups: list[list[dict[str, Any]]] = []
    for before, bar in pairwise([None, *bars]):
        assert bar is not None
        if (
            before is None
            or (bar["step"], bar["round"]) != (before["step"], before["round"])
            or bar["bar"] != before["bar"] + 1
        ):
            groups.append([])
        groups[-1].append(bar)
    found = []
    for group, following in zip(groups, [*groups[1:], None], strict=True):
        beats = [LaneBeat(f, e["bar"], i) for e in group for i, f in enumerate(_beats(plan, e), 1)]
        last = group[-1]
        end = (
            following[0]["frame"]
            if following
            else last["frame"] + int(plan.bar_frames[last["bar"]] - plan.bar_frames[last["bar"] - 1])
        )
        found.append(
            Pass(
                step=last["step"],
                round=last["round"],
                beats=tuple(beats),
                end=end,
                into=following[0]["step"] if following else None,
                words=(),
                left_out=(),
            )
        )
    return found


def _beats(plan: EntryPlan, bar: dict[str, Any]) -> list[int]:
    shift = bar["frame"] - int(plan.bar_frames[bar["bar"] - 1])
    return [f + shift for f in plan.counts(bar["bar"], 1)]


def _count_in(plan: EntryPlan, first: dict[str, Any], rate: int) -> Pass:
    count = plan.count_in.bars
    clicks, _, _ = count_in_beats(replace(plan.song, count_in=CountIn(count)), first["bar"], rate)
    per_bar = len(clicks) // count if count else 1
    beats = tuple(LaneBeat(first["frame"] - c, i // per_bar + 1 - count, i % per_bar + 1) for i, c in enumerate(clicks))
    return Pass(step=None, round=1, beats=beats, end=first["frame"], into=first["step"], words=(), left_out=())


def _with_words(ready: ReadyShow, found: Pass, spoken: Sequence[dict[str, Any]]) -> Pass:
    plan, known, counts = ready.plan.entries[0], ready.plan.words, ready.plan.counts
    free = _free_places(plan, found)
    heard = {(e["frame"], e["text"]) for e in spoken}
    words = []
    for e in spoken:
        kind: Kind = "free" if (e["frame"], e["text"]) in free else "count" if e["text"] in counts else "name"
        words.append(LaneWord(text=e["text"], kind=kind, at=e["frame"], start=e["start"], end=e["end"], fast=e["fast"]))
    missed = [LeftOut(text, at, "call" if text in known else "silent") for at, text in free if (at, text) not in heard]
    call = next((w for w in words if w.kind == "name"), None)
    if found.into is not None and found.step is not None and call is not None:
        last = [b for b in found.beats if b.bar == found.beats[-1].bar]
        counted = {w.at for w in words if w.kind == "count"}
        first = (
            0
            if call.at < last[0].at and plan.steps[found.into].lead > 1 and any(w.at == last[0].at for w in words)
            else 1
        )
        missed += [
            LeftOut(counts[b.beat - 1], b.at, "covered")
            for b in last[first:]
            if b.at not in counted and b.at != call.at and b.beat <= len(counts)
        ]
    elif found.into is not None and found.step is not None and _should_call(plan, found):
        name = plan.steps[found.into].spoken
        missed.append(
            LeftOut(
                name,
                next(b for b in found.beats if b.bar == found.beats[-1].bar).at,
                "silent" if name not in known else "covered",
            )
        )
    return replace(found, words=tuple(words), left_out=tuple(sorted(missed, key=lambda m: m.at)))


def _should_call(plan: EntryPlan, found: Pass) -> bool:
    assert found.into is not None
    return (
        plan.calls
        and plan.steps[found.into].called
        and not (found.into == found.step and plan.steps[found.into].ending.kind == "vamp")
    )


def _free_places(plan: EntryPlan, found: Pass) -> list[tuple[int, str]]:
    """Output frame and text of the free cues that stand in the bars of a pass."""
    if found.step is None or not found.beats:
        return []
    src = plan.counts(found.beats[0].bar, 1)[0]
    shift, last = found.beats[0].at - src, found.end
    return [
        (frame + shift, text) for frame, text in plan.steps[found.step].cues if frame >= src and frame + shift < last
    ]
