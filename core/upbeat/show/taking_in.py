"""A changed show made ready to take the place of the loaded one (rule P8), with what sounds of that."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from upbeat.mix.render import Renderer
from upbeat.mix.stem_audio import EntryAudio, ShowAudio
from upbeat.play.plan import EntryPlan
from upbeat.play.state import State
from upbeat.play.taking_in import sounding, taken_in, with_kept
from upbeat.show.document import Show
from upbeat.show.ready import ReadyShow
from upbeat.song.hand_sounds import HandSound


@dataclass(frozen=True)
class KeptEntry:
    """Entry ``entry`` of a show before, which sounds on."""

    ready: ReadyShow
    entry: int


@dataclass(frozen=True)
class KeptSound:
    """Sound by hand ``sound`` of a show before, which rings on as ``rings_as``."""

    ready: ReadyShow
    sound: str
    rings_as: str


@dataclass(frozen=True)
class ChangedShow:
    """A show, ``own``, and what sounds on in it of shows before."""

    own: ReadyShow
    entries: tuple[KeptEntry, ...] = ()
    sounds: tuple[KeptSound, ...] = ()

    @cached_property
    def ready(self) -> ReadyShow:
        """The show with entries of shows before behind its own, with the levels that they have in it."""
        if not self.entries and not self.sounds:
            return self.own
        ready = self.own
        plan = with_kept(ready.plan, [k.ready.plan.entries[k.entry] for k in self.entries])
        before = [*(k.ready for k in self.entries), *(k.ready for k in self.sounds)]
        lengths = {text: length for one in before for text, length in one.plan.words.items()}
        words = {text: sound for one in before for text, sound in one.audio.words.items()}
        kept = plan.entries[len(ready.plan.entries) :]
        audio = tuple(_levelled(k, made, ready) for k, made in zip(self.entries, kept, strict=True))
        rings = {k.rings_as: replace(k.ready.plan.hand_sounds[k.sound], of=k.sound) for k in self.sounds}
        ringing = tuple(_renamed(k) for k in self.sounds)
        sounds = (*ready.audio.hand_sounds, *ringing)
        pads = {p.id: p for one in (*reversed(before), ready) for p in one.audio.pads}
        return ReadyShow(
            ready.show,
            replace(plan, words=lengths | dict(ready.plan.words), hand_sounds={**ready.plan.hand_sounds, **rings}),
            ShowAudio((*ready.audio.entries, *audio), words | dict(ready.audio.words), sounds, tuple(pads.values())),
        )

    def entry(self, index: int) -> KeptEntry:
        """Where an entry of it comes from."""
        own = len(self.own.plan.entries)
        return KeptEntry(self.own, index) if index < own else self.entries[index - own]


@dataclass(frozen=True)
class Change:
    """A show in the place of another: ``show`` and ``state`` to go on with.

    ``sounding``: the entries of the show before that sound on, with their place; ``renamed``: its sounds by hand that
    ring on, with the name they have.
    """

    show: ChangedShow
    state: State
    sounding: Mapping[int, int]
    renamed: Mapping[str, str]

    def renderer(self, before: Renderer) -> Renderer:
        """The renderer to go on with."""
        made = self.show.ready.renderer()
        made.set_taps(before.taps)
        columns = {f"sound:{was}": f"sound:{rings_as}" for was, rings_as in self.renamed.items()}
        made.go_on_from(before, self.sounding, columns)
        return made


def gone_on(before: ChangedShow, state: State, now: ReadyShow, mark: str) -> Change:
    """The show ``now`` in the place of another. ``mark``: tells what rings on of the show before from all else."""
    used = sounding(state)
    kept = {k.rings_as: k for k in before.sounds}
    renamed = {i: f"{i}~{mark}" for i in sounds_on(state, before.ready, now) if i not in kept}
    sounds = [k for i, k in kept.items() if any(s.sound == i for s in state.shots)]
    sounds += [KeptSound(before.own, was, rings_as) for was, rings_as in renamed.items()]
    show = ChangedShow(now, tuple(before.entry(e) for e in used), tuple(sounds))
    changed = taken_in(
        before.ready.plan,
        show.ready.plan,
        state,
        relevelled=relevelled(before.own.show, now.show),
        renamed_sounds=renamed,
    )
    first = len(now.plan.entries)
    return Change(show, changed, {e: first + i for i, e in enumerate(used)}, renamed)


def _levelled(kept: KeptEntry, plan: EntryPlan, ready: ReadyShow) -> EntryAudio:
    """The sound of an entry that was kept, with the levels of its plan."""
    audio = kept.ready.audio.entries[kept.entry]
    stems = tuple(replace(s, stem=own) for s, own in zip(audio.stems, plan.song.stems, strict=True))
    own = {s.id: s for s in plan.song.stems}
    driven = tuple(replace(s, stem=own[s.stem.id]) for s in audio.driven)
    click = audio.click_gain if plan.of is None else ready.audio.entries[plan.of].click_gain
    return replace(audio, stems=stems, driven=driven, click_gain=click)


def _renamed(kept: KeptSound) -> tuple[HandSound, np.ndarray]:
    sound, pcm = next(one for one in kept.ready.audio.hand_sounds if one[0].id == kept.sound)
    return replace(sound, id=kept.rings_as), pcm


def _pcm(ready: ReadyShow, sound: str) -> np.ndarray | None:
    return next((pcm for s, pcm in ready.audio.hand_sounds if s.id == sound), None)


def sounds_on(state: State, before: ReadyShow, ready: ReadyShow) -> tuple[str, ...]:
    """The sounds by hand (by id) that ring in a state and are others in a changed show, or not in it."""
    ids = sorted({s.sound for s in state.shots})
    return tuple(i for i in ids if not _same(_pcm(before, i), _pcm(ready, i)))


def _same(before: np.ndarray | None, now: np.ndarray | None) -> bool:
    return before is not None and now is not None and np.array_equal(before, now)


def relevelled(before: Show, now: Show) -> frozenset[str]:
    """The parts (``upbeat.play.hand``) whose prepared level is another one."""
    stems = {f"stem:{s.id}": s.gain_db for song in before.songs.values() for s in song.stems}
    feeds = {f"feed:{f.id}": f.gain_db for f in before.routing.feeds}
    was = stems | feeds
    changed = {f"stem:{s.id}" for g in now.songs.values() for s in g.stems if was.get(f"stem:{s.id}") != s.gain_db}
    return frozenset(changed | {f"feed:{f.id}" for f in now.routing.feeds if was.get(f"feed:{f.id}") != f.gain_db})
