"""A loaded show being played: the core's transport and renderer, span by span, and back again."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple, TypedDict, TypeVar

import msgspec
import numpy as np

from playout.commands import KeptOfShow
from playout.loading import Loaded
from upbeat.audio.file_pcm import FilePcm, SilentPcm
from upbeat.audio.stem_kernels import factored
from upbeat.mix.moment import Loudness, guide_peaks, stem_factors
from upbeat.mix.render import Renderer, Saved
from upbeat.mix.sounding import StemNow, stems_now
from upbeat.mix.sources.stems import StemPeaks
from upbeat.play.advance import Span, advance, passed, passed_alike
from upbeat.play.events import Event
from upbeat.play.hand import Hand
from upbeat.play.presses import Outcome, just_ended, press, reasons
from upbeat.play.state import State, When
from upbeat.play.view import Coming, coming, landings, run_at
from upbeat.show.left import ShorterForm, after_s, own_left_s, shorter_forms
from upbeat.show.taking_in import gone_on

METERED = 3000  # frames that a meter of click and cues looks at: no fewer than there are from state to state


T = TypeVar("T")


@dataclass(frozen=True)
class Point:
    """Where a session was: to be gone back to."""

    state: State
    sound: Saved


class ProblemDict(TypedDict):
    """Why a press cannot be taken."""

    code: str
    message: str


class Start(NamedTuple):
    """From where a renderer has a session: its state at output frame ``frame``, after ``applied`` entries of the log."""

    frame: int
    applied: int
    state: State


class Session:
    """One show from its beginning on. Its frames begin with it, at output frame ``origin``.

    ``start``: from where on this renderer has it; set by whoever puts it in its place.
    """

    def __init__(self, loaded: Loaded, origin: int, renderer: Renderer | None = None):
        assert loaded.show is not None
        ready = loaded.show.ready
        self.loaded, self.ready, self.origin = loaded, ready, origin
        self.generation, self.show, self.band = loaded.entry.generation, loaded.entry.show, loaded.entry.band
        self.state = State()
        self.start = Start(origin, 0, self.state)
        self.renderer = renderer or ready.renderer()
        self.renderer.meter_stems()
        self._places = [s.number - 1 for s in ready.show.routing.sockets]
        self._row_of = {f"socket:{s.number}": i for i, s in enumerate(ready.show.routing.sockets)}
        self._socket_taps: dict[str, int] = {}
        self._carrying = sorted({p.socket for p in ready.show.routing.patches})
        self._in_order = self._places == list(range(len(self._places)))
        self._channels = {f.id: f.channels for f in ready.show.routing.feeds}
        stems = [s for e in ready.audio.entries for s in e.stems]
        self._files = [(s.stem.name, s.pcm) for s in stems if isinstance(s.pcm, FilePcm | SilentPcm)]
        self._known: dict[Hashable, tuple[object, Any]] = {}
        self._loudness = Loudness()

    def taken_in(self, loaded: Loaded) -> Session:
        """This show, changed, at the same frame (rule P8): what sounds goes on in it."""
        assert self.loaded.show is not None
        assert loaded.show is not None
        before = self.loaded.entry
        change = gone_on(self.loaded.show, self.state, loaded.show.own, str(before.generation))
        show = change.show
        folders = {**self.loaded.folders, **loaded.folders}
        named = {id(ready): folder for folder, ready in folders.items()}
        kept = [KeptOfShow(folder=named[id(k.ready)], entry=k.entry) for k in show.entries]
        kept += [KeptOfShow(folder=named[id(k.ready)], sound=k.sound, rings_as=k.rings_as) for k in show.sounds]
        entry = msgspec.structs.replace(loaded.entry, kept=tuple(kept), night=before.night_file)
        used = {k.folder for k in kept} | {entry.folder}
        whole = Loaded(entry, show, {f: r for f, r in folders.items() if f in used})
        session = Session(whole, self.origin, change.renderer(self.renderer))
        session._socket_taps = {t: session._row_of[t] for t in self._socket_taps if t in session._row_of}
        session.state = change.state
        return session

    def render(self, frames: int) -> tuple[Span, np.ndarray]:
        """The next span and its sound, float32 (rows, frames). How loud its stems were is in the renderer."""
        self.state, span = advance(self.ready.plan, self.state, frames)
        rows = np.empty((self.renderer.rows, frames), dtype=np.float32)
        self.renderer.render(span, rows)
        return span, rows

    def press(self, name: str, args: Mapping[str, Any], heard: int) -> Outcome:
        """Apply a press at the next frame. ``heard``: the frame of the session that was audible then."""
        self.state, outcome = press(self.ready.plan, self.state, name, args, heard)
        return outcome

    def point(self) -> Point:
        return Point(self.state, self.renderer.saved())

    def back_to(self, point: Point) -> None:
        self.state = point.state
        self.renderer.restore(point.sound)

    def state_at(self, point: Point, frame: int, later: State | None = None) -> State:
        """The state at a frame of the session, worked out from a point before it.

        ``later``: the one at a frame after it, where no press lies between the two.
        """
        frames = frame - point.state.head
        if frames <= 0:
            return point.state
        between = None if later is None else passed_alike(point.state, later, frames)
        return passed(self.ready.plan, point.state, frames) if between is None else between

    def on_sockets(self, rows: np.ndarray) -> np.ndarray:
        """The sound of sockets 1 to the highest of the rig, float32 (sockets, frames), of what :meth:`render` gave."""
        if self._in_order:
            return rows[: len(self._places)]
        out = np.zeros((max(self._places) + 1, rows.shape[1]), dtype=np.float32)
        out[self._places] = rows[: len(self._places)]
        return out

    @property
    def taps(self) -> tuple[str, ...]:
        """What is listened to: feeds by their id, sockets as ``socket:3``."""
        return (*self.renderer.taps, *self._socket_taps)

    def set_taps(self, taps: Sequence[str]) -> None:
        """Choose what is listened to; what is not there is left out."""
        self._socket_taps = {t: self._row_of[t] for t in taps if t in self._row_of}
        self.renderer.set_taps(taps)

    def tapped(self, rows: np.ndarray) -> dict[str, np.ndarray]:
        """The sound of each tap, float32 (channels, frames), of what :meth:`render` gave."""
        found, row = {t: rows[at : at + 1] for t, at in self._socket_taps.items()}, len(self._places)
        for tap in self.renderer.taps:
            found[tap] = rows[row : row + self._channels[tap]]
            row += self._channels[tap]
        return found

    def known(self, make: Callable[[], T], key: object, what: Hashable) -> T:
        """What ``make`` gives, worked out anew where ``key`` is another one than the last time for ``what``."""
        last = self._known.get(what)
        if last is None or last[0] != key:
            last = self._known[what] = key, make()
        found: T = last[1]
        return found

    def choices(self, state: State) -> tuple[dict[str, ProblemDict], Coming | None]:
        """The presses that cannot be taken in a state, and what comes next in it; worked out when it changes."""
        key = state.music, state.hand, just_ended(self.ready.plan, state), state.line
        return self.known(lambda: self._choices(state), key, "choices")

    def _choices(self, state: State) -> tuple[dict[str, ProblemDict], Coming | None]:
        plan = self.ready.plan
        cannot = {name: ProblemDict(code=p.code, message=p.message) for name, p in reasons(plan, state).items()}
        return cannot, coming(plan, state)

    def landings(self, state: State) -> dict[When, int]:
        """For each *when*, the bar at which a jump asked for now would happen; worked out once in a bar."""
        plan, run = self.ready.plan, state.music.run
        if run is None:
            return {}
        entry = plan.entries[run.entry]
        key = state.music, entry.bar_at(run.src(state.head + entry.half) - 1)
        return self.known(lambda: landings(plan, state), key, "landings")

    def left_s(self, state: State) -> float:
        """Seconds until the show is over, if every go comes at once."""
        plan = self.ready.plan
        if not plan.entries or state.music.finished:
            return 0.0
        entry, own = own_left_s(plan, state)
        after = self.known(lambda: after_s(plan, state.music, entry), (state.music.tonight, entry), "after")
        return round(own + after, 1)

    def shorter(self, state: State) -> list[ShorterForm]:
        """The forms that would save time, worked out when the order or what has been played changes."""
        key = state.music.tonight, state.music.entry
        return self.known(lambda: shorter_forms(self.ready.plan, state.music), key, "shorter")

    def unreadable(self) -> list[str]:
        """Names of stems of which something could not be read, and was silent."""
        return sorted({name for name, pcm in self._files if pcm.broken})

    def unheard(self, outputs: int) -> list[int]:
        """Sockets that carry something and that a device of so many outputs does not have."""
        return [number for number in self._carrying if number > outputs]

    def read_ahead(self, entry: int) -> None:
        """Have the files of an entry and of the one after it brought into memory."""
        for audio in self.ready.audio.entries[entry : entry + 2]:
            for stem in audio.stems:
                if isinstance(stem.pcm, FilePcm):
                    stem.pcm.read_ahead()

    def peaks(
        self, state: State, heard: int, stems: Sequence[StemPeaks], events: Iterable[Event]
    ) -> tuple[list[float], list[float]]:
        """How loud every stem is at frame ``heard`` of the session, and click and cues; nothing where nothing plays.

        ``stems``: of the span that is heard; ``events``: of click and cues that sound.
        """
        audio, run = self.ready.audio, run_at(state.music, heard)
        if run is None:
            return [], [0.0, 0.0]
        factors = self.known(
            lambda: self._factors(run.entry, run.step, state.hand), (run.entry, run.step, state.hand), "factors"
        )
        here = [own.peaks for own in stems if own.entry == run.entry and own.start <= heard < own.end]
        loud = np.zeros(len(factors), np.float32) if not here else here[0] if len(here) == 1 else np.max(here, axis=0)
        guides = guide_peaks(audio, state.hand, events, self._loudness, heard, heard + METERED)
        return factored(loud, factors).tolist(), [round(p, 4) for p in guides]

    def _factors(self, entry: int, step: int, hand: Hand) -> np.ndarray:
        audio, away = self.ready.audio, self.ready.show.away
        return stem_factors(self.ready.plan, audio, away, hand, entry=entry, step=step)

    def stems_now(self, entry: int, step: int, hand: Hand) -> list[StemNow]:
        """What every stem of an entry does in a step."""
        plan = self.ready.plan
        return stems_now(plan.entries[entry], step, self.ready.show.away, hand) if plan.entries else []
