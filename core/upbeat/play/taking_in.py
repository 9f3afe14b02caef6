"""A changed show takes the place of the loaded one, on paper (rule P8): what sounds stays as it is.

Entries that sound are kept behind those of the changed show, and give way to their successors once they are over.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

from upbeat.play import calls, line_check
from upbeat.play.hand import Hand
from upbeat.play.plan import EntryPlan, ShowPlan, StepPlan
from upbeat.play.runs import as_listed, start_fade, tonights_order
from upbeat.play.state import After, HandEnding, Music, Place, Round, Run, Speech, State, Tonight
from upbeat.song.song import Song
from upbeat.song.stems import Stem

#: Settings of a stem that are taken in while it sounds; all else of it waits until its entry is over.
LEVELS = ("gain_db", "pan", "invert", "muted", "purpose", "covers", "flip_side", "mono", "width", "tacet", "levels")


def sounding(state: State) -> tuple[int, ...]:
    """The entries that sound, ring or are counted in, in order."""
    music = state.music
    runs = (*music.past, music.run, music.left if music.run is not None else None)
    return tuple(sorted({r.entry for r in runs if r is not None}))


# --- entries that sound on -----------------------------------------------------------------


def kept_entry(entry: EntryPlan, plan: ShowPlan) -> EntryPlan:
    """An entry of a show before, to sound on beside the entries of ``plan``: with the levels that it has there."""
    at = index_of(plan, entry.id)
    if at is None:
        return replace(entry, of=None, kept=True)
    now = plan.entries[at]
    song = levelled(entry.song, now.song)
    steps = tuple(_levelled_step(step, entry.song, song) for step in entry.steps)
    return replace(entry, song=song, steps=steps, link=now.link, of=plan.own(at), kept=True)


def levelled(song: Song, now: Song) -> Song:
    """A song as it was, with the levels of its stems as they are now."""
    stems = {s.id: s for s in now.stems}
    return replace(song, stems=tuple(_levelled(s, stems.get(s.id)) for s in song.stems), gain_db=now.gain_db)


def _levelled(stem: Stem, now: Stem | None) -> Stem:
    return stem if now is None else replace(stem, **{name: getattr(now, name) for name in LEVELS})


def _levelled_step(step: StepPlan, before: Song, now: Song) -> StepPlan:
    own = {s.id for s in before.stems if step.section in s.tacet}
    return replace(
        step,
        tacet=(step.tacet - own) | {s.id for s in now.stems if step.section in s.tacet},
        levels=tuple((s.id, s.levels[step.section]) for s in now.stems if s.levels.get(step.section)),
    )


def index_of(plan: ShowPlan, entry_id: str) -> int | None:
    """The entry of a plan that an entry of another one is, in its form, else in the form that is listed."""
    ids = {e.id: i for i, e in enumerate(plan.entries) if not e.kept}
    return ids.get(entry_id, ids.get(entry_id.split(":")[0]))


def with_kept(plan: ShowPlan, kept: Sequence[EntryPlan]) -> ShowPlan:
    """A plan with entries behind it that sound on."""
    return replace(plan, entries=(*plan.entries, *(kept_entry(e, plan) for e in kept)))


# --- the state -----------------------------------------------------------------------------


@dataclass(frozen=True)
class _Places:
    """Where entries of the plan before are: ``of_sounding`` those that sound, ``listed`` all that there still are."""

    before: ShowPlan
    plan: ShowPlan
    of_sounding: Mapping[int, int]

    def listed(self, entry: int) -> int | None:
        """The entry that it is from its next time on: one that sounds and is not listed any more sounds on."""
        at = index_of(self.plan, self.before.entries[entry].id)
        if at is None:
            own = self.before.own(entry)
            at = next((now for was, now in self.of_sounding.items() if self.before.own(was) == own), None)
        return at

    def run(self, run: Run) -> Run:
        return replace(run, entry=self.of_sounding[run.entry])


def taken_in(
    before: ShowPlan,
    plan: ShowPlan,
    state: State,
    *,
    relevelled: Collection[str] = (),
    renamed_sounds: Mapping[str, str] | None = None,
) -> State:
    """A state of the plan ``before`` as one of ``plan``, which has the entries that sound behind its own.

    ``relevelled``: parts whose prepared level was changed, so that their level by hand is over;
    ``renamed_sounds``: sounds by hand that ring as they were, by the id they ring under.
    """
    used = sounding(state)
    first = len(plan.entries) - len(used)
    places = _Places(before, plan, {e: first + i for i, e in enumerate(used)})
    names = renamed_sounds or {}
    music = _music(places, state.music)
    clicks = tuple(replace(c, entry=places.of_sounding[c.entry]) for c in state.speech.count_in)
    changed = state._replace(
        music=music,
        speech=state.speech._replace(count_in=clicks),
        hand=_hand(plan, state.hand, relevelled, names),
        shots=tuple(s._replace(sound=names.get(s.sound, s.sound)) for s in state.shots),
        line=line_check.within(state.line, {s.number: s for s in plan.sockets}, state.head, start_fade(plan)),
    )
    return changed._replace(speech=_speech(before, plan, changed))


def _music(places: _Places, music: Music) -> Music:
    tonight = _tonight(places, music)
    run, past = music.run and places.run(music.run), tuple(map(places.run, music.past))
    left = places.run(music.left) if music.left is not None and run is not None else None
    changed = music._replace(run=run, past=past, left=left, tonight=tonight, round=_round(places, music))
    if run is not None:
        return changed._replace(entry=run.entry)
    if music.place is not None:
        entry = places.listed(music.place.entry)
        place = None if entry is None else place_in(places.before, places.plan, music.place, entry)
        return changed._replace(entry=_standing_by(places, music), place=place)
    return changed._replace(entry=_standing_by(places, music))


def _standing_by(places: _Places, music: Music) -> int:
    """The entry that stands by: the next one that is still there where it is not any more."""
    order = tonights_order(places.before, music)
    at = order.index(music.entry) if music.entry in order else 0
    found = (places.listed(e) for e in (music.entry, *order[at:]))
    return next((i for i in found if i is not None), 0)


def place_in(before: ShowPlan, plan: ShowPlan, place: Place, entry: int) -> Place | None:
    """A place in the entry that it is now: the same bar of the same section; None where that is gone."""
    old, new = before.entries[place.entry], plan.entries[entry]
    step = step_in(old, new, place.step)
    if step is None:
        return None
    into = min(place.bar - old.steps[place.step].first_bar, new.steps[step].bars - 1)
    return Place(entry, step, new.steps[step].first_bar + max(0, into))


def step_in(old: EntryPlan, new: EntryPlan, step: int) -> int | None:
    """The step of the changed entry that a step is: of the same section, as often before it."""
    section = old.steps[step].section
    nth = sum(old.steps[i].section == section for i in old.playable if i < step)
    same = [i for i in new.playable if new.steps[i].section == section]
    return same[min(nth, len(same) - 1)] if same else None


def _round(places: _Places, music: Music) -> Round | None:
    bars = music.round
    if bars is None:
        return None
    entry = places.of_sounding.get(bars.entry, places.listed(bars.entry))
    if entry is None or bars.last > places.plan.entries[entry].bars:
        return None
    return bars._replace(entry=entry)


def _tonight(places: _Places, music: Music) -> Tonight:
    tonight, after = music.tonight, music.tonight.after
    following = None if after is None else places.listed(after.entry)
    return tonight._replace(
        endings=_endings(places, tonight.endings),
        order=_order(places, music),
        after=None if after is None or following is None else After(following, after.straight_on),
        played=tuple(dict.fromkeys(i for e in tonight.played if (i := places.listed(e)) is not None)),
    )


def _endings(places: _Places, endings: Sequence[HandEnding]) -> tuple[HandEnding, ...]:
    found: dict[tuple[int, int], HandEnding] = {}
    for one in endings:
        sounds, listed = places.of_sounding.get(one.entry), places.listed(one.entry)
        if sounds is not None:
            found[sounds, one.step] = one._replace(entry=sounds)
        if listed is not None and listed != sounds:
            step = step_in(places.before.entries[one.entry], places.plan.entries[listed], one.step)
            if step is not None:
                found[listed, step] = one._replace(entry=listed, step=step)
    return tuple(found.values())


def _order(places: _Places, music: Music) -> tuple[int, ...]:
    """Tonight's order: as it was changed on the spot, with what is new where it is listed."""
    plan, by_hand = places.plan, bool(music.tonight.order)
    before = [places.listed(e) for e in tonights_order(places.before, music)]
    order = [e for e in before if e is not None] if by_hand else list(plan.listed)
    for previous, one in pairwise([None, *(e for e in before if e is not None)]):
        assert one is not None
        if plan.entries[one].kept and one not in order:
            order.insert(_behind(order, previous, plan), one)
    for previous, one in pairwise([None, *plan.listed]):
        assert one is not None
        if one not in {plan.own(e) for e in order}:
            order.insert(_behind(order, previous, plan), one)
    return () if tuple(order) == plan.listed else tuple(order)


def _behind(order: Sequence[int], previous: int | None, plan: ShowPlan) -> int:
    owns = [plan.own(e) for e in order]
    return owns.index(plan.own(previous)) + 1 if previous is not None and plan.own(previous) in owns else 0


def _hand(plan: ShowPlan, hand: Hand, relevelled: Collection[str], names: Mapping[str, str]) -> Hand:
    """The mix by hand of the parts that there still are; what rings on under another name has it too."""
    for was, rings_as in names.items():
        part = hand.part(f"sound:{was}")
        if not part.as_prepared:
            hand = hand._replace(parts=(*hand.parts, part._replace(part=f"sound:{rings_as}")))
    parts = tuple(p._replace(db=0.0) if p.part in relevelled else p for p in hand.parts if p.part in plan.parts)
    alone = tuple(p for p in hand.alone if p in plan.parts)
    return hand._replace(
        parts=tuple(sorted((p for p in parts if not p.as_prepared), key=lambda p: p.part)),
        alone=alone,
        alone_in_house=hand.alone_in_house and bool(alone),
        moves=tuple(m for m in hand.moves if m.was.part in plan.parts and m.was.part not in relevelled),
        waiting=tuple(w for w in hand.waiting if w.part in plan.parts),
    )


def _speech(before: ShowPlan, plan: ShowPlan, state: State) -> Speech:
    """What is spoken: placed anew where a word that is to come is another one now."""
    speech = state.speech
    texts = {w.text for w in speech.words if w.start >= state.head}
    if all(before.words.get(t) == plan.words.get(t) for t in texts):
        return speech
    return calls.replaced(plan, state.music, speech, now=state.head)


def resumed_at(plan: ShowPlan, music: Music, place: Place) -> Place:
    """Where a song that is stopped goes on: in what it is now, where changes were taken in while it sounded."""
    now = as_listed(plan, music, place.entry)
    if now == place.entry or not plan.entries[place.entry].kept:
        return place
    return place_in(plan, plan, place, now) or place
