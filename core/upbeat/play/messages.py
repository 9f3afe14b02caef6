"""Messages to devices while time goes on: what is due, and what brings every device to where the music jumps (rules S2, S3)."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field

from upbeat.messages.held import Held, Outgoing, after, at_rest, key_of, missing, over
from upbeat.messages.kinds import Clock, Note
from upbeat.messages.wire import CONTINUE, START, STOP, TICK, position_bytes
from upbeat.play.events import EntryEnd, Event, Message, NoteOff, Why
from upbeat.play.plan import EntryPlan, ShowPlan
from upbeat.play.runs import natural_end
from upbeat.play.state import Messages, Music, Ringing, Run, Stepped
from upbeat.play.timecode import Coded, position_zero, timecode
from upbeat.play.tracks import mapped


def gone_on(
    plan: ShowPlan, before: Messages, music: Music, decided: Sequence[Event], start: int, end: int
) -> tuple[Messages, tuple[Event, ...]]:
    """What goes out in output frames ``start`` to ``end``, in order, and what rings on after it.

    ``music``: as it is once every seam of these frames is ``decided``. A jump ends what rings, and brings every
    device to what holds where it goes, at the frame at which the new place begins to sound.
    """
    if not plan.sends:
        return before, ()
    runs = [r for r in (*music.past, music.run) if r is not None]
    due = _messages(before.asked, start, music.entry, "press")
    due += _ends(plan, runs, decided)
    cuts: list[int] = []
    zero = before.zero
    for i, run in enumerate(runs):
        following = runs[i + 1] if i + 1 < len(runs) else None
        cut = _cut(run, following)
        if cut is not None and start <= cut < end:
            cuts.append(cut)
        if run.id >= before.runs:
            before = _begun(plan, before, run, due)
            due += _chase(plan, runs[i - 1] if i else None, run, start, before)
            if run.fresh:
                zero = position_zero(plan.entries[run.entry], run)
        until = end if cut is None else min(cut, end)
        due += _placed(plan, run, start, until)
        due += _timecode(plan, run, zero, start, until)
        if plan.clocks:
            due += _clock(plan, run, run.id >= before.runs, start, until)
            if cut is not None and start <= cut < end and (following is None or following.fresh):
                due += _clocked(plan, run, STOP, cut)
    due = _each_once(sorted(due, key=lambda m: m.frame))
    ringing, offs = _rung(before.ringing, due, cuts, end)
    events: list[Message | NoteOff] = sorted([*offs, *due], key=lambda e: (e.frame, isinstance(e, Message)))
    by_hand, stepped = _since(before, due)
    sent = before._replace(runs=music.runs, ringing=ringing, zero=zero, asked=(), by_hand=by_hand, stepped=stepped)
    return sent._replace(last=_last(before.last, due)), tuple(events)


def _ends(plan: ShowPlan, runs: Sequence[Run], decided: Sequence[Event]) -> Iterator[Message]:
    """What goes out where songs end: where another one follows at once, as soon as that begins to sound."""
    for event in decided:
        if isinstance(event, EntryEnd):
            entry = plan.entries[event.entry]
            goes_on = any(r.entry != event.entry and r.out_start == event.frame for r in runs)
            at = event.frame - entry.half if goes_on else event.frame
            yield from _messages(entry.score.end, at, event.entry, "place")


def _begun(plan: ShowPlan, before: Messages, run: Run, due: Iterable[Message]) -> Messages:
    """With what the devices were sent before the song of a run began, where it is another one; ``due``: what is sent until then."""
    own = plan.entries[run.entry]
    song = own.id if own.of is None else plan.entries[own.of].id
    if song == before.song:
        return before
    return before._replace(before=_last(before.last, sorted(due, key=lambda m: m.frame)), song=song)


def _last(last: tuple[Outgoing, ...], due: Sequence[Message]) -> tuple[Outgoing, ...]:
    if not any(m.out.holds for m in due):
        return last
    held: Held = {key_of(out): out for out in last}
    for message in due:
        held = after(held, message.out)
    return tuple(held.values())


def _from_before(entry: EntryPlan, before: Messages) -> Held:
    """Of everything that a song sets somewhere, what holds where it has not set it yet: as it was when the song began."""
    known = {key_of(out): out for out in before.before}
    found = {key_of(out): known.get(key_of(out)) or at_rest(out) for out in entry.score.sets}
    return {key: out for key, out in found.items() if out is not None}


def _since(before: Messages, due: Sequence[Message]) -> tuple[tuple[Outgoing, ...], tuple[Stepped, ...]]:
    """What is other than the song set it last, and the programs by hand, once more messages have gone out."""
    if not due or not (before.by_hand or before.asked or before.stepped):
        return before.by_hand, before.stepped
    own = {key_of(m.out) for m in due if m.why in ("place", "chase")}
    by_hand: Held = {}
    for out in (*before.by_hand, *before.asked):
        by_hand = after(by_hand, out)
    left = tuple(out for key, out in by_hand.items() if key not in own)
    return left, tuple(p for p in before.stepped if (p.device, "program") not in own)


def _cut(run: Run, following: Run | None) -> int | None:
    """The output frame from which on a run sends nothing more and nothing of it rings; None where it goes on."""
    if following is not None and following.joined:
        return None
    return (
        None if run.out_end is None else run.out_end - (0 if following is None or following.fresh else following.half)
    )


def _chase(plan: ShowPlan, left: Run | None, run: Run, start: int, before: Messages) -> list[Message]:
    """What brings the devices to where a run begins, at the first frame of it that is heard."""
    entry = plan.entries[run.entry]
    if not entry.score:
        return []
    rest = _from_before(entry, before)
    if run.fresh and _at_top(entry, run) and run.out_start >= start:
        # What its own start sets comes with its first frame.
        own = {key_of(out) for out in entry.score.start if out.holds}
        last = {key_of(out): out for out in before.last}
        undone = [out for out in missing(last, rest) if key_of(out) in last and key_of(out) not in own]
        return _messages(undone, start, run.entry, "chase")
    known: Held = {}
    at, src = start, run.src_start
    if run.out_start < start:  # its messages have come while it plays
        src = run.src(start)
    elif not run.fresh:
        at = max(start, run.out_start - run.half)
        if left is not None and left.entry == run.entry and at > left.out_start:
            known = over(rest, _held_at(entry, left, left.src(at)))
            for out in before.by_hand:  # on top of what the place that is left had set
                known = after(known, out)
    return _messages(missing(known, over(rest, _held_at(entry, run, src))), at, run.entry, "chase")


def _held_at(entry: EntryPlan, run: Run, src: int) -> Held:
    return entry.score.pass_of(run.step, run.round).held_at(src)


def _at_top(entry: EntryPlan, run: Run) -> bool:
    return run.step == entry.playable[0] and run.src_start == entry.steps[run.step].src_start


def _placed(plan: ShowPlan, run: Run, start: int, end: int) -> Iterator[Message]:
    """What stands at places that a run plays."""
    entry = plan.entries[run.entry]
    over = natural_end(plan, run) if run.out_end is None else min(run.out_end, natural_end(plan, run))
    a, b = max(start, run.out_start), min(end, over)
    if not entry.score or a >= b:
        return
    if run.fresh and _at_top(entry, run) and a == run.out_start:
        yield from _messages(entry.score.start, a, run.entry, "place")
    for src, out in entry.score.pass_of(run.step, run.round).between(run.src(a), run.src(b)):
        yield from _messages([out], run.out(src), run.entry, "place")


def _clock(plan: ShowPlan, run: Run, is_new: bool, start: int, end: int) -> Iterator[Message]:
    """Ticks of a run, and what says where it begins: song position at once, start or continue on its first frame.

    The position of a jump is said once the clock has stopped (MIDI 1.0, song position pointer).
    """
    entry = plan.entries[run.entry]
    top = run.fresh and _at_top(entry, run)
    if is_new and not run.joined and not top:
        said = start if run.fresh or run.out_start < start else max(start, run.out_start - run.half)
        src = max(run.src_start, run.src(said))
        tick = bisect_left(entry.ticks.frames, src)
        yield from _clocked(plan, run, STOP, said)
        yield from _clocked(plan, run, position_bytes(tick), said)
        if run.out_start < start:
            yield from _clocked(plan, run, CONTINUE, said)
    if not run.joined and start <= run.out_start < end:
        yield from _clocked(plan, run, START if top else CONTINUE, run.out_start)
    over = natural_end(plan, run) if run.out_end is None else min(run.out_end, natural_end(plan, run))
    for frame, _ in mapped(entry.ticks, run, max(start, run.out_start), min(end, over)):
        yield from _clocked(plan, run, TICK, frame)


def _timecode(plan: ShowPlan, run: Run, zero: int, start: int, end: int) -> Iterator[Message]:
    """Timecode of a run, from bar 1 on; ``zero``: where that of devices lies that run on."""
    entry = plan.entries[run.entry]
    over = natural_end(plan, run) if run.out_end is None else min(run.out_end, natural_end(plan, run))
    span = max(start, run.out_start), min(end, over)
    for device in (d for d in plan.timecodes if d.socket is None and span[0] < span[1]):
        own = zero if device.runs_on else position_zero(entry, run)
        goes_on = run.joined or (device.runs_on and not run.fresh)
        begins = None if goes_on else run.out_start
        for due in timecode(device, entry.timecode, own, span, plan.sample_rate, begins=begins):
            out = Outgoing(device.device, 1, Clock(due.data), False)
            yield Message(frame=due.frame, entry=run.entry, out=out, why="clock")


def coded(plan: ShowPlan, before: Messages, music: Music, start: int, end: int) -> tuple[Coded, ...]:
    """Where timecode sounds in output frames ``start`` to ``end``; nowhere where no device hears it. Arguments as of :func:`gone_on`."""
    if all(d.socket is None for d in plan.timecodes):
        return ()
    found, zero = list[Coded](), before.zero
    for run in (r for r in (*music.past, music.run) if r is not None):
        own = position_zero(plan.entries[run.entry], run)
        zero = own if run.fresh and run.id >= before.runs else zero
        over = natural_end(plan, run) if run.out_end is None else min(run.out_end, natural_end(plan, run))
        a, b = max(start, run.out_start), min(end, over)
        if a < b:
            found.append(Coded(run.entry, a, b, own, zero))
    return tuple(found)


def _clocked(plan: ShowPlan, run: Run, data: tuple[int, ...], frame: int) -> list[Message]:
    outs = (Outgoing(device, 1, Clock(data), False) for device in plan.clocks)
    return _messages(outs, frame, run.entry, "clock")


def _messages(sent: Iterable[Outgoing], frame: int, entry: int, why: Why) -> list[Message]:
    return [Message(frame=frame, entry=entry, out=out, why=why) for out in sent]


def _each_once(due: Sequence[Message]) -> list[Message]:
    """Messages with each note that is struck twice at once struck once: the last of those that hold, else the last."""
    kept: dict[tuple[object, ...], Message] = {}
    for message in due:
        struck = _struck(message)
        if struck in kept and kept[struck].out.holds and not message.out.holds:
            continue
        kept.pop(struck, None)
        kept[struck] = message
    return list(kept.values())


def _struck(message: Message) -> tuple[object, ...]:
    out = message.out
    if isinstance(out.send, Note):
        return message.frame, out.device, out.channel, out.send.note
    return (id(message),)


def _rung(
    ringing: tuple[Ringing, ...], due: Sequence[Message], cuts: Sequence[int], end: int
) -> tuple[tuple[Ringing, ...], list[NoteOff]]:
    """What rings on after output frame ``end``, and the notes that end until then."""
    notes = _Notes(list(ringing))
    points: list[tuple[int, Message | None]] = [(cut, None) for cut in cuts]
    points += [(m.frame, m) for m in due if isinstance(m.out.send, Note)]
    for frame, message in sorted(points, key=lambda p: (p[0], p[1] is not None)):
        notes.over(frame)
        if message is None:
            notes.end(list(notes.ringing), frame, "chase")
        elif isinstance(message.out.send, Note):
            out, note = message.out, message.out.send.note
            same = [r for r in notes.ringing if (r.device, r.channel, r.note) == (out.device, out.channel, note)]
            notes.end(same, frame)
            notes.ringing.append(Ringing(out.device, out.channel, note, frame + max(1, out.frames)))
    notes.over(end - 1)
    return tuple(notes.ringing), notes.offs


@dataclass
class _Notes:
    """Notes that ring, and those that have ended."""

    ringing: list[Ringing]
    offs: list[NoteOff] = field(default_factory=list)

    def over(self, frame: int) -> None:
        """End what is over at a frame by itself."""
        for one in [r for r in self.ringing if r.off <= frame]:
            self.end([one], one.off)

    def end(self, ended: Iterable[Ringing], frame: int, why: Why = "place") -> None:
        for one in ended:
            self.offs.append(NoteOff(frame=frame, device=one.device, channel=one.channel, note=one.note, why=why))
            self.ringing.remove(one)
