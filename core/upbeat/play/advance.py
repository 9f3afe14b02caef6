"""Time goes on: the next span of output frames, and the seams that have to be decided for it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TypeVar

from upbeat.cues.place import Spoken, said_at_once
from upbeat.messages.score import Beats
from upbeat.play import calls, line_check, messages, pads, shots
from upbeat.play.events import BarLine, Click, EntryEnd, Event, LinkTaken, Message, Seam
from upbeat.play.hand import Hand, HandChange, Waiting, left_at, moved, over
from upbeat.play.line_check import Signal
from upbeat.play.pads import Pads
from upbeat.play.plan import EntryPlan, ShowPlan
from upbeat.play.runs import (
    Slice,
    coming_step,
    entered_at,
    following_entry,
    link_after,
    natural_end,
    seam_of,
    slice_of,
    sounds_to,
    start_fade,
    step_of,
)
from upbeat.play.shots import Shots
from upbeat.play.starting import start
from upbeat.play.state import Music, Run, Silence, Speech, State
from upbeat.play.timecode import Coded
from upbeat.play.tracks import mapped

Kind = TypeVar("Kind")


@dataclass(frozen=True, kw_only=True)
class Span:
    """What happens in output frames ``start`` to ``end``.

    ``events``: clicks, words whose sound begins here, then everything else, each with its frame.
    ``hand``: the mix by hand at its beginning, ``changes``: those of it within, in order.
    ``silence``: how click and cues end at a stop; ``signals``: those of the line check;
    ``coded``: where timecode sounds.
    """

    start: int
    end: int
    slices: tuple[Slice, ...]
    events: tuple[Event, ...]
    entry: int
    hand: Hand
    silence: Silence | None = None
    changes: tuple[HandChange, ...] = ()
    shots: Shots = ()
    pads: Pads = ()
    signals: tuple[Signal, ...] = ()
    coded: tuple[Coded, ...] = ()

    def parts(self) -> list[Span]:
        """Spans one after the other, in each of which the mix by hand is one."""
        if not self.changes:
            return [self]
        at, hand = self.start, self.hand
        found = []
        for change in self.changes:
            if change.frame > at:
                found.append(self._between(at, change.frame, hand))
            at, hand = change.frame, change.hand
        return [*found, self._between(at, self.end, hand)]

    def _between(self, start: int, end: int, hand: Hand) -> Span:
        slices = (s.between(start, end) for s in self.slices)
        return replace(
            self,
            start=start,
            end=end,
            slices=tuple(s for s in slices if s is not None),
            events=tuple(e for e in self.events if start <= _begins(e) < end),
            hand=hand,
            changes=(),
        )

    def only(self, kind: type[Kind]) -> list[Kind]:
        """The events of one kind."""
        return [e for e in self.events if isinstance(e, kind)]

    def logged(self) -> list[Event]:
        """The events that belong in a log: bar lines, seams, ends, links and messages, not every click and word, nor MIDI clock."""
        return [e for e in self.events if not isinstance(e, Click | Spoken) and not _is_clock(e)]


def _is_clock(event: Event) -> bool:
    return isinstance(event, Message) and event.why == "clock"


def _begins(event: Event) -> int:
    return event.start if isinstance(event, Spoken) else event.frame


def advance(plan: ShowPlan, state: State, frames: int) -> tuple[State, Span]:
    """The next ``frames`` output frames on paper: what sounds and what happens in them."""
    start, end = state.head, state.head + frames
    state, decided = _decided(plan, state, end)
    changes = _by_hand(plan, state, end)
    music, speech = state.music, state.speech
    runs = (*music.past, music.run) if music.run is not None else music.past
    sent, messages_out = messages.gone_on(plan, state.messages, music, decided, start, end)
    clicks = sorted(
        (c for r in runs for c in _clicks(plan, state, r, start, end)), key=lambda c: (c.frame, c.voice, c.entry)
    )
    events: list[Event] = [*clicks, *(c for c in speech.count_in if start <= c.frame < end)]
    events += [w for w in speech.words if start <= w.start < end]
    events += decided
    for r in runs:
        events += _bar_lines(plan, r, start, end)
    events += messages_out
    span = Span(
        start=start,
        end=end,
        slices=tuple(s for r in runs if (s := slice_of(plan, r, start, end)) is not None),
        events=tuple(events),
        entry=music.entry,
        hand=state.hand,
        silence=state.silence,
        changes=changes,
        shots=state.shots,
        pads=state.pads,
        signals=state.line.signals,
        coded=messages.coded(plan, state.messages, music, start, end),
    )
    return _after(plan, state._replace(messages=sent), end, changes), span


def passed(plan: ShowPlan, state: State, frames: int) -> State:
    """The state that :func:`advance` gives, without what happens until then."""
    start, end = state.head, state.head + frames
    state, decided = _decided(plan, state, end)
    sent = messages.gone_on(plan, state.messages, state.music, decided, start, end)[0]
    return _after(plan, state._replace(messages=sent), end, _by_hand(plan, state, end))


def passed_alike(state: State, later: State, frames: int) -> State | None:
    """What :func:`passed` gives, where that is known from a state further on, without a press between the two: where they differ
    by how far they are alone, nothing was decided and nothing ended until then. None where they differ by more.

    A note of a device that begins and ends in between is left out.
    """
    return state._replace(head=state.head + frames) if state[1:] == later[1:] else None


def _decided(plan: ShowPlan, state: State, end: int) -> tuple[State, list[Event]]:
    """The state once every seam is decided that output frames up to ``end`` need, and these seams."""
    decided: list[Event] = []
    line = line_check.gone_on(state.line, plan.sockets, end, start_fade(plan))
    state = state if line is state.line else state._replace(line=line)
    while state.music.run is not None:
        changed = _commit(plan, state, end, decided)
        if changed is state:
            break
        state = changed
    return state, decided


def _by_hand(plan: ShowPlan, state: State, end: int) -> tuple[HandChange, ...]:
    """The changes of the mix by hand that were asked for, and begin before output frame ``end``."""
    hand, changes = state.hand, []
    due = [(_begins_at(plan, state, w), w) for w in hand.waiting]
    for at, w in sorted(due, key=lambda d: d[0]):
        if at >= end:
            break
        rest = hand._replace(waiting=tuple(one for one in hand.waiting if one is not w))
        frames = beats_long(plan, state.music, at, w.beats)
        hand = moved(rest, hand.part(w.part)._replace(on=w.on), at, frames)
        changes.append(HandChange(at, hand))
    return tuple(changes)


def _begins_at(plan: ShowPlan, state: State, waiting: Waiting) -> int:
    """The output frame at which a part sets out: a change without beats is complete on its bar line, so that
    nothing of that bar is heard of what goes, and all of what comes.
    """
    run, head = state.music.run, state.head
    if run is None:  # where nothing plays there is nothing to wait for
        return head
    line = seam_of(plan, state.music, run) if waiting.frame is None else waiting.frame
    return max(head, line if waiting.beats else line - start_fade(plan))


def beats_long(plan: ShowPlan, music: Music, frame: int, beats: float) -> int:
    """How many frames some counted beats last from an output frame on; at the least the ramp of rule M1."""
    runs = [r for r in (*music.past, music.run) if r is not None]
    run = next((r for r in reversed(runs) if r.out_start <= frame), runs[-1] if runs else None)
    if run is None or not beats:
        return start_fade(plan)
    entry, src = plan.entries[run.entry], run.src(frame)
    return max(start_fade(plan), Beats(entry.count_frames, entry.count_first).later(src, beats) - src)


def _after(plan: ShowPlan, state: State, end: int, changes: tuple[HandChange, ...] = ()) -> State:
    silence, hand = state.silence, changes[-1].hand if changes else state.hand
    return State(
        head=end,
        music=_still_sounding(state.music, end),
        speech=_still_said(state.speech, end),
        hand=over(hand, end),
        silence=silence if silence is not None and silence.frame + silence.fade > end else None,
        shots=shots.over(state.shots, end),
        pads=pads.over(state.pads, end),
        line=line_check.over(state.line, end, start_fade(plan)),
        messages=state.messages,
    )


def _still_sounding(music: Music, end: int) -> Music:
    """The same where nothing is over: what is worked out from it is kept for as long as it is the same."""
    past = tuple(r for r in music.past if sounds_to(r) > end)
    return music if len(past) == len(music.past) else music._replace(past=past)


def _still_said(speech: Speech, end: int) -> Speech:
    words = tuple(w for w in speech.words if w.end > end)
    count_in = tuple(c for c in speech.count_in if c.frame >= end)
    if len(words) == len(speech.words) and len(count_in) == len(speech.count_in):
        return speech
    return Speech(words=words, count_in=count_in, asked=speech.asked)


def _commit(plan: ShowPlan, state: State, end: int, decided: list[Event]) -> State:
    """Decide the coming seam if it has to be decided before output frame ``end``."""
    music, run = state.music, state.music.run
    assert run is not None
    following = coming_step(plan, music, run)
    if following is None:
        return _commit_end(plan, state, run, end, decided)
    entry, seam = plan.entries[run.entry], seam_of(plan, music, run)
    step, round_ = following
    src_to = entered_at(plan, music, run, step)
    joined = src_to == run.src(seam)
    half = 0 if joined else entry.half
    if seam - half >= end:
        return state
    ring = 0 if joined else entry.ring
    closed = replace(run, out_end=seam, out_half=half, ring=ring, sounds_to=seam + max(half, ring))
    opened = Run(
        id=music.runs,
        entry=run.entry,
        step=step,
        round=round_,
        out_start=seam,
        src_start=src_to,
        half=half,
        joined=joined,
    )
    if not joined or music.next_up is not None:
        decided.append(
            Seam(
                frame=seam,
                why=music.next_up.kind if music.next_up else "round",
                entry=run.entry,
                step=step,
                round=round_,
                src_from=run.src(seam),
                src_to=src_to,
            )
        )
    state = state._replace(hand=left_at(state.hand, seam), shots=shots.left_at(state.shots, seam))
    music = music._replace(run=opened, past=(*music.past, closed), left=closed, next_up=None, runs=music.runs + 1)
    keep = tuple(w for w in state.speech.words if w.beat < seam or w.start < seam - half)
    speech = calls.replaced(plan, music, state.speech, now=seam - half, keep=keep)
    return state._replace(music=music, speech=speech)


def _commit_end(plan: ShowPlan, state: State, run: Run, end: int, decided: list[Event]) -> State:
    """The end of an entry, and what its link leads to (rule P2)."""
    entry, after = plan.entries[run.entry], following_entry(plan, state.music, run.entry)
    link = link_after(plan, state.music, run.entry)
    seam = seam_of(plan, state.music, run)
    following = None if after is None else plan.entries[after.entry]
    early = following.lead + start_fade(plan) if following and link.kind == "attacca" else 0
    if max(seam - early, state.head) >= end:
        return state
    decided.append(EntryEnd(seam, run.entry))
    closed = _closed(plan, entry, run, seam)
    music = state.music._replace(
        run=None,
        past=(*state.music.past, closed),
        left=closed,
        next_up=None,
        entry=run.entry if after is None else after.entry,
        finished=following is None,
        ended=seam,
        tonight=state.music.tonight._replace(after=None),
    )
    ended = state._replace(music=music, hand=left_at(state.hand, seam), speech=_all_said(plan, state.speech, seam))
    ended = ended._replace(shots=shots.left_at(state.shots, seam))
    if following is not None and (pad := plan.pad_between(link, following)) and link.kind != "attacca":
        ended = ended._replace(pads=(*ended.pads, pads.begun(pad, seam, plan.sample_rate)))
    if after is None or following is None or link.kind == "wait":
        return ended
    first = following.playable[0]
    decided.append(LinkTaken(seam, link.kind, after.entry))
    if link.kind == "attacca":
        return start(plan, ended, after.entry, first, None, seam)
    pause = round(link.seconds * plan.sample_rate)
    later = start(plan, ended._replace(head=seam + pause), after.entry, first, None, known=seam)
    return later._replace(head=state.head)


def _all_said(plan: ShowPlan, speech: Speech, frame: int) -> Speech:
    """What was asked for and found no beat in its song is said after it."""
    for text in speech.asked:
        at = max([frame, *(w.end for w in speech.words)])
        speech = speech._replace(words=(*speech.words, said_at_once(text, plan.words, at)))
    return speech._replace(asked=())


def _closed(plan: ShowPlan, entry: EntryPlan, run: Run, seam: int) -> Run:
    """A run that ends its entry: after the last bar the recording rings to its end, elsewhere it is faded."""
    if step_of(plan, run).src_end == int(entry.bar_frames[-1]):
        return replace(run, out_end=seam, out_half=0, ring=0, sounds_to=max(seam, run.out(entry.audio_end)))
    ring = max(start_fade(plan), entry.ring)
    return replace(run, out_end=seam, out_half=0, ring=ring, sounds_to=seam + ring)


def _clicks(plan: ShowPlan, state: State, run: Run, start: int, end: int) -> list[Click]:
    """Clicks of a run's own bars: a seam's downbeat belongs to the side it opens."""
    limit = run.out_end if run.out_end is not None else seam_of(plan, state.music, run)
    limit = min(limit, natural_end(plan, run))
    a, b = max(start, run.out_start), min(end, limit)
    track = plan.entries[run.entry].click_track
    return [Click(frame, int(voice), run.entry) for frame, voice in mapped(track, run, a, b)] if a < b else []


def _bar_lines(plan: ShowPlan, run: Run, start: int, end: int) -> list[BarLine]:
    # What fades away may do so past its section, where there are no bars of it.
    limit = natural_end(plan, run) if run.out_end is None else min(run.out_end, natural_end(plan, run))
    a, b = max(start, run.out_start), min(end, limit)
    track = plan.entries[run.entry].bar_track
    if a >= b:
        return []
    return [
        BarLine(frame=frame, entry=run.entry, step=run.step, round=run.round, bar=bar)
        for frame, bar in mapped(track, run, a, b)
    ]
