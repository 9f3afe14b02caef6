"""The transport: what sounds at which output frame, as a pure state machine (rules J and P).

``press`` and ``advance`` take a state and give a new one; neither looks at a clock. Output
frames count from 0 and never stop; ``State.head`` is the next one to be rendered. A *run* is
one unbroken pass through a step, tied to the output by one pair of frames, so that every beat
in it is where the song's own grid has it.
"""

from __future__ import annotations

from bisect import bisect_left
from dataclasses import dataclass, replace
from typing import Any, Literal, NamedTuple

import numpy as np

from upbeat.click.pattern import ACCENT, BEAT, COUNT_IN
from upbeat.cues.place import Spoken, place_call, place_count, place_free
from upbeat.play.plan import EntryPlan, ShowPlan, StepPlan, count_in_beats

When = Literal["at_once", "next_bar", "in_2_bars", "in_4_bars", "section_end"]
WHENS: tuple[When, ...] = ("at_once", "next_bar", "in_2_bars", "in_4_bars", "section_end")
_EVERY = {"next_bar": 1, "in_2_bars": 2, "in_4_bars": 4}
FADE_S = 0.005  # a start out of silence, rule M1's ramp
STOP_FADE_S = 0.02  # long enough not to click on bass, short enough to be a stop


@dataclass(frozen=True)
class Run:
    """A pass through step ``step``: source frame ``src_start`` is heard at ``out_start``.

    ``lead``: frames heard before that (a pickup). ``half``: half the crossfade it comes in with.
    ``joined``: it follows the run before without a seam. ``fresh``: it comes out of silence.
    ``out_end``: set once it is decided where it ends; ``out_half``, ``ring``: how it goes out.
    """

    id: int
    entry: int
    step: int
    round: int
    out_start: int
    src_start: int
    lead: int = 0
    half: int = 0
    joined: bool = False
    fresh: bool = False
    out_end: int | None = None
    out_half: int = 0
    ring: int = 0
    heard_to: int | None = None


@dataclass(frozen=True)
class NextUp:
    """The step that comes after this one because somebody asked for it (rule J4)."""

    step: int
    when: str
    seam: int
    bar: int
    kind: Literal["go_to", "release", "once_more"]


@dataclass(frozen=True)
class Place:
    """Where the show was stopped, to go on from there."""

    entry: int
    step: int
    bar: int


class State(NamedTuple):
    """All there is to know between two spans; a named tuple, since one is made for every block."""

    head: int = 0
    entry: int = 0
    run: Run | None = None
    past: tuple[Run, ...] = ()
    next_up: NextUp | None = None
    call: tuple[Spoken, ...] = ()
    count_in: tuple[tuple[int, int, int], ...] = ()
    silence: int | None = None
    place: Place | None = None
    finished: bool = False
    house_pulled: bool = False
    fallback: bool = False
    runs: int = 0

    @property
    def status(self) -> str:
        """standby, count_in, playing, stopped or finished."""
        if self.run is not None:
            return "count_in" if self.head < self.run.out_start else "playing"
        if self.place is not None:
            return "stopped"
        return "finished" if self.finished else "standby"


@dataclass(frozen=True)
class Outcome:
    """The answer to a press: taken or not, and in words why, or where it will happen."""

    accepted: bool
    code: str
    message: str
    frame: int | None = None
    bar: int | None = None
    late: bool = False


@dataclass(frozen=True)
class Fade:
    """Equal power over ``length`` frames from output frame ``start``; ``up`` or down."""

    start: int
    length: int
    up: bool


@dataclass(frozen=True)
class Slice:
    """Frames of one song to be heard: ``frames`` from ``src`` at output frame ``out``."""

    run: int
    joined: bool
    entry: int
    step: int
    out: int
    src: int
    frames: int
    fades: tuple[Fade, ...]
    fresh: bool = False


@dataclass(frozen=True)
class Span:
    """What happens in output frames ``start`` to ``end``.

    ``clicks``: (frame, voice, entry); ``words``: those whose sound begins in the span;
    ``silence``: at this frame click and cues fall silent (stop); ``events``: for the log.
    """

    start: int
    end: int
    slices: tuple[Slice, ...]
    clicks: tuple[tuple[int, int, int], ...]
    words: tuple[Spoken, ...]
    events: tuple[dict[str, Any], ...]
    entry: int
    house_pulled: bool
    fallback: bool
    silence: int | None = None


# --- where things fall -------------------------------------------------------------------


def _step(plan: ShowPlan, run: Run) -> StepPlan:
    return plan.entries[run.entry].steps[run.step]


def _out(run: Run, src: int) -> int:
    return run.out_start + src - run.src_start


def natural_end(plan: ShowPlan, run: Run) -> int:
    """The output frame at which a run's step is over."""
    return _out(run, _step(plan, run).src_end)


def _following_step(entry: EntryPlan, step: int) -> int | None:
    return next((i for i in entry.playable if i > step), None)


def successor(plan: ShowPlan, run: Run) -> tuple[int, int] | None:
    """Step and round that come after a run if nobody presses anything; None at a fine."""
    entry = plan.entries[run.entry]
    ending = entry.steps[run.step].ending
    if ending.kind == "vamp":
        return run.step, run.round + 1
    if ending.kind == "repeat" and run.round < ending.times:
        return run.step, run.round + 1
    if ending.kind == "fine":
        return None
    following = _following_step(entry, run.step)
    return None if following is None else (following, 1)


def _seam(plan: ShowPlan, state: State, run: Run) -> int:
    return state.next_up.seam if state.next_up else natural_end(plan, run)


def _landing(plan: ShowPlan, run: Run, when: str, head: int, margin: int) -> tuple[int, int]:
    """Output frame and bar (the one left for it) of the next place for a jump (rule J1)."""
    entry, step = plan.entries[run.entry], _step(plan, run)
    end = natural_end(plan, run)
    if when == "at_once":
        at = max(head + margin, run.out_start)
        if at >= end:
            return end, step.first_bar + step.bars
        return at, entry.bar_at(run.src_start + at - run.out_start)
    every = _EVERY.get(when)
    if every:
        for k in range(every, step.bars, every):
            at = _out(run, int(entry.bar_frames[step.first_bar - 1 + k]))
            if at - margin >= head and at > run.out_start:
                return at, step.first_bar + k
    return end, step.first_bar + step.bars


# --- presses -----------------------------------------------------------------------------


def press(
    plan: ShowPlan, state: State, name: str, args: dict[str, Any] | None = None, heard: int | None = None
) -> tuple[State, Outcome]:
    """Apply a press at ``state.head``.

    ``heard``: the output frame that the person heard when pressing; what lies between is
    already held by the device. Unknown names and impossible wishes are answered, never raised.
    """
    handler = _PRESSES.get(name)
    if handler is None:
        return state, Outcome(False, "press-unknown", f"There is no press called “{name}”.")
    if not plan.entries:
        return state, Outcome(False, "show-empty", "The show has no songs: put some in the setlist.")
    return handler(plan, state, args or {}, state.head if heard is None else min(heard, state.head))


def _go(plan: ShowPlan, state: State, args: dict[str, Any], heard: int) -> tuple[State, Outcome]:
    if state.run is not None:
        return state, Outcome(False, "go-guarded", "A song is playing: go is live again when it ends, or after stop.")
    if state.finished:
        return state, Outcome(False, "show-over", "The show is over: stand by a song to play on.")
    entry = plan.entries[state.entry]
    return _start(plan, state._replace(place=None), state.entry, entry.playable[0], None), Outcome(
        True, "go", f"{entry.title} begins.", bar=1
    )


def _start(
    plan: ShowPlan, state: State, entry_index: int, step_index: int, bar: int | None, seam: int | None = None
) -> State:
    """Begin a step out of silence: after its count-in, or at ``seam`` where one is given."""
    entry = plan.entries[entry_index]
    step = entry.steps[step_index]
    src = step.src_start if bar is None else int(entry.bar_frames[bar - 1])
    at_top = src == int(entry.bar_frames[0])
    lead = entry.lead if at_top else 0
    fade = round(FADE_S * plan.sample_rate)
    clicks, aloud, length = count_in_beats(entry.song, bar or step.first_bar, plan.sample_rate)
    if seam is None:
        out_start = state.head + max(length, lead) + fade
        pending = tuple((out_start - before, COUNT_IN, entry_index) for before in clicks)
        words = (
            place_count([out_start - b for b in aloud], out_start, plan.words, earliest=state.head, counts=plan.counts)
            if entry.count_in.aloud
            else ()
        )
    else:
        out_start, pending, words = seam, (), ()
    run = Run(state.runs, entry_index, step_index, 1, out_start, src, lead=lead, fresh=True)
    started = state._replace(
        entry=entry_index,
        run=run,
        runs=state.runs + 1,
        next_up=None,
        place=None,
        finished=False,
        count_in=state.count_in + pending,
    )
    return _plan_call(plan, started, keep=words or started.call, now=run.out_start if seam is not None else state.head)


def _stop(plan: ShowPlan, state: State, args: dict[str, Any], heard: int) -> tuple[State, Outcome]:
    run = state.run
    if run is None:
        return state, Outcome(False, "stop-silent", "Nothing is playing.")
    place = position(plan, state, heard)
    fade = round(STOP_FADE_S * plan.sample_rate)
    closed = replace(run, out_end=state.head, heard_to=state.head + fade, ring=fade, out_half=0)
    at = Place(place["entry"], place["step"], max(1, place["bar"]))
    past = tuple(_silenced(r, state.head, fade) for r in state.past)
    stopped = state._replace(
        entry=at.entry, run=None, past=(*past, closed), next_up=None, call=(), count_in=(), silence=state.head, place=at
    )
    return stopped, Outcome(True, "stop", f"Stopped at bar {at.bar}.", frame=state.head, bar=at.bar)


def _silenced(run: Run, head: int, fade: int) -> Run:
    """A run that still rings, made to fade with a stop unless it would end sooner."""
    if run.heard_to is not None and run.heard_to <= head + fade:
        return run
    return replace(run, out_end=min(head, run.out_end or head), heard_to=head + fade, ring=fade, out_half=0)


def _resume(plan: ShowPlan, state: State, args: dict[str, Any], heard: int) -> tuple[State, Outcome]:
    if state.run is not None or state.place is None:
        return state, Outcome(False, "resume-nothing", "There is nothing to resume: press go.")
    at = state.place
    return _start(plan, state, at.entry, at.step, at.bar), Outcome(
        True, "resume", f"Goes on from bar {at.bar}.", bar=at.bar
    )


def _go_to(plan: ShowPlan, state: State, args: dict[str, Any], heard: int) -> tuple[State, Outcome]:
    step, when = args.get("step"), args.get("when", "section_end")
    if state.run is None:
        return state, Outcome(False, "jump-silent", "Nothing is playing: press go first.")
    entry = plan.entries[state.run.entry]
    if not isinstance(step, int) or isinstance(step, bool) or step not in entry.playable:
        return state, Outcome(False, "step-unknown", "That section is not in tonight's form.")
    kind: Literal["go_to", "once_more"] = "once_more" if step == state.run.step else "go_to"
    return _ask(plan, state, step, when, kind, heard)


def _once_more(plan: ShowPlan, state: State, args: dict[str, Any], heard: int) -> tuple[State, Outcome]:
    if state.run is None:
        return state, Outcome(False, "jump-silent", "Nothing is playing: press go first.")
    return _ask(plan, state, state.run.step, args.get("when", "section_end"), "once_more", heard)


def _release(plan: ShowPlan, state: State, args: dict[str, Any], heard: int) -> tuple[State, Outcome]:
    if state.run is None or _step(plan, state.run).ending.kind != "vamp":
        return state, Outcome(False, "release-no-vamp", "There is no vamp to release here.")
    following = _following_step(plan.entries[state.run.entry], state.run.step)
    if following is None:
        return state, Outcome(False, "release-last", "This vamp is the last section: press stop to end it.")
    return _ask(plan, state, following, "section_end", "release", heard)


def _ask(
    plan: ShowPlan, state: State, step: int, when: Any, kind: Literal["go_to", "release", "once_more"], heard: int
) -> tuple[State, Outcome]:
    run = state.run
    assert run is not None
    if when not in WHENS:
        return state, Outcome(False, "when-unknown", f"“{when}” is not a time for a jump: {', '.join(WHENS)}.")
    entry = plan.entries[run.entry]
    seam, bar = _landing(plan, run, when, state.head, entry.half)
    # What the person meant is where it would have landed from what they heard.
    meant, _ = _landing(plan, run, when, min(heard, state.head), 0)
    late = when != "at_once" and (meant != seam or _missed(plan, state, heard))
    target = entry.steps[step]
    changed = _plan_call(plan, state._replace(next_up=NextUp(step, when, seam, bar, kind)), keep=())
    if when == "at_once":
        changed = changed._replace(call=tuple(w for w in changed.call if w.end <= seam), count_in=())
    words = f"{target.name} comes at bar {bar}."
    if late:
        words = f"Too late for the bar line just passed: {target.name} comes at bar {bar}."
    return changed, Outcome(True, kind, words, frame=seam, bar=bar, late=late)


def _missed(plan: ShowPlan, state: State, heard: int) -> bool:
    """Whether a seam was rendered already that the person has not heard yet."""
    return state.run is not None and heard < state.run.out_start and any(r.entry == state.run.entry for r in state.past)


def _take_back(plan: ShowPlan, state: State, args: dict[str, Any], heard: int) -> tuple[State, Outcome]:
    if state.next_up is None:
        return state, Outcome(False, "take-back-nothing", "Nothing was asked for that could be taken back.")
    return _plan_call(plan, state._replace(next_up=None), keep=()), Outcome(True, "take_back", "Taken back.")


def _stand_by(plan: ShowPlan, state: State, args: dict[str, Any], heard: int) -> tuple[State, Outcome]:
    index = args.get("entry", state.entry + 1)
    if state.run is not None:
        return state, Outcome(False, "stand-by-playing", "A song is playing: stop it first.")
    if not isinstance(index, int) or isinstance(index, bool) or not 0 <= index < len(plan.entries):
        return state, Outcome(False, "entry-unknown", "There is no such song in the setlist.")
    return state._replace(entry=index, place=None, finished=False), Outcome(
        True, "stand_by", f"{plan.entries[index].title} stands by."
    )


def _pull_house(plan: ShowPlan, state: State, args: dict[str, Any], heard: int) -> tuple[State, Outcome]:
    return state._replace(house_pulled=True), Outcome(True, "pull_house", "The house is pulled; click and cues go on.")


def _bring_back(plan: ShowPlan, state: State, args: dict[str, Any], heard: int) -> tuple[State, Outcome]:
    return state._replace(house_pulled=False), Outcome(True, "bring_back", "The house is back.")


def _fallback(plan: ShowPlan, state: State, args: dict[str, Any], heard: int) -> tuple[State, Outcome]:
    on = bool(args.get("on", True))
    said = "The full mix plays in place of the stems." if on else "The stems play again."
    return state._replace(fallback=on), Outcome(True, "fallback", said)


_PRESSES = {
    "go": _go,
    "stop": _stop,
    "resume": _resume,
    "go_to": _go_to,
    "once_more": _once_more,
    "release": _release,
    "take_back": _take_back,
    "stand_by": _stand_by,
    "pull_house": _pull_house,
    "bring_back": _bring_back,
    "fallback": _fallback,
}
PRESSES = tuple(_PRESSES)


# --- calls -------------------------------------------------------------------------------


def _plan_call(plan: ShowPlan, state: State, keep: tuple[Spoken, ...], now: int | None = None) -> State:
    """Place the words before the coming seam anew; words already begun are finished (rule Q3).

    ``now``: no word may begin before it. It does not hang on how many frames are rendered at a
    time, so that an offline bounce says what the engine says.
    """
    now = state.head if now is None else now
    run = state.run
    if run is None:
        return state._replace(call=())
    begun = tuple(w for w in state.call if w.start < now)
    counting = tuple(w for w in state.call if w.beat < run.out_start and w.start >= now)
    kept = keep or (*begun, *counting)
    words = _call_words(plan, state, run, kept, now)
    free = _free_cues(plan, state, run, (*kept, *words), now)
    return state._replace(call=(*kept, *words, *free))


def _call_words(plan: ShowPlan, state: State, run: Run, kept: tuple[Spoken, ...], now: int) -> tuple[Spoken, ...]:
    target = _called(plan, state, run)
    if target is None:
        return ()
    coming, seam = target
    entry = plan.entries[run.entry]
    beats = _beats_before(entry, _step(plan, run), run, seam)
    earliest = max([now, *(w.end for w in kept)])
    top = _last_bar_start(entry, run, seam)
    lead = _lead_beat(entry, run, seam, coming.lead)
    return place_call(
        coming.spoken,
        [b for b in beats if b >= top],
        [b for b in beats if b < top],
        seam,
        plan.words,
        earliest,
        plan.counts,
        lead,
    )


def _free_cues(plan: ShowPlan, state: State, run: Run, said: tuple[Spoken, ...], now: int) -> tuple[Spoken, ...]:
    """The free cues of a run that nothing else is said over (rule Q4).

    A word that is heard on the first beat of what comes next begins before the seam, so it is said from here.
    """
    seam = _seam(plan, state, run)
    places = [(_out(run, frame), text) for frame, text in _step(plan, run).cues if frame >= run.src_start]
    following = state.next_up.step if state.next_up is not None else (successor(plan, run) or (None,))[0]
    wanted = [(beat, text) for beat, text in places if beat < seam]
    if following is not None:
        entry = plan.entries[run.entry]
        to = entry.steps[following]
        coming = [(seam + frame - to.src_start, text) for frame, text in to.cues if text in plan.words]
        wanted += [(beat, text) for beat, text in coming if beat - plan.words[text][0].onset < seam]
    return place_free(wanted, said, plan.words, now)


def _called(plan: ShowPlan, state: State, run: Run) -> tuple[StepPlan, int] | None:
    """The coming step and its seam, None where nothing is called."""
    target = _coming_step(plan, state, run)
    return target if target is not None and target[0].called else None


def _coming_step(plan: ShowPlan, state: State, run: Run) -> tuple[StepPlan, int] | None:
    entry = plan.entries[run.entry]
    if state.next_up is not None:
        if state.next_up.when == "at_once" or not entry.calls:
            return None
        return entry.steps[state.next_up.step], state.next_up.seam
    following = successor(plan, run)
    if following is None:
        after = run.entry + 1
        if entry.link.kind == "attacca" and after < len(plan.entries) and plan.entries[after].calls:
            first = plan.entries[after].playable[0]
            return plan.entries[after].steps[first], natural_end(plan, run)
        return None
    if not entry.calls or (_step(plan, run).ending.kind == "vamp" and following[0] == run.step):
        return None
    return entry.steps[following[0]], natural_end(plan, run)


def _beats_before(entry: EntryPlan, step: StepPlan, run: Run, seam: int) -> list[int]:
    """Counted beats of the run before a seam, as output frames."""
    last = min(entry.bar_at(run.src_start + seam - run.out_start - 1), step.first_bar + step.bars - 1)
    first = max(entry.bar_at(run.src_start), last - 2)
    frames = entry.counts(first, last - first + 1)
    return [_out(run, int(f)) for f in frames if run.out_start <= _out(run, int(f)) < seam]


def _lead_beat(entry: EntryPlan, run: Run, seam: int, bars: int) -> int | None:
    """The first beat of the bar that is ``bars`` before a seam, where the run has that bar; None for the last bar itself."""
    first = entry.bar_at(run.src_start + seam - run.out_start - 1) - bars + 1
    at = _out(run, int(entry.bar_frames[first - 1])) if first >= 1 else None
    return at if bars > 1 and at is not None and at >= run.out_start else None


def _last_bar_start(entry: EntryPlan, run: Run, seam: int) -> int:
    bar = entry.bar_at(run.src_start + seam - run.out_start - 1)
    return _out(run, int(entry.bar_frames[max(0, bar - 1)]))


# --- time goes on ------------------------------------------------------------------------


def advance(plan: ShowPlan, state: State, frames: int) -> tuple[State, Span]:
    """Render the next ``frames`` output frames on paper: what sounds, clicks and is said in them."""
    start, end = state.head, state.head + frames
    events: list[dict[str, Any]] = []
    while state.run is not None:
        changed = _commit(plan, state, end, events)
        if changed is state:
            break
        state = changed
    runs = (*state.past, state.run) if state.run is not None else state.past
    slices = tuple(s for r in runs for s in _slices(plan, r, start, end))
    clicks = tuple(sorted(c for r in runs for c in _clicks(plan, state, r, start, end)))
    clicks += tuple(c for c in state.count_in if start <= c[0] < end)
    words = tuple(w for w in state.call if start <= w.start < end)
    for r in runs:
        events += _bar_events(plan, r, start, end)
    past = tuple(r for r in state.past if _heard_to(r) > end)
    count_in = tuple(c for c in state.count_in if c[0] >= end)
    call = tuple(w for w in state.call if w.end > end)
    span = Span(
        start, end, slices, clicks, words, tuple(events), state.entry, state.house_pulled, state.fallback, state.silence
    )
    return state._replace(head=end, past=past, count_in=count_in, call=call, silence=None), span


def _commit(plan: ShowPlan, state: State, end: int, events: list[dict[str, Any]]) -> State:
    """If the coming seam has to be decided before output frame ``end``, decide it."""
    run = state.run
    assert run is not None
    entry = plan.entries[run.entry]
    seam = _seam(plan, state, run)
    if state.next_up is not None:
        following: tuple[int, int] | None = (state.next_up.step, 1)
    else:
        following = successor(plan, run)
    if following is None:
        return _commit_fine(plan, state, run, seam, end, events)
    step, round_ = following
    target = entry.steps[step]
    joined = (state.next_up is None and target.src_start == _step(plan, run).src_end) or (
        state.next_up is not None and run.src_start + seam - run.out_start == target.src_start
    )
    half = 0 if joined else entry.half
    if seam - half >= end:
        return state
    closed = replace(run, out_end=seam, out_half=half, ring=0 if joined else entry.ring)
    closed = replace(closed, heard_to=seam + (0 if joined else max(half, entry.ring)))
    opened = Run(state.runs, run.entry, step, round_, seam, target.src_start, half=half, joined=joined)
    if not joined or state.next_up is not None:
        asked = state.next_up.kind if state.next_up else "round"
        events.append(
            {
                "frame": seam,
                "kind": "jump",
                "why": asked,
                "entry": run.entry,
                "step": step,
                "round": round_,
                "src_from": run.src_start + seam - run.out_start,
                "src_to": target.src_start,
            }
        )
    moved = state._replace(run=opened, past=(*state.past, closed), next_up=None, runs=state.runs + 1)
    return _plan_call(
        plan, moved, keep=tuple(w for w in state.call if w.beat < seam or w.start < seam - half), now=seam - half
    )


def _commit_fine(plan: ShowPlan, state: State, run: Run, seam: int, end: int, events: list[dict[str, Any]]) -> State:
    entry, after = plan.entries[run.entry], run.entry + 1
    more = after < len(plan.entries)
    fade = round(FADE_S * plan.sample_rate)
    following = plan.entries[after] if more else None
    early = following.lead + fade if following and entry.link.kind == "attacca" else 0
    if max(seam - early, state.head) >= end:
        return state
    # After the last bar of the song the recording rings on to its end; elsewhere it is faded at the seam.
    whole = _step(plan, run).src_end == int(entry.bar_frames[-1])
    closed = replace(run, out_end=seam, out_half=0, ring=0 if whole else max(fade, entry.ring))
    closed = replace(closed, heard_to=max(seam, _out(run, entry.audio_end)) if whole else seam + max(fade, entry.ring))
    events.append({"frame": seam, "kind": "end", "entry": run.entry})
    ended = state._replace(
        run=None, past=(*state.past, closed), next_up=None, entry=after if more else run.entry, finished=not more
    )
    if not following or entry.link.kind == "wait":
        return ended
    first = following.playable[0]
    events.append({"frame": seam, "kind": "link", "link": entry.link.kind, "entry": after})
    if entry.link.kind == "attacca":
        return _start(plan, ended, after, first, None, seam)
    pause = round(entry.link.seconds * plan.sample_rate)
    later = _start(plan, ended._replace(head=seam + pause), after, first, None)
    return later._replace(head=state.head)


def _heard_to(run: Run) -> int:
    return run.heard_to if run.heard_to is not None else 1 << 62


def _slices(plan: ShowPlan, run: Run, start: int, end: int) -> list[Slice]:
    fade = round(FADE_S * plan.sample_rate)
    begins = run.out_start - (run.lead + fade if run.fresh else run.half)
    a, b = max(start, begins), min(end, _heard_to(run))
    if a >= b:
        return []
    fades = []
    if run.fresh and a < begins + fade:
        fades.append(Fade(begins, fade, True))
    elif run.half and a < run.out_start + run.half:
        fades.append(Fade(run.out_start - run.half, 2 * run.half, True))
    if run.out_end is not None and (run.out_half or run.ring):
        fades.append(Fade(run.out_end - run.out_half, run.out_half + max(run.out_half, run.ring), False))
    return [
        Slice(
            run.id,
            run.joined,
            run.entry,
            run.step,
            a,
            run.src_start + a - run.out_start,
            b - a,
            tuple(fades),
            run.fresh,
        )
    ]


def _clicks(plan: ShowPlan, state: State, run: Run, start: int, end: int) -> list[tuple[int, int, int]]:
    entry, step = plan.entries[run.entry], _step(plan, run)
    limit = run.out_end if run.out_end is not None else _seam(plan, state, run)
    # Clicks are those of the run's own bars, so that a seam's downbeat belongs to the side it opens.
    limit = min(limit, _out(run, step.src_end))
    a, b = max(start, run.out_start), min(end, limit)
    if a >= b:
        return []
    shift = run.out_start - run.src_start
    first, last = bisect_left(entry.click_list, a - shift), bisect_left(entry.click_list, b - shift)
    return [(entry.click_list[i] + shift, int(entry.click_voices[i]), run.entry) for i in range(first, last)]


def _bar_events(plan: ShowPlan, run: Run, start: int, end: int) -> list[dict[str, Any]]:
    entry = plan.entries[run.entry]
    a, b = max(start, run.out_start), min(end, run.out_end if run.out_end is not None else end)
    if a >= b:
        return []
    shift = run.out_start - run.src_start
    first, last = bisect_left(entry.bar_list, a - shift), bisect_left(entry.bar_list, b - shift)
    return [
        {
            "frame": entry.bar_list[i] + shift,
            "kind": "bar",
            "entry": run.entry,
            "step": run.step,
            "round": run.round,
            "bar": int(i) + 1,
        }
        for i in range(first, min(last, entry.bars))
    ]


# --- what the stage shows ----------------------------------------------------------------


def position(plan: ShowPlan, state: State, frame: int) -> dict[str, Any]:
    """Where output frame ``frame`` stands in the music, for the stage and for stop.

    ``bar`` and ``beat`` count from 1; ``phase`` is how far the beat has gone, 0 to 1;
    in a count-in ``bar`` is 0 or below and ``counting`` is true.
    """
    candidates = [r for r in (*state.past, state.run) if r is not None]
    run = next((r for r in reversed(candidates) if r.out_start <= frame), candidates[-1] if candidates else None)
    if run is None or (state.run is None and state.place is not None):
        place = state.place
        if place is not None:
            return {
                "entry": place.entry,
                "step": place.step,
                "round": 1,
                "bar": place.bar,
                "beat": 1,
                "phase": 0.0,
                "counting": False,
            }
        return {"entry": state.entry, "step": 0, "round": 1, "bar": 1, "beat": 1, "phase": 0.0, "counting": False}
    entry, step = plan.entries[run.entry], _step(plan, run)
    base = {"entry": run.entry, "step": run.step, "round": run.round}
    if frame < run.out_start:
        return {**base, **_counting(plan, run, frame)}
    src = run.src_start + frame - run.out_start
    bar = min(entry.bar_at(src), step.first_bar + step.bars - 1)
    beats = entry.counts(bar, 1)
    i = max(0, int(np.searchsorted(beats, src, side="right")) - 1)
    following = int(beats[i + 1]) if i + 1 < len(beats) else int(entry.bar_frames[bar])
    phase = (src - int(beats[i])) / max(1, following - int(beats[i]))
    return {**base, "bar": bar, "beat": i + 1, "beats": len(beats), "phase": min(1.0, phase), "counting": False}


def _counting(plan: ShowPlan, run: Run, frame: int) -> dict[str, Any]:
    entry, step = plan.entries[run.entry], _step(plan, run)
    bar = entry.bar_at(run.src_start)
    beats = entry.counts(bar, 1)
    bar_start, bar_end = int(entry.bar_frames[bar - 1]), int(entry.bar_frames[bar])
    length = bar_end - bar_start
    left = run.out_start - frame
    back = -(-left // length)
    into = bar_start + back * length - left
    i = max(0, int(np.searchsorted(beats, into, side="right")) - 1)
    following = int(beats[i + 1]) if i + 1 < len(beats) else bar_end
    phase = (into - int(beats[i])) / max(1, following - int(beats[i]))
    return {
        "bar": step.first_bar if back == 0 else 1 - back,
        "beat": i + 1,
        "beats": len(beats),
        "phase": max(0.0, min(1.0, phase)),
        "counting": True,
    }


def coming(plan: ShowPlan, state: State) -> dict[str, Any] | None:
    """What comes after the current step, pressed for or not, and where."""
    run = state.run
    if run is None:
        return None
    if state.next_up is not None:
        n = state.next_up
        return {"step": n.step, "frame": n.seam, "bar": n.bar, "asked": n.kind, "when": n.when}
    following = successor(plan, run)
    seam = natural_end(plan, run)
    step = _step(plan, run)
    return {
        "step": following[0] if following else None,
        "frame": seam,
        "bar": step.first_bar + step.bars,
        "asked": None,
        "when": "section_end",
    }


def landings(plan: ShowPlan, state: State) -> dict[str, int]:
    """For each *when*, the bar that a jump asked for now would leave at; empty while nothing plays."""
    run = state.run
    if run is None:
        return {}
    half = plan.entries[run.entry].half
    return {when: _landing(plan, run, when, state.head, half)[1] for when in WHENS}


__all__ = [
    "ACCENT",
    "BEAT",
    "COUNT_IN",
    "PRESSES",
    "WHENS",
    "Outcome",
    "Slice",
    "Span",
    "Spoken",
    "State",
    "advance",
    "coming",
    "landings",
    "position",
    "press",
]
