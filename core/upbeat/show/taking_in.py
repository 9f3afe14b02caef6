"""A changed show made ready to take the place of the loaded one (rule P8), with what sounds of that."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

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


def with_what_sounds(
    ready: ReadyShow, entries: Sequence[KeptEntry], sounds: Sequence[KeptSound] = ()
) -> ReadyShow:
    """A changed show with entries of shows before behind its own, with the levels that they have in it."""
    plan = with_kept(ready.plan, [k.ready.plan.entries[k.entry] for k in entries])
    before = [k.ready for k in (*entries, *sounds)]
    words = {text: length for one in before for text, length in one.plan.words.items()}
    spoken = {text: sound for one in before for text, sound in one.audio.words.items()}
    own = len(ready.plan.entries)
    audio = tuple(_levelled(k, made, ready) for k, made in zip(entries, plan.entries[own:], strict=True))
    ringing = tuple((_renamed(k), _pcm(k.ready, k.sound)) for k in sounds)
    rings = {k.rings_as: replace(k.ready.plan.hand_sounds[k.sound], of=k.sound) for k in sounds}
    return ReadyShow(
        ready.show,
        replace(
            plan, words={**words, **ready.plan.words}, hand_sounds={**ready.plan.hand_sounds, **rings}
        ),
        ShowAudio(
            (*ready.audio.entries, *audio), {**spoken, **ready.audio.words}, (*ready.audio.hand_sounds, *ringing)
        ),
    )


def _levelled(kept: KeptEntry, plan: EntryPlan, ready: ReadyShow) -> EntryAudio:
    audio = kept.ready.audio.entries[kept.entry]
    stems = tuple(replace(s, stem=own) for s, own in zip(audio.stems, plan.song.stems, strict=True))
    click = audio.click_gain if plan.of is None else ready.audio.entries[plan.of].click_gain
    return replace(audio, stems=stems, click_gain=click)


def _renamed(kept: KeptSound) -> HandSound:
    sound = next(s for s, _ in kept.ready.audio.hand_sounds if s.id == kept.sound)
    return replace(sound, id=kept.rings_as)


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


def gone_on(
    before: ReadyShow, renderer: Renderer, state: State, ready: ReadyShow, sounds: Sequence[KeptSound] = ()
) -> tuple[State, Renderer]:
    """State and renderer of ``ready``, which :func:`with_what_sounds` made of what sounds in ``state``, to go on with."""
    used = sounding(state)
    first = len(ready.plan.entries) - len(used)
    made = ready.renderer()
    made.set_taps(renderer.taps)
    # What rang under its other name before keeps it.
    names = {k.sound: k.rings_as for k in sounds if k.rings_as not in before.plan.hand_sounds}
    columns = {f"sound:{was}": f"sound:{rings_as}" for was, rings_as in names.items()}
    made.go_on_from(renderer, {e: first + i for i, e in enumerate(used)}, columns)
    changed = taken_in(
        before.plan,
        ready.plan,
        state,
        relevelled=relevelled(before.show, ready.show),
        renamed_sounds=names,
    )
    return changed, made
