"""A renderer that starts while the night goes on is brought to where the music is (rule E3)."""

from __future__ import annotations

from typing import NamedTuple

import msgspec

from playout import order, shared
from playout.ahead import Ahead
from playout.loading import Loaded
from playout.session import Session, Start
from playout.shared import BLOCK, Shared
from upbeat.play.advance import passed
from upbeat.play.presses import press
from upbeat.play.state import State
from upbeat.show.bounce import MEMORY_S

STRIDE = 128 * BLOCK  # frames that are worked out on paper at once
OLD_S = 300.0  # how far a base lies back at the least: longer than any section that changes over beats


class Base(NamedTuple):
    """A state of the show that sounds, to begin from: at output frame ``frame``, after ``applied`` entries."""

    load: order.LoadEntry
    origin: int
    frame: int
    applied: int
    state: State


_decoder = msgspec.msgpack.Decoder(Base)


def newest_base(memory: Shared) -> Base | None:
    """The base of the show that sounds; None where no renderer has written one."""
    found = []
    for renderer in range(shared.RENDERERS):
        text = memory.text(renderer * shared.OWN_TEXTS + shared.SAVED)
        try:
            base = _decoder.decode(text) if text else None
        except msgspec.MsgspecError:
            base = None
        if base is not None and base.load.generation == memory.number(shared.PLAYING):
            found.append(base)
    return max(found, key=lambda b: b.frame, default=None)


def write_base(memory: Shared, index: int, base: Base) -> None:
    memory.set_text(index * shared.OWN_TEXTS + shared.SAVED, msgspec.msgpack.encode(base))


def join(ahead: Ahead, loaded: Loaded | None, base: Base | None) -> None:
    """Put a renderer to where the others are: its next frames are those that the device needs next.

    ``loaded``: the show that sounds, from whose ``base`` on everything is worked out anew: on paper up
    to as far back as a renderer remembers, then with its sound.
    """
    memory = ahead.memory
    ahead.start_reading()
    written = memory.number(shared.WRITTEN) * BLOCK
    if loaded is None or loaded.show is None or base is None:
        ahead.stand_at(written, None)
        return
    session = Session(loaded, base.origin)
    session.state = base.state
    points = [(base.frame, base.applied, base.state)]
    applied = base.applied
    while points[-1][0] < written - BLOCK:
        applied = _apply(ahead, session, applied)
        at = session.state.head + base.origin
        following = ahead.frame_of(applied)
        end = min(written - written % BLOCK, at + STRIDE, at + STRIDE if following is None else following)
        session.state = passed(session.ready.plan, session.state, end - at)
        points.append((end, applied, session.state))
    memory_frames = round(MEMORY_S * memory.sample_rate) + session.renderer.memory_frames
    frame, applied, session.state = _remembered(session, points, written - memory_frames)
    session.start = Start(base.frame, base.applied, base.state)
    ahead.stand_at(frame, session, applied)


def _remembered(session: Session, points: list[tuple[int, int, State]], frame: int) -> tuple[int, int, State]:
    """The last point from which all that is heard after ``frame`` can be made: what changes over beats is whole."""
    early = [p for p in points if p[0] <= frame] or points[:1]
    while len(early) > 1 and (begins := _begun(session, early[-1][2])) is not None:
        early = [p for p in early[:-1] if p[0] < begins] or early[:1]
    return early[-1]


def _begun(session: Session, state: State) -> int | None:
    """The output frame at which the first change over beats began that is under way in a state."""
    music, plan = state.music, session.ready.plan
    frames = [m.frame for m in state.hand.moves]
    for run in (r for r in (*music.past, music.run) if r is not None):
        fades = [length for _, length in plan.entries[run.entry].steps[run.step].fades]
        if fades and state.head < run.out_start + max(fades):
            frames.append(run.out_start - run.lead)
    return min(frames) + session.origin if frames else None


def _apply(ahead: Ahead, session: Session, applied: int) -> int:
    frame = session.state.head + session.origin
    while (entry := ahead.entry(applied)) is not None and entry.frame <= frame:
        if isinstance(entry.body, order.PressEntry):
            session.state, _ = press(
                session.ready.plan,
                session.state,
                entry.body.press,
                entry.body.args,
                max(0, entry.heard - session.origin),
            )
        applied += 1
    return applied
