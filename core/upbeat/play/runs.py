"""Where the runs of a show begin, end and overlap (rules J1 to J3)."""

from __future__ import annotations

from dataclasses import dataclass, replace

from upbeat.play.plan import EntryPlan, Link, ShowPlan, StepPlan
from upbeat.play.state import After, Music, Run, Tonight, When
from upbeat.song.forms import Ending

_EVERY = {"next_bar": 1, "in_2_bars": 2, "in_4_bars": 4}
FADE_S = 0.005  # a start out of silence, the ramp of rule M1
FOREVER = 1 << 62


@dataclass(frozen=True)
class Fade:
    """Equal power over ``length`` frames from output frame ``start``; ``up`` or down."""

    start: int
    length: int
    up: bool


@dataclass(frozen=True, kw_only=True)
class Slice:
    """``frames`` of one song from source frame ``src``, at output frame ``out``."""

    run: int
    joined: bool
    entry: int
    step: int
    out: int
    src: int
    frames: int
    fades: tuple[Fade, ...]
    fresh: bool = False

    def between(self, start: int, end: int) -> Slice | None:
        """The part of it in output frames ``start`` to ``end``."""
        a, b = max(start, self.out), min(end, self.out + self.frames)
        return replace(self, out=a, src=self.src + a - self.out, frames=b - a) if a < b else None


def step_of(plan: ShowPlan, run: Run) -> StepPlan:
    return plan.entries[run.entry].steps[run.step]


def start_fade(plan: ShowPlan) -> int:
    """Frames of the fade in which a run comes out of silence."""
    return round(FADE_S * plan.sample_rate)


def natural_end(plan: ShowPlan, run: Run) -> int:
    """The output frame at which a run's step is over."""
    return run.out(step_of(plan, run).src_end)


def following_step(entry: EntryPlan, step: int) -> int | None:
    """The next playable step of an entry."""
    return next((i for i in entry.playable if i > step), None)


def ending_of(plan: ShowPlan, music: Music, entry: int, step: int) -> Ending:
    """How a step ends tonight: as it was set on the spot, else as it was prepared (rule J6)."""
    by_hand = (e.ending for e in music.tonight.endings if (e.entry, e.step) == (entry, step))
    return next(by_hand, plan.entries[entry].steps[step].ending)


def tonights_order(plan: ShowPlan, music: Music) -> tuple[int, ...]:
    """The entries in the order in which they are to be played."""
    return music.tonight.order or plan.listed


def place_in_order(plan: ShowPlan, music: Music, entry: int) -> int:
    """The place of an entry in tonight's order, from 0; of what it is now where it sounds on from before."""
    order = tonights_order(plan, music)
    if entry in order:
        return order.index(entry)
    return [plan.own(e) for e in order].index(plan.own(entry))


def as_listed(plan: ShowPlan, music: Music, entry: int) -> int:
    """The entry of tonight's order that an entry is from its next time on."""
    return tonights_order(plan, music)[place_in_order(plan, music, entry)]


def fits(plan: ShowPlan, tonight: Tonight) -> bool:
    """Whether what was changed for a night is of this show, and not of one that was edited since."""
    entries = plan.entries
    known = all(0 <= e.entry < len(entries) and e.step in entries[e.entry].playable for e in tonight.endings)
    after = tonight.after is None or 0 <= tonight.after.entry < len(entries)
    played = all(0 <= e < len(entries) for e in tonight.played)
    order = all(0 <= e < len(entries) for e in tonight.order)
    listed = [own for e in tonight.order if order and (own := plan.own(e)) in plan.listed]
    whole = not tonight.order or (order and sorted(listed) == list(plan.listed))
    return known and after and played and whole


def following_entry(plan: ShowPlan, music: Music, entry: int) -> After | None:
    """The entry that comes after one, chosen for tonight or by the order; None after the last."""
    if music.tonight.after is not None:
        return music.tonight.after
    order, at = tonights_order(plan, music), place_in_order(plan, music, entry) + 1
    return None if at == len(order) else After(order[at], link_after(plan, music, entry).kind == "attacca")


def interval_after_s(plan: ShowPlan, music: Music, entry: int) -> float:
    """Seconds of the interval that lies behind an entry in tonight's order."""
    return plan.intervals.get(place_in_order(plan, music, entry) + 1, 0.0) if plan.intervals else 0.0


def link_after(plan: ShowPlan, music: Music, entry: int) -> Link:
    """What happens after an entry: its link, or what a press asked for; before an interval it waits."""
    after = music.tonight.after
    if after is None:
        waits = interval_after_s(plan, music, entry) > 0
        return Link("wait") if waits else plan.entries[entry].link
    return Link("attacca" if after.straight_on else "wait")


def round_line(plan: ShowPlan, music: Music, run: Run) -> int | None:
    """The output frame at which a run goes back to the first of the bars that are played round and round."""
    bars = music.round
    if bars is None or bars.entry != run.entry:
        return None
    end = int(plan.entries[run.entry].bar_frames[bars.last])
    ahead = run.out(end) >= bars.since  # what is played already does not come round by itself
    return run.out(end) if ahead and run.src_start < end <= step_of(plan, run).src_end else None


def step_with(entry: EntryPlan, bar: int) -> int | None:
    """The first playable step that has a bar, counted from 1."""
    steps = ((i, entry.steps[i]) for i in entry.playable)
    return next((i for i, s in steps if s.first_bar <= bar < s.first_bar + s.bars), None)


def successor(plan: ShowPlan, music: Music, run: Run) -> tuple[int, int] | None:
    """Step and round that come after a run if nothing is next up by a press (rule F3); None at a fine."""
    entry = plan.entries[run.entry]
    if music.round is not None and round_line(plan, music, run) is not None:
        back = step_with(entry, music.round.first)
        return None if back is None else (back, run.round + 1)
    ending = ending_of(plan, music, run.entry, run.step)
    if ending.kind == "vamp" or (ending.kind == "repeat" and run.round < ending.times):
        return run.step, run.round + 1
    if ending.kind == "fine":
        return None
    following = following_step(entry, run.step)
    return None if following is None else (following, 1)


def coming_step(plan: ShowPlan, music: Music, run: Run) -> tuple[int, int] | None:
    """Step and round that come after a run, by press or by themselves."""
    return (music.next_up.step, 1) if music.next_up is not None else successor(plan, music, run)


def seam_of(plan: ShowPlan, music: Music, run: Run) -> int:
    """The output frame at which the current run is left."""
    if music.next_up:
        return music.next_up.seam
    line = round_line(plan, music, run)
    return natural_end(plan, run) if line is None else line


def entered_at(plan: ShowPlan, music: Music, run: Run, step: int) -> int:
    """The source frame at which the step after a run is entered."""
    entry = plan.entries[run.entry]
    if music.next_up is None and music.round is not None and round_line(plan, music, run) is not None:
        return int(entry.bar_frames[music.round.first - 1])
    return entry.steps[step].src_start


def landing(plan: ShowPlan, run: Run, when: When, head: int, margin: int) -> tuple[int, int]:
    """Output frame and bar (the one entered there) of the next place for a jump (rule J1).

    ``head``: the first frame that is still free; ``margin``: frames that a seam needs before it.
    """
    entry, step = plan.entries[run.entry], step_of(plan, run)
    end = natural_end(plan, run)
    if when == "at_once":
        at = max(head + margin, run.out_start)
        if at >= end:
            return end, step.first_bar + step.bars
        return at, entry.bar_at(run.src(at))
    every = _EVERY.get(when)
    if every:
        for k in range(every, step.bars, every):
            at = run.out(int(entry.bar_frames[step.first_bar - 1 + k]))
            if at - margin >= head and at > run.out_start:
                return at, step.first_bar + k
    return end, step.first_bar + step.bars


def sounds_to(run: Run) -> int:
    """The output frame at which nothing of a run sounds any more."""
    return run.sounds_to if run.sounds_to is not None else FOREVER


def slice_of(plan: ShowPlan, run: Run, start: int, end: int) -> Slice | None:
    """What of a run sounds in output frames ``start`` to ``end``, with the fades that touch it."""
    fade = start_fade(plan)
    begins = run.out_start - (run.lead + fade if run.fresh else run.half)
    a, b = max(start, begins), min(end, sounds_to(run))
    if a >= b:
        return None
    fades = []
    if run.fresh and a < begins + fade:
        fades.append(Fade(begins, fade, True))
    elif run.half and a < run.out_start + run.half:
        fades.append(Fade(run.out_start - run.half, 2 * run.half, True))
    if run.fade_from is not None:
        fades.append(Fade(run.fade_from, sounds_to(run) - run.fade_from, False))
    elif run.out_end is not None and (run.out_half or run.ring):
        length = run.out_half + max(run.out_half, run.ring)
        fades.append(Fade(run.out_end - run.out_half, length, False))
    return Slice(
        run=run.id,
        joined=run.joined,
        entry=run.entry,
        step=run.step,
        out=a,
        src=run.src(a),
        frames=b - a,
        fades=tuple(fades),
        fresh=run.fresh,
    )
