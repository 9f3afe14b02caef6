"""Presses that speak: words said on the spot (rule Q7)."""

from __future__ import annotations

import msgspec

from upbeat.cues.place import said_at_once
from upbeat.play import calls
from upbeat.play.plan import ShowPlan
from upbeat.play.presses.registry import Answer, Outcome, always, pressed, refused
from upbeat.play.state import State
from upbeat.play.view import position

MOST_ASKED = 4


class Say(msgspec.Struct, frozen=True):
    """``word``: one of the palette, as it is written there."""

    word: str


@pressed("Says a word of the palette on the next counted beat that is free, in the ears alone (rule Q7).", always, Say)
def say(plan: ShowPlan, state: State, args: Say, heard: int) -> Answer:
    if args.word not in plan.palette:
        return refused(state, "say-unknown", "That word is not in the palette that was loaded.")
    spoken = plan.palette[args.word]
    if spoken not in plan.words:
        return refused(state, "say-silent", f"The voice of this band cannot say “{args.word}”: write it otherwise.")
    speech = state.speech
    waiting = [*speech.asked, *(w for w in speech.words if w.by_hand and w.start >= state.head)]
    if len(waiting) >= MOST_ASKED:
        return refused(state, "say-many", f"{MOST_ASKED} words wait to be said already.")
    if state.music.run is None:
        word = said_at_once(spoken, plan.words, max([state.head, *(w.end for w in speech.words)]))
        said = speech._replace(words=(*speech.words, word))
        outcome = Outcome(accepted=True, code="say", message=f"“{args.word}” is said now.", frame=word.beat)
        return state._replace(speech=said), outcome
    asked = speech._replace(asked=(*speech.asked, spoken))
    placed = state._replace(speech=calls.replaced(plan, state.music, asked, now=state.head))
    if placed.speech.asked:
        words = f"“{args.word}” is said once a beat is free."
        return placed, Outcome(accepted=True, code="say", message=words)
    last = max((w for w in placed.speech.words if w.by_hand), key=lambda w: w.beat)
    at = position(plan, placed, last.beat)
    words = f"“{args.word}” is said at bar {at['bar']}, beat {at['beat']}."
    return placed, Outcome(accepted=True, code="say", message=words, frame=last.beat, bar=at["bar"])
