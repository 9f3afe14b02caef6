"""Which signals are meant (rule K3): bounces, holds, long presses, thresholds, and faders that are met."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from upbeat.controls.bindings import FINE, Act, Binding, LevelDoes, Now, act_of, active
from upbeat.controls.faders import level_at, place_of
from upbeat.controls.signals import BENDS, Control, Signal
from upbeat.limits import BOUNCE_MS, HOLD_MS

STEP_DB = 0.5  # of a knob that counts steps
NEAR = 1 / 64  # so near a fader has met a level
_DOWN = 64  # of a controller: from here on it is pressed
_FULL = 127


@dataclass
class _Switch:
    """A control that is pressed: when it went down, when anything last came of it, since when it is up again."""

    down: bool = False
    since: float = 0.0
    last: float = float("-inf")
    up: float | None = None
    fired: bool = False
    value: int = 0


@dataclass
class _Fader:
    """``place``: where it is, 0 to 1; ``given``: where it was when it last set its level, None before it has met one."""

    place: float | None = None
    given: float | None = None
    high: int = 0
    low: int = 0


class Guards:
    """Turns signals into the presses that are meant. Times are in ms of one clock that never goes back."""

    def __init__(self, bindings: Iterable[Binding] = ()):
        self._bindings = tuple(bindings)
        self._song: str | None = None
        self._active: dict[Control, Binding] = {}
        self._switches: dict[Control, _Switch] = {}
        self._faders: dict[Control, _Fader] = {}

    def bind(self, bindings: Iterable[Binding]) -> None:
        """Other bindings from now on; what is held goes on being held by nobody."""
        self._bindings, self._song = tuple(bindings), None
        self._switches.clear()

    def lost(self, port: str) -> None:
        """A port is gone: nothing of it is held any more, and its faders have to meet their levels again."""
        self._switches = {c: s for c, s in self._switches.items() if c.port != port}
        self._faders = {c: f for c, f in self._faders.items() if c.port != port}

    def hit(self, signal: Signal, at: float, now: Now) -> list[Act]:
        """What a signal does at once."""
        done = self.due(at, now)
        binding = self._of(signal.control, now)
        if binding is None:
            return done
        if isinstance(binding.does, LevelDoes):
            act = self._level(binding, binding.does.part, signal, now)
        else:
            act = self._edge(binding, signal, at, now)
        return [*done, act] if act is not None else done

    def due(self, at: float, now: Now) -> list[Act]:
        """What has been held, or let go, for long enough by now."""
        acts = (self._looked(control, switch, at, now) for control, switch in self._switches.items())
        return [act for act in acts if act is not None]

    def _of(self, control: Control, now: Now) -> Binding | None:
        if now.song != self._song:
            self._song, self._active = now.song, active(self._bindings, now.song)
        return self._active.get(control)

    # --- switches ---

    def _edge(self, binding: Binding, signal: Signal, at: float, now: Now) -> Act | None:
        switch = self._switches.setdefault(signal.control, _Switch())
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
        switch.down, switch.since, switch.up, switch.fired = True, at, None, False
        if signal.control.kind == "program":
            switch.up = at  # nothing tells that it is let go
        if binding.is_held or binding.long is not None:
            return None
        switch.fired = True
        assert not isinstance(binding.does, LevelDoes)
        return act_of(binding.does, now, binding.id)

    def _looked(self, control: Control, switch: _Switch, at: float, now: Now) -> Act | None:
        """What a switch does because time has passed."""
        binding = self._of(control, now)
        if not switch.down or binding is None or isinstance(binding.does, LevelDoes):
            return None
        until = at if switch.up is None else switch.up
        held = until - switch.since >= HOLD_MS
        over = switch.up is not None and at - switch.up >= BOUNCE_MS
        switch.down = not over
        if switch.fired or not (held or over):
            return None
        if held:
            switch.fired = True
            return act_of(binding.long or binding.does, now, binding.id)
        if binding.long is None:
            return None  # let go too soon
        switch.fired = True
        return act_of(binding.does, now, binding.id)

    # --- levels ---

    def _level(self, binding: Binding, part: str, signal: Signal, now: Now) -> Act | None:
        if binding.encoding in ("signed", "offset"):
            by = STEP_DB * _steps(signal.value, binding.encoding)
            return Act("level", {"part": part, "by": by}, binding.id) if by else None
        fader = self._faders.setdefault(binding.control, _Fader())
        place, before = _place(binding, signal, fader), fader.place
        fader.place = place
        present = place_of(now.levels.get(part, 0.0))
        if not _met(fader, before, place, present):
            fader.given = None
            return None
        fader.given = place
        db = level_at(place)
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
    """Whether a fader has the level in its hand: it set it last, is near it, or has just passed it."""
    if fader.given is not None and abs(fader.given - present) <= NEAR:
        return True
    if abs(place - present) <= NEAR:
        return True
    return before is not None and (before - present) * (place - present) <= 0
