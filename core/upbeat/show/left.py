"""How long the show still lasts, if every go comes at once and nothing more is asked for."""

from __future__ import annotations

from typing import TypedDict

from upbeat.play.compile import count_in_beats
from upbeat.play.plan import EntryPlan, ShowPlan
from upbeat.play.runs import (
    coming_step,
    ending_of,
    following_entry,
    interval_after_s,
    link_after,
    place_in_order,
    seam_of,
    tonights_order,
)
from upbeat.play.state import Music, State
from upbeat.show.running import Lasting, running_times


def own_left_s(plan: ShowPlan, state: State) -> tuple[int, float]:
    """The entry that plays or stands by, and the seconds until it is over. A vamp counts as one round."""
    music = state.music
    if music.run is not None:
        return music.run.entry, _rest_s(plan, music, state.head)
    if music.place is not None:
        at = music.place
        entry = plan.entries[at.entry]
        gone = int(entry.bar_frames[at.bar - 1]) - entry.steps[at.step].src_start
        return at.entry, _steps_s(plan, music, at.entry, at.step) - _s(plan, gone)
    own = music.entry
    return own, _count_in_s(plan, plan.entries[own]) + _steps_s(plan, music, own, 0)


def after_s(plan: ShowPlan, music: Music, entry: int) -> float:
    """Seconds from the end of an entry until the show is over, by tonight's order, intervals and all."""
    link = link_after(plan, music, entry)
    lasting, seen = [Lasting(0.0, 0.0, link.kind, link.seconds)], {entry}
    after = following_entry(plan, music, entry)
    breaks = interval_after_s(plan, music, entry) if after is not None and music.tonight.after is None else 0.0
    prepared = music._replace(tonight=music.tonight._replace(after=None))
    while after is not None and after.entry not in seen:
        own = plan.entries[after.entry]
        seen.add(after.entry)
        seconds = _steps_s(plan, music, after.entry, 0)
        link = link_after(plan, prepared, after.entry)
        lasting.append(Lasting(seconds, _count_in_s(plan, own), link.kind, link.seconds))
        now, after = after.entry, following_entry(plan, prepared, after.entry)
        breaks += interval_after_s(plan, prepared, now) if after is not None else 0.0
    return running_times(lasting)[1] + breaks


class ShorterForm(TypedDict):
    """Another form of an entry of tonight's order that is to come, and the seconds it saves."""

    entry: int
    instead: int
    form: str
    saves_s: float


def shorter_forms(plan: ShowPlan, music: Music) -> list[ShorterForm]:
    """For each entry of tonight's order that is to come, the shortest of its other forms if it is shorter."""
    order = tonights_order(plan, music)
    order = order[place_in_order(plan, music, music.entry) :] if order else order
    begun = {plan.own(e) for e in music.tonight.played}
    others: dict[int, list[int]] = {}
    for i, e in enumerate(plan.entries):
        if e.kept or e.percent != 100:
            continue
        others.setdefault(i if e.of is None else e.of, []).append(i)
    found = []
    for entry in order:
        own = plan.own(entry)
        if own in begun:
            continue
        least = min(others[own], key=lambda i: _steps_s(plan, music, i, 0))
        saves = round(_steps_s(plan, music, entry, 0) - _steps_s(plan, music, least, 0), 1)
        if saves > 0:
            found.append(ShorterForm(entry=entry, instead=least, form=plan.entries[least].form, saves_s=saves))
    return found


def _s(plan: ShowPlan, frames: int) -> float:
    return frames / plan.sample_rate


def _count_in_s(plan: ShowPlan, entry: EntryPlan) -> float:
    first = entry.steps[entry.playable[0]]
    title = plan.words[entry.title_call][0].frames if entry.title_call in plan.words else 0
    return _s(plan, title + count_in_beats(entry.song, first.first_bar, plan.sample_rate)[2])


def _rest_s(plan: ShowPlan, music: Music, head: int) -> float:
    """What is left of the entry that plays."""
    run = music.run
    assert run is not None
    rest = _s(plan, seam_of(plan, music, run) - head)
    following = coming_step(plan, music, run)
    if following is None:
        return rest
    step, round_ = following
    if round_ == 1:
        return rest + _steps_s(plan, music, run.entry, step)
    # Once more round: what is left of a repeat, and no more of a vamp.
    own, ending = plan.entries[run.entry].steps[step], ending_of(plan, music, run.entry, step)
    rounds = ending.times - run.round if ending.kind == "repeat" else 0
    return rest + rounds * _s(plan, own.src_end - own.src_start) + _steps_s(plan, music, run.entry, step + 1)


def _steps_s(plan: ShowPlan, music: Music, entry: int, first: int) -> float:
    """The steps of an entry from ``first`` on, each vamp once, up to a fine."""
    frames = 0
    own = plan.entries[entry]
    for i in own.playable:
        if i < first:
            continue
        ending = ending_of(plan, music, entry, i)
        frames += (own.steps[i].src_end - own.steps[i].src_start) * (ending.times if ending.kind == "repeat" else 1)
        if ending.kind == "fine":
            break
    return _s(plan, frames)
