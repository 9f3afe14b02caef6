"""Presses that strike: sounds by hand (rule M9)."""

from __future__ import annotations

from typing import Literal

import msgspec
import numpy as np

from upbeat.play.plan import ShowPlan
from upbeat.play.presses.registry import Answer, Outcome, always, pressed, refused
from upbeat.play.runs import seam_of, start_fade
from upbeat.play.shots import Shot
from upbeat.play.state import State

ShotWhen = Literal["at_once", "next_beat", "next_bar"]
MOST_SHOTS = 16
OFF_S = 0.02  # long enough not to click on bass


class Fire(msgspec.Struct, frozen=True):
    """``sound``: a sound by hand, by its id."""

    sound: str
    when: ShotWhen = "at_once"


@pressed("Fires a sound by hand, or ends it where it rings and is prepared so (rule M9).", always, Fire)
def fire(plan: ShowPlan, state: State, args: Fire, heard: int) -> Answer:
    sound = plan.hand_sounds.get(args.sound)
    if sound is None or sound.of is not None:
        return refused(state, "sound-unknown", "There is no such sound by hand in this show.")
    same = {i for i, s in plan.hand_sounds.items() if args.sound in (i, s.of)}
    if sound.again == "off" and any(s.sound in same and not s.fade for s in state.shots):
        fade = round(OFF_S * plan.sample_rate)
        rest = (s if s.sound not in same else s.ended(state.head, fade) for s in state.shots)
        shots = tuple(s for s in rest if s.sound not in same or s.start < state.head)
        return state._replace(shots=shots), Outcome(accepted=True, code="fire", message=f"{sound.name} ends.")
    at = _landing(plan, state, args.when)
    # What is fired once more, or is of the same group, gives way as it begins.
    group = same | {i for i, s in plan.hand_sounds.items() if sound.only and s.only == sound.only}
    ramp = start_fade(plan)
    kept = tuple(s if s.sound not in group else s.ended(at, ramp) for s in state.shots)
    kept = tuple(s for s in kept if s.sound not in group or s.start < at)
    if len(kept) >= MOST_SHOTS:
        return refused(state, "shots-many", f"{MOST_SHOTS} sounds by hand ring already.")
    shots = (*kept, Shot(args.sound, at, at + sound.frames))
    words = f"{sound.name} is fired." if args.when == "at_once" else f"{sound.name} comes on the {_named(args.when)}."
    return state._replace(shots=shots), Outcome(accepted=True, code="fire", message=words, frame=at)


def _named(when: ShotWhen) -> str:
    return "next beat" if when == "next_beat" else "next bar"


def _landing(plan: ShowPlan, state: State, when: ShotWhen) -> int:
    """The output frame of the next beat or bar line that is free; the first free frame where nothing plays."""
    run, head = state.music.run, state.head
    if run is None or when == "at_once":
        return head
    counted = [c.frame for c in state.speech.count_in if head <= c.frame < run.out_start]
    if when == "next_beat" and counted:
        return min(counted)
    entry = plan.entries[run.entry]
    lines = entry.bar_frames[:-1] if when == "next_bar" else entry.count_frames
    after = int(np.searchsorted(lines, run.src(max(head, run.out_start))))
    seam = seam_of(plan, state.music, run)
    return min(seam, run.out(int(lines[after]))) if after < len(lines) else seam
