"""The words before a seam: section calls, counts and free cues (rules Q1 to Q4)."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from upbeat.cues.place import Spoken, place_asked, place_call, place_free, touches
from upbeat.play.plan import EntryPlan, ShowPlan, StepPlan
from upbeat.play.runs import (
    coming_step,
    ending_of,
    entered_at,
    following_entry,
    natural_end,
    round_line,
    seam_of,
    step_of,
)
from upbeat.play.state import Music, Run, Speech
from upbeat.play.tracks import mapped


def replaced(plan: ShowPlan, music: Music, speech: Speech, *, now: int, keep: tuple[Spoken, ...] = ()) -> Speech:
    """Place the words before the coming seam again; words that have begun are finished (rule Q3).

    ``now``: no word may begin before this output frame. Independent of block size, so that an
    offline bounce matches the engine. ``keep``: words that stay as they are; without any, those
    that have begun and those of the count-in stay.
    """
    run = music.run
    if run is None:
        return speech._replace(words=())
    asked = (*(w.text for w in speech.words if _is_to_come(w, now)), *speech.asked)
    if not keep:
        begun = tuple(w for w in speech.words if w.start < now)
        counting = tuple(w for w in speech.words if w.beat < run.out_start and w.start >= now)
        keep = (*begun, *counting)
    keep = tuple(w for w in keep if not _is_to_come(w, now))
    call = _call(plan, music, run, keep, now)
    free = _free_cues(plan, music, run, (*keep, *call), now)
    words = (*keep, *call, *free)
    # What is said on the spot gives way to all that is prepared.
    placed, left = place_asked(asked, _beats_to_come(plan, music, run, now), words, plan.words, now)
    return speech._replace(words=(*words, *placed), asked=left)


def _is_to_come(word: Spoken, now: int) -> bool:
    return word.by_hand and word.start >= now


def _beats_to_come(plan: ShowPlan, music: Music, run: Run, now: int) -> list[int]:
    """The counted beats from an output frame on that are left before the coming seam."""
    counts = plan.entries[run.entry].count_frames
    first, last = run.src(max(now, run.out_start)), run.src(seam_of(plan, music, run))
    return [run.out(int(f)) for f in counts[np.searchsorted(counts, first) : np.searchsorted(counts, last)]]


def _call(plan: ShowPlan, music: Music, run: Run, kept: tuple[Spoken, ...], now: int) -> tuple[Spoken, ...]:
    called = called_step(plan, music)
    if called is None:
        return ()
    coming, seam = called
    entry = plan.entries[run.entry]
    beats = _beats_before(entry, step_of(plan, run), run, seam)
    top = _last_bar_start(entry, run, seam)
    last_bar, before = [b for b in beats if b >= top], [b for b in beats if b < top]
    lead = _lead_beat(entry, run, seam, coming.lead)

    def placed(earliest: int | None) -> tuple[Spoken, ...]:
        return place_call(coming.spoken, last_bar, before, seam, plan.words, earliest, plan.counts, lead)

    # A call under way goes on; its name is not said again.
    whole = placed(None)
    if whole and whole[0] in kept:
        return tuple(w for w in whole[1:] if w.start >= now and not touches(w, kept))
    return placed(max([now, *(w.end for w in kept)]))


def _free_cues(plan: ShowPlan, music: Music, run: Run, said: tuple[Spoken, ...], now: int) -> tuple[Spoken, ...]:
    """The free cues of a run that no other word overlaps (rule Q4).

    A word perceived on the first beat of the following step begins before the seam, so it is
    placed with this run.
    """
    seam = seam_of(plan, music, run)
    wanted = list(mapped(step_of(plan, run).cue_track, run, run.out_start, seam))
    following = coming_step(plan, music, run)
    if following is not None and entered_at(plan, music, run, following[0]) == _top(plan, run, following[0]):
        to = plan.entries[run.entry].steps[following[0]]
        coming = [(seam + frame - to.src_start, text) for frame, text in to.cues if text in plan.words]
        wanted += [(beat, text) for beat, text in coming if beat - plan.words[text][0].onset < seam]
    return place_free(wanted, said, plan.words, now)


def _top(plan: ShowPlan, run: Run, step: int) -> int:
    return plan.entries[run.entry].steps[step].src_start


def called_step(plan: ShowPlan, music: Music) -> tuple[StepPlan, int] | None:
    """The step that a call names next, and its seam; None where nothing is called."""
    coming = _uncalled_or_called(plan, music)
    return coming if coming is not None and coming[0].called else None


def _uncalled_or_called(plan: ShowPlan, music: Music) -> tuple[StepPlan, int] | None:
    run = music.run
    if run is None:
        return None
    entry = plan.entries[run.entry]
    if music.next_up is not None:
        if music.next_up.when == "at_once" or not entry.calls:
            return None
        return entry.steps[music.next_up.step], music.next_up.seam
    if round_line(plan, music, run) is not None:
        return None
    following = coming_step(plan, music, run)
    if following is None:
        return _first_of_next(plan, music, run)
    if not entry.calls or (ending_of(plan, music, run.entry, run.step).kind == "vamp" and following[0] == run.step):
        return None
    return entry.steps[following[0]], natural_end(plan, run)


def _first_of_next(plan: ShowPlan, music: Music, run: Run) -> tuple[StepPlan, int] | None:
    """The first step of an entry that follows attacca: it is called over the last bar (rule P2)."""
    after = following_entry(plan, music, run.entry)
    if after is None or not after.straight_on or not plan.entries[after.entry].calls:
        return None
    following = plan.entries[after.entry]
    return following.steps[following.playable[0]], natural_end(plan, run)


def _bar_before(entry: EntryPlan, run: Run, seam: int) -> int:
    """The last bar before a seam, counted from 1."""
    return entry.bar_at(run.src(seam) - 1)


def _beats_before(entry: EntryPlan, step: StepPlan, run: Run, seam: int) -> list[int]:
    """Counted beats of the last three bars before a seam, as output frames."""
    last = min(_bar_before(entry, run, seam), step.first_bar + step.bars - 1)
    first = max(entry.bar_at(run.src_start), last - 2)
    beats = [run.out(f) for f in entry.counts(first, last - first + 1)]
    return [b for b in beats if run.out_start <= b < seam]


def _lead_beat(entry: EntryPlan, run: Run, seam: int, bars: int) -> int | None:
    """The first beat ``bars`` bars before a seam, where the run has that bar; None for one bar."""
    first = _bar_before(entry, run, seam) - bars + 1
    at = run.out(int(entry.bar_frames[first - 1])) if first >= 1 else None
    return at if bars > 1 and at is not None and at >= run.out_start else None


def _last_bar_start(entry: EntryPlan, run: Run, seam: int) -> int:
    bar = _bar_before(entry, run, seam)
    return run.out(int(entry.bar_frames[max(0, bar - 1)]))


def charted(entry: EntryPlan) -> list[tuple[int, str]]:
    """(bar, text) of every section call of an entry in its form, each round of a vamp released."""
    if not entry.calls:
        return []
    steps = [entry.steps[i] for i in entry.playable]
    return [
        (old.first_bar + old.bars - min(new.lead, old.bars), new.spoken)
        for old, new in pairwise(steps)
        if new.called and old.ending.kind != "fine"
    ]
