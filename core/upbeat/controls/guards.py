"""Which signals are meant (rule K3): bounces, holds, long presses, thresholds, and faders that are met."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field

from upbeat.controls.bindings import FINE, Act, Binding, Does, PageDoes, active, pages_of
from upbeat.controls.faders import level_at, place_of
from upbeat.controls.night import Now, act_of, part_of
from upbeat.controls.signals import BENDS, Control, Signal
from upbeat.limits import BOUNCE_MS, HOLD_MS
from upbeat.play.hand import scale_of

STEP_DB = 0.5  # of a knob that counts steps
STEP_PERCENT = 2.0  # of a sweep
NEAR = 1 / 64  # so near a fader has met a level
LATELY_MS = 2000  # so long a level that a fader has set may take until it is told
UNKNOWN_MS = 500  # so long nothing may be known of a port; what was pressed there then counts no more
_DOWN = 64  # of a controller: from here on it is pressed
_FULL = 127


@dataclass
class _Switch:
    """A control that is pressed: what it did when it went down, when anything last came of it, since when it is up again."""

    binding: Binding
    down: bool = False
    since: float = 0.0
    last: float = float("-inf")
    up: float | None = None
    fired: bool = False
    value: int = 0

    @property
    def waits(self) -> bool:
        """Whether time may make something of it."""
        return self.down and (not self.fired or self.up is not None)


@dataclass
class _Fader:
    """``place``: where it is, 0 to 1; ``given``: when and where it has set its level lately; none before it has met one."""

    place: float | None = None
    given: list[tuple[float, float]] = field(default_factory=list)
    high: int = 0
    low: int = 0


def _all(port: str) -> float:
    """Nothing of any port is still on its way."""
    return float("inf")


class Guards:
    """Turns signals into the presses that are meant. Times are in ms of one clock that never goes back.

    ``known``: until when all that came to a port has been told, by its name. Where that is held up nothing counts as held on,
    and what still waits for its time is never done late.
    """

    def __init__(self, bindings: Iterable[Binding] = (), known: Callable[[str], float] = _all):
        self._known = known
        self._bindings = tuple(bindings)
        self._song: str | None = None
        self._pages: dict[str, int] = {}
        self._active: dict[Control, Binding] = {}
        self._switches: dict[Control, _Switch] = {}
        self._watched: dict[Control, _Switch] = {}  # those of which time may make something
        self._faders: dict[Control, _Fader] = {}

    def bind(self, bindings: Iterable[Binding]) -> None:
        """Other bindings from now on; what is held goes on being held by nobody."""
        self._bindings, self._song = tuple(bindings), None
        most = pages_of(self._bindings)
        self._pages = {port: page for port, page in self._pages.items() if page <= most.get(port, 1)}
        self._switches.clear()
        self._watched.clear()

    def lost(self, port: str) -> None:
        """A port is gone: nothing of it is held any more, and its faders have to meet their levels again."""
        self._switches = {c: s for c, s in self._switches.items() if c.port != port}
        self._watched = {c: s for c, s in self._watched.items() if c.port != port}
        self._faders = {c: f for c, f in self._faders.items() if c.port != port}

    @property
    def pages(self) -> Mapping[str, int]:
        """The page of pads that each port shows, where it is not the first."""
        return self._pages

    def binding_of(self, control: Control, now: Now) -> Binding | None:
        """What a control does now; None for nothing."""
        return self.active(now).get(control)

    def active(self, now: Now) -> Mapping[Control, Binding]:
        """What every control does now."""
        if now.song != self._song:
            self._song, self._active = now.song, active(self._bindings, now.song, self._pages)
        return self._active

    def hit(self, signal: Signal, at: float, now: Now) -> list[Act]:
        """What a signal does at once."""
        done = self.due(at, now)
        binding = self.binding_of(signal.control, now)
        if binding is None:
            held = self._switches.get(signal.control)
            if held is None or _is_down(signal) is not held.binding.opens:
                return done
            binding = held.binding  # that it is let go still counts
        act = self._level(binding, signal, at, now) if binding.sets_level else self._edge(binding, signal, at, now)
        return [*done, act] if act is not None else done

    def due(self, at: float, now: Now) -> list[Act]:
        """What has been held, or let go, for long enough by now."""
        acts = []
        for control, switch in self._watched.items():
            known = min(at, self._known(control.port))
            if at - known > UNKNOWN_MS:
                switch.down = False
            acts.append(self._looked(switch, known, now))
        self._watched = {c: s for c, s in self._watched.items() if s.waits}
        return [act for act in acts if act is not None]

    @property
    def waits(self) -> bool:
        """Whether something is down, so that time may make a press of it."""
        return bool(self._watched)

    def _acted(self, binding: Binding, does: Does | None, now: Now) -> Act | None:
        act = act_of(does, now, binding.id)
        if act is not None and act.page is not None:
            self._turn(binding.control.port, act.page)
        return act

    def _turn(self, port: str, page: PageDoes) -> None:
        pages = pages_of(self._bindings).get(port, 1)
        wanted = page.to if page.to is not None else (self._pages.get(port, 1) - 1 + page.by) % pages + 1
        self._pages[port] = min(wanted, pages)
        self._song = None

    # --- switches ---

    def _edge(self, binding: Binding, signal: Signal, at: float, now: Now) -> Act | None:
        switch = self._watched[signal.control] = self._switches.setdefault(signal.control, _Switch(binding))
        before, switch.value = switch.value, signal.value
        down = _is_down(signal) is not binding.opens
        if down and signal.control.kind == "note" and signal.value < binding.threshold:
            return None
        if not down and not switch.down:
            return None
        bounced = at - switch.last < BOUNCE_MS
        switch.last = at
        if not down:
            switch.up = at if switch.up is None else switch.up
            return None
        if bounced:
            switch.up = None
            return None
        if switch.down and not _again(signal, before):
            return None
        switch.binding, switch.down, switch.since, switch.up, switch.fired = binding, True, at, None, False
        if signal.control.kind == "program":
            switch.up = at  # nothing tells that it is let go
        if binding.is_held or binding.long is not None:
            return None
        switch.fired = True
        return self._acted(binding, binding.does, now)

    def _looked(self, switch: _Switch, at: float, now: Now) -> Act | None:
        """What a switch does because time has passed."""
        binding = switch.binding
        if not switch.down:
            return None
        until = at if switch.up is None else switch.up
        held = until - switch.since >= HOLD_MS
        over = switch.up is not None and at - switch.up >= BOUNCE_MS
        switch.down = not over
        if switch.fired or not (held or over):
            return None
        if held:
            switch.fired = True
            return self._acted(binding, binding.long or binding.does, now)
        if binding.long is None:
            return None  # let go too soon
        switch.fired = True
        return self._acted(binding, binding.does, now)

    # --- levels ---

    def _level(self, binding: Binding, signal: Signal, at: float, now: Now) -> Act | None:
        part = part_of(binding.does, now)
        if part is None:
            return None
        if binding.encoding in ("signed", "offset"):
            step = STEP_PERCENT if scale_of(part) == "sweep" else STEP_DB
            by = step * _steps(signal.value, binding.encoding)
            return Act("level", {"part": part, "by": by}, binding.id) if by else None
        fader = self._faders.setdefault(binding.control, _Fader())
        place, before = _place(binding, signal, fader), fader.place
        fader.place = place
        present = place_of(now.levels.get(part, 0.0), scale_of(part))
        fader.given = [*(g for g in fader.given[:-1] if at - g[0] < LATELY_MS), *fader.given[-1:]]
        if not _met(fader, before, place, present):
            fader.given = []
            return None
        fader.given += [(at, place)] if fader.given else [(at, present), (at, place)]
        db = level_at(place, scale_of(part))
        return Act("level", {"part": part, **({"off": True} if db is None else {"db": db})}, binding.id)


def _is_down(signal: Signal) -> bool:
    return signal.value >= _DOWN if signal.control.kind in ("controller", "bend") else signal.down


def _again(signal: Signal, before: int) -> bool:
    """Whether what is down already is pressed once more: pads and buttons that never say that they are let go."""
    if signal.control.kind == "controller":
        return signal.value == before == _FULL
    return signal.control.kind in ("note", "program")


def _steps(value: int, encoding: str) -> int:
    if encoding == "offset":
        return value - 64
    return value if value < 64 else value - 128


def _place(binding: Binding, signal: Signal, fader: _Fader) -> float:
    """Where a fader is, 0 to 1."""
    if signal.control.kind == "bend":
        return signal.value / (BENDS - 1)
    if binding.encoding != "fine":
        return signal.value / _FULL
    if signal.control.number == binding.control.number + FINE:
        fader.low = signal.value
    else:
        fader.high, fader.low = signal.value, 0
    return (fader.high << 7 | fader.low) / (BENDS - 1)


def _met(fader: _Fader, before: float | None, place: float, present: float) -> bool:
    """Whether a fader has the level in its hand: it set it, is near it, or has just passed it.

    What it set last may not be told yet: then the level is one that it set lately, or the one that it met.
    """
    if any(abs(given - present) <= NEAR for _, given in fader.given):
        return True
    if abs(place - present) <= NEAR:
        return True
    return before is not None and (before - present) * (place - present) <= 0
