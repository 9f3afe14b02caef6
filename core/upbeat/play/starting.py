"""How a song begins: its count-in, its title, its first bar."""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

from upbeat.click.pattern import COUNT_IN
from upbeat.cues.place import Spoken, place_count, said_at_once
from upbeat.play import calls, line_check, pads
from upbeat.play.compile import count_in_beats
from upbeat.play.events import Click
from upbeat.play.plan import EntryPlan, ShowPlan, StepPlan
from upbeat.play.runs import start_fade
from upbeat.play.state import Run, State, Tonight


def start(
    plan: ShowPlan,
    state: State,
    entry_index: int,
    step_index: int,
    bar: int | None,
    seam: int | None = None,
    known: int | None = None,
) -> State:
    """Begin a step out of silence: after its count-in, or at output frame ``seam`` where one is given.

    ``bar``: the bar to begin at, counted from 1; None for the top of the step. ``known``: the frame from which on it
    was clear that it begins, None for now.
    """
    entry, music = plan.entries[entry_index], state.music
    step = entry.steps[step_index]
    src = step.src_start if bar is None else int(entry.bar_frames[bar - 1])
    lead = entry.lead if src == int(entry.bar_frames[0]) else 0
    begins = _At(seam) if seam is not None else _counted_in(plan, state, entry_index, bar, step, lead)
    run = Run(
        id=music.runs,
        entry=entry_index,
        step=step_index,
        round=1,
        out_start=begins.frame,
        src_start=src,
        lead=lead,
        fresh=True,
    )
    tonight = _with_played(music.tonight, entry_index)
    still = music._replace(next_up=None, place=None, finished=False, skipped=False, ended=None)
    music = still._replace(entry=entry_index, run=run, runs=music.runs + 1, begun=begins.frame, tonight=tonight)
    speech = state.speech._replace(count_in=state.speech.count_in + begins.clicks)
    now = begins.frame if seam is not None else state.head
    spoken = calls.replaced(plan, music, speech, now=now, keep=begins.words or state.speech.words)
    over = pads.ended(state.pads, begins.frame, state.head if known is None else known, plan.sample_rate)
    line = line_check.ended(state.line, state.head, start_fade(plan))
    return state._replace(music=music, speech=spoken, pads=over, line=line)


class _At(NamedTuple):
    """The output frame at which the music begins, and what is counted and said before it."""

    frame: int
    clicks: tuple[Click, ...] = ()
    words: tuple[Spoken, ...] = ()


def _counted_in(plan: ShowPlan, state: State, entry_index: int, bar: int | None, step: StepPlan, lead: int) -> _At:
    """A count-in that begins now."""
    entry = plan.entries[entry_index]
    before, aloud, length = count_in_beats(entry.song, bar or step.first_bar, plan.sample_rate)
    title = _title_call(plan, entry, bar, state)
    counts_from = max([state.head, *(w.end for w in title)])
    begins = counts_from + max(length, lead) + start_fade(plan)
    clicks = tuple(Click(begins - b, COUNT_IN, entry_index) for b in before)
    if not entry.count_in.aloud:
        return _At(begins, clicks, title)
    beats = [begins - b for b in aloud]
    counts = place_count(beats, begins, plan.words, earliest=counts_from, counts=plan.counts)
    return _At(begins, clicks, (*title, *counts))


def _title_call(plan: ShowPlan, entry: EntryPlan, bar: int | None, state: State) -> tuple[Spoken, ...]:
    """The title of an entry that begins from its top, where it is to be called (rule Q8)."""
    text = entry.title_call
    if bar is not None or text not in plan.words:
        return ()
    return (replace(said_at_once(text, plan.words, state.head), by_hand=False),)


def _with_played(tonight: Tonight, entry: int) -> Tonight:
    return tonight if entry in tonight.played else tonight._replace(played=(*tonight.played, entry))
