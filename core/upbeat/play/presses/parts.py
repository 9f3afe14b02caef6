"""Presses of parts: level, in and out, alone, as prepared (rule M7)."""

from __future__ import annotations

import msgspec
import numpy as np

from upbeat.limits import HAND_BEATS, HAND_DB, HAND_PARTS, SWEEP_PERCENT, TONE_DB
from upbeat.play.advance import beats_long
from upbeat.play.hand import PartByHand, PartWhen, Waiting, is_processed, moved, scale_of, without_waiting
from upbeat.play.plan import ShowPlan
from upbeat.play.presses.registry import Answer, Outcome, always, pressed, refused
from upbeat.play.runs import natural_end, start_fade
from upbeat.play.state import State
from upbeat.play.view import coming


class PartLevel(msgspec.Struct, frozen=True):
    """``part``: a stem (``stem:ID``), click, cues, a feed (``feed:ID``) or of a tone. ``db``: on top of the prepared level
    (of a sweep how far it is, in per cent); or
    ``by``: on top of what it is now. ``off``: silent. ``beats``: how many counted beats it takes.
    """

    part: str
    db: float | None = None
    by: float = 0.0
    off: bool = False
    beats: float = 0.0


class PartInOut(msgspec.Struct, frozen=True):
    """``on``: in or out; as prepared without it."""

    part: str
    on: bool | None = None
    when: PartWhen = "at_once"
    beats: float = 0.0


class PartAlone(msgspec.Struct, frozen=True):
    """``in_house``: the house hears it alone too."""

    part: str
    on: bool = True
    in_house: bool = False


class PartsAsPrepared(msgspec.Struct, frozen=True):
    """``part``: one of them; all without it."""

    part: str | None = None


_TONE_ALONE = "tone-level", "A tone has a level alone, and no off: set its level."
_NO_LEVEL = "switch-level", "A gate or a drive is in or out, and has no level: bring it in, or take it out."
_NOT_ALONE = "part-alone", "What a stem or a feed goes through is not heard alone: choose the stem, or hear the feed."
_ALLOWED = {"level": HAND_DB, "tone": TONE_DB, "sweep": SWEEP_PERCENT}


def _wrong(plan: ShowPlan, state: State, part: str, beats: float) -> tuple[str, str] | None:
    """Code and words of what keeps a part from being changed."""
    if part not in plan.parts:
        return "part-unknown", "There is no such part in this show."
    if beats not in HAND_BEATS:
        return "part-beats", f"A change takes {HAND_BEATS} beats, not {beats:g}."
    others = [p for p in state.hand.parts if p.part != part]
    if len(others) + 1 not in HAND_PARTS:
        return "parts-many", f"{HAND_PARTS.high:g} parts are set by hand already: press “as prepared” for some."
    return None


def _moved(plan: ShowPlan, state: State, now: PartByHand, beats: float, code: str, words: str) -> Answer:
    frames = beats_long(plan, state.music, state.head, beats)
    changed = moved(state.hand, now, state.head, frames)
    return state._replace(hand=changed), Outcome(accepted=True, code=code, message=words, frame=state.head)


def _landing(plan: ShowPlan, state: State, when: PartWhen, ramp: int) -> tuple[int | None, int]:
    """Output frame and bar at which a part comes in or goes out; no frame where that is the section's end.

    ``ramp``: frames that it needs before that.
    """
    run, end = state.music.run, coming(plan, state)
    assert run is not None
    assert end is not None
    if when == "next_bar":
        entry, step = plan.entries[run.entry], plan.entries[run.entry].steps[run.step]
        lines = entry.bar_frames[step.first_bar - 1 : step.first_bar - 1 + step.bars]
        at = run.out(int(lines[min(len(lines) - 1, int(np.searchsorted(lines, run.src(state.head + ramp))))]))
        if max(state.head + ramp, run.out_start) <= at < min(end["frame"], natural_end(plan, run)):
            return at, entry.bar_at(run.src(at))
    return None, end["bar"]


@pressed("Sets the level of a part by hand (rule M7).", always, PartLevel)
def level(plan: ShowPlan, state: State, args: PartLevel, heard: int) -> Answer:
    wrong = _wrong(plan, state, args.part, args.beats)
    now, scale = state.hand.part(args.part), scale_of(args.part)
    if wrong or scale == "switch":
        return refused(state, *(wrong or _NO_LEVEL))
    allowed, unit = _ALLOWED[scale], "%" if scale == "sweep" else "dB"
    if args.off and scale != "level":
        return refused(state, *_TONE_ALONE)
    db: float | None = None
    if not args.off:
        asked = args.db
        if asked is None:
            asked = min(allowed.high, max(allowed.low, (allowed.low if now.db is None else now.db) + args.by))
        if asked not in allowed:
            off = " or off" if scale == "level" else ""
            return refused(state, "level-range", f"A {scale} by hand is {allowed} {unit}{off}, not {asked:g}.")
        db = round(asked, 2)
    words = (
        "is off"
        if db is None
        else "is as prepared"
        if db == 0
        else f"is at {db:g} %"
        if scale == "sweep"
        else f"is at {db:+g} dB"
    )
    return _moved(plan, state, now._replace(db=db), args.beats, "level", f"{plan.parts[args.part]} {words}.")


@pressed("Brings a part in or takes it out; the same once more, while it waits, takes it back.", always, PartInOut)
def in_out(plan: ShowPlan, state: State, args: PartInOut, heard: int) -> Answer:
    wrong = _wrong(plan, state, args.part, args.beats)
    if wrong or scale_of(args.part) not in ("level", "switch"):
        return refused(state, *(wrong or _TONE_ALONE))
    name, hand = plan.parts[args.part], state.hand
    asked = next((w for w in hand.waiting if w.part == args.part), None)
    if asked is not None and asked.on == args.on:
        kept = without_waiting(hand, args.part)
        return state._replace(hand=kept), Outcome(accepted=True, code="in_out", message=f"{name}: taken back.")
    if hand.part(args.part).on == args.on and asked is None:
        return refused(state, "part-same", f"{name} is so already.")
    rest = state._replace(hand=without_waiting(hand, args.part))
    does = "is as prepared" if args.on is None else "comes in" if args.on else "goes out"
    if args.when == "at_once" or state.music.run is None:
        now = rest.hand.part(args.part)._replace(on=args.on)
        return _moved(plan, rest, now, args.beats, "in_out", f"{name} {does}.")
    frame, bar = _landing(plan, state, args.when, 0 if args.beats else start_fade(plan))
    waiting = (*rest.hand.waiting, Waiting(args.part, args.on, args.beats, frame))
    outcome = Outcome(accepted=True, code="in_out", message=f"{name} {does} at bar {bar}.", frame=frame, bar=bar)
    return rest._replace(hand=rest.hand._replace(waiting=waiting)), outcome


@pressed("Lets parts be heard alone where that is asked for, or not any more (rule M7).", always, PartAlone)
def alone(plan: ShowPlan, state: State, args: PartAlone, heard: int) -> Answer:
    wrong = _wrong(plan, state, args.part, 0)
    if not wrong and is_processed(args.part):
        wrong = _NOT_ALONE
    if wrong or args.part.startswith("feed:"):
        return refused(state, *(wrong or ("alone-feed", "A feed is heard by itself under “Hear”: choose it there.")))
    others = tuple(p for p in state.hand.alone if p != args.part)
    now = tuple(sorted((*others, args.part))) if args.on else others
    hand = state.hand._replace(alone=now, alone_in_house=bool(now) and args.in_house)
    words = f"{plan.parts[args.part]} is heard {'alone' if args.on else 'with the others'}."
    return state._replace(hand=hand), Outcome(accepted=True, code="alone", message=words)


@pressed("Takes levels, in and out and alone by hand back to what is prepared, over one beat.", always, PartsAsPrepared)
def as_prepared(plan: ShowPlan, state: State, args: PartsAsPrepared, heard: int) -> Answer:
    if args.part is not None and args.part not in plan.parts:
        return refused(state, "part-unknown", "There is no such part in this show.")
    hand = state.hand
    taken = [p for p in hand.parts if args.part in (None, p.part)]
    frames = beats_long(plan, state.music, state.head, 1)
    for part in taken:
        hand = moved(hand, PartByHand(part.part), state.head, frames)
    alone = () if args.part is None else tuple(p for p in hand.alone if p != args.part)
    waiting = tuple(w for w in hand.waiting if args.part not in (None, w.part))
    hand = hand._replace(alone=alone, alone_in_house=bool(alone) and hand.alone_in_house, waiting=waiting)
    said = "Everything is" if args.part is None else f"{plan.parts[args.part]} is"
    return state._replace(hand=hand), Outcome(accepted=True, code="as_prepared", message=f"{said} as prepared.")
