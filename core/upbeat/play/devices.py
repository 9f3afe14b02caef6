"""What devices are sent next, and which of the song's programs they have, for pages and for presses."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TypedDict

from upbeat.messages.held import Outgoing
from upbeat.messages.programs import come_to
from upbeat.messages.wire import kind_of, short
from upbeat.play.plan import EntryPlan, ShowPlan
from upbeat.play.runs import successor
from upbeat.play.state import Run, State
from upbeat.play.view import run_at

MESSAGES_AHEAD = 3  # of each device


class MessageComing(TypedDict):
    """A message that comes at a bar, from 1: its kind, its name where it has one, and what it sends in short."""

    bar: int
    message: str
    name: str
    data: str


class DeviceAhead(TypedDict):
    """What a device gets next, and which of its ``programs`` it has (0: none yet)."""

    device: str
    coming: list[MessageComing]
    program: int
    programs: int


def program_now(plan: ShowPlan, state: State, device: str, frame: int) -> int:
    """Which program of its list a device has at an output frame, from 0: by hand, or where the song is; -1 before the first."""
    music = state.music
    run = run_at(music, frame)
    entry = music.entry if run is None else run.entry
    by_hand = next((p for p in state.messages.stepped if p.device == device and p.entry == entry), None)
    if by_hand is not None:
        return by_hand.at
    if run is not None:
        where = (run.step, run.round, run.src(frame)) if frame >= run.out_start else (-1, 0, 0)
    elif music.place is not None:
        where = (music.place.step, 1, int(plan.entries[entry].bar_frames[music.place.bar - 1]))
    else:
        return -1
    return come_to(plan.entries[entry].programs.get(device, ()), where)


def devices_ahead(plan: ShowPlan, state: State, frame: int) -> list[DeviceAhead]:
    """What each device that the song sends to gets next, and which of its programs it has."""
    if not plan.devices or not plan.entries:
        return []
    run = run_at(state.music, frame)
    entry = plan.entries[state.music.entry if run is None else run.entry]
    following = _following(plan, state, entry, run, frame)
    return [
        DeviceAhead(
            device=device,
            coming=following.get(device, []),
            program=program_now(plan, state, device, frame) + 1,
            programs=len(entry.programs.get(device, ())),
        )
        for device in plan.devices
        if device in following or device in entry.programs
    ]


def _following(
    plan: ShowPlan, state: State, entry: EntryPlan, run: Run | None, frame: int
) -> dict[str, list[MessageComing]]:
    """The messages of each device that come next, :data:`MESSAGES_AHEAD` at most: of this pass, then of the one that follows."""
    found: dict[str, list[MessageComing]] = {}

    def take(outs: Iterable[tuple[int, Outgoing]]) -> None:
        for src, out in outs:
            listed = found.setdefault(out.device, [])
            if len(listed) < MESSAGES_AHEAD:
                listed.append(_message_coming(entry, src, out))

    if run is None:
        at = state.music.place
        first = entry.playable[0] if at is None else at.step
        src = entry.steps[first].src_start if at is None else int(entry.bar_frames[at.bar - 1])
        take((src, out) for out in (entry.score.start if at is None else ()))
        if entry.score:
            take(entry.score.pass_of(first, 1).between(src, entry.steps[first].src_end))
        return found
    if not entry.score:
        return found
    own = entry.score.pass_of(run.step, run.round)
    src = max(run.src_start, run.src(frame))
    take(own.between(src, entry.steps[run.step].src_end if run.out_end is None else run.src(run.out_end)))
    after = successor(plan, state.music, run) if run is state.music.run else None
    if state.music.next_up is not None:
        after = (state.music.next_up.step, 1)
    if after is not None:
        step = entry.steps[after[0]]
        take(entry.score.pass_of(*after).between(step.src_start, step.src_end))
    return found


def _message_coming(entry: EntryPlan, src: int, out: Outgoing) -> MessageComing:
    return MessageComing(bar=max(1, entry.bar_at(src)), message=kind_of(out), name=out.name, data=short(out))
