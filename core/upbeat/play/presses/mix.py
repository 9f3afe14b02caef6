"""Presses of the mix: the house, the full mix, who is on."""

from __future__ import annotations

import msgspec

from upbeat.errors import Problem
from upbeat.play.hand import PlayerTonight
from upbeat.play.plan import ShowPlan
from upbeat.play.presses.registry import Answer, NoArguments, Outcome, always, pressed, refused
from upbeat.play.state import State


class OnTonight(msgspec.Struct, frozen=True):
    """``player``: who is covered by stems; ``on``: whether they play."""

    player: str
    on: bool


class TonesOff(msgspec.Struct, frozen=True):
    """``on``: without any tone, gate, drive and echo; else with what is prepared again."""

    on: bool = True


class Fallback(msgspec.Struct, frozen=True):
    on: bool = True


@pressed("Silences the house feeds and keeps time (rule M5).", always)
def pull_house(plan: ShowPlan, state: State, args: NoArguments, heard: int) -> Answer:
    pulled = state._replace(hand=state.hand._replace(house_pulled=True))
    return pulled, Outcome(accepted=True, code="pull_house", message="The house is pulled; click and cues go on.")


@pressed("Brings the house back in its place.", always)
def bring_back(plan: ShowPlan, state: State, args: NoArguments, heard: int) -> Answer:
    back = state._replace(hand=state.hand._replace(house_pulled=False))
    return back, Outcome(accepted=True, code="bring_back", message="The house is back.")


@pressed("Plays the full mix in place of the stems, or the stems again (rule M6).", always, Fallback)
def fallback(plan: ShowPlan, state: State, args: Fallback, heard: int) -> Answer:
    said = "The full mix plays in place of the stems." if args.on else "The stems play again."
    return state._replace(hand=state.hand._replace(fallback=args.on)), Outcome(
        accepted=True, code="fallback", message=said
    )


def _has_tones(plan: ShowPlan, state: State) -> Problem | None:
    if plan.toned or plan.treated:
        return None
    return Problem(
        "tone-none",
        "Nothing in this show has a tone: give one to a feed under Outputs, or to a stem on the tacet sheet.",
    )


@pressed("Takes the tone of feeds, and the treatment of stems, out, or back in (rule M8).", _has_tones, TonesOff)
def tones_off(plan: ShowPlan, state: State, args: TonesOff, heard: int) -> Answer:
    said = "Stems and feeds sound without their tone." if args.on else "Stems and feeds have their tone again."
    hand = state.hand._replace(tones_off=args.on)
    return state._replace(hand=hand), Outcome(accepted=True, code="tones_off", message=said)


@pressed("Says that a player is on tonight, or away: the stems that cover them follow (rule M2).", always, OnTonight)
def player(plan: ShowPlan, state: State, args: OnTonight, heard: int) -> Answer:
    covered = {stem.covers for entry in plan.entries for stem in entry.song.stems}
    if args.player not in covered:
        return refused(state, "player-unknown", "No stem of this show covers that player.")
    others = tuple(p for p in state.hand.line_up if p.player != args.player)
    line_up = tuple(sorted((*others, PlayerTonight(args.player, args.on))))
    words = "They are on: their stems rest." if args.on else "They are away: their stems play."
    hand = state.hand._replace(line_up=line_up)
    return state._replace(hand=hand), Outcome(accepted=True, code="player", message=words)
