"""What the lights of pads and buttons show (rule K4), and the bytes that say so."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Literal, get_args

import msgspec

from upbeat.controls.bindings import BankDoes, Binding, Does, FirstOf, PageDoes, PressDoes, SectionDoes
from upbeat.controls.night import Now, act_of, is_in, next_of_section, part_of
from upbeat.controls.signals import Control
from upbeat.limits import NAME

Light = Literal["off", "ready", "playing", "next", "asked", "on"]
LIGHTS: tuple[Light, ...] = get_args(Light)
_Value = Annotated[int, msgspec.Meta(ge=0, le=127)]
_NOTE_ON, _CONTROLLER = 0x90, 0xB0
#: Presses whose effect stands until another press, by which a light shows that it does.
_STANDS = {
    "pull_house": "pull_house",
    "bring_back": "pull_house",
    "fallback": "fallback",
    "tones_off": "tones_off",
    "rehearse": "rehearse",
    "release": "vamp",
}


class LightRule(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """How a port's lights are set: by its notes or controllers, or in the way in which each control itself speaks.

    ``channel``: 1 to 16, None for the control's own. Values are velocities or controller values.
    """

    port: Annotated[str, msgspec.Meta(min_length=1, max_length=NAME)]
    by: Literal["same", "note", "controller"] = "same"
    channel: Annotated[int, msgspec.Meta(ge=1, le=16)] | None = None
    off: _Value = 0
    ready: _Value = 20
    playing: _Value = 127
    next: _Value = 64
    asked: _Value = 90
    on: _Value = 127

    def value(self, light: Light) -> int:
        """The value of a light."""
        return int(getattr(self, light))


def light_of(does: Does, now: Now) -> Light:
    """What the light of a control shows that does this."""
    match does:
        case BankDoes(bank="sections", place=place):
            return _of_step(place if place < len(now.sections) else None, now)
        case SectionDoes(section=section):
            playing = now.step is not None and now.sections[now.step : now.step + 1] == (section,)
            return "playing" if playing else _of_step(next_of_section(now, section), now)
        case BankDoes(bank="songs", place=place) if place < len(now.entries):
            return _of_entry(now.entries[place], now)
        case BankDoes(bank="sounds", place=place) if place < len(now.sounds):
            return "playing" if now.sounds[place] in now.ringing else _ready("fire", now)
        case BankDoes(bank="stems"):
            return "on" if is_in(does, now) else _ready("in_out", now) if part_of(does, now) else "off"
        case PressDoes():
            return _of_press(does, now)
        case FirstOf(presses=presses):
            shown = [_of_press(p, now) for p in presses]
            return next((s for s in shown if s not in ("off", "ready")), "ready" if "ready" in shown else "off")
        case PageDoes():
            return "ready"
    act = act_of(does, now, "")
    return "off" if act is None else _ready(act.press, now)


def lights(bindings: Mapping[Control, Binding], now: Now) -> dict[Control, Light]:
    """The light of every control that is a pad, button or pedal (``bindings``: what each does now)."""
    return {
        c: light_of(b.does, now)
        for c, b in bindings.items()
        if not b.sets_level and c.kind in ("note", "controller") and c == b.control
    }


def light_bytes(control: Control, light: Light, rule: LightRule) -> bytes:
    """The message that sets a light (MIDI 1.0: note on, or control change)."""
    by = control.kind if rule.by == "same" else rule.by
    status = _CONTROLLER if by == "controller" else _NOTE_ON
    return bytes((status | ((rule.channel or control.channel or 1) - 1), control.number, rule.value(light)))


def changed(before: Mapping[Control, Light], after: Mapping[Control, Light]) -> dict[Control, Light]:
    """The lights to be set anew; of a control that does nothing any more, off."""
    gone: dict[Control, Light] = {c: "off" for c in before if c not in after}
    return {**gone, **{c: light for c, light in after.items() if before.get(c) != light}}


def _ready(press: str, now: Now) -> Light:
    return "off" if press in now.unavailable or not now.song else "ready"


def _of_press(does: PressDoes, now: Now) -> Light:
    name = does.press
    if name == "ending_tonight":
        return "on" if does.args.get("ending") == "vamp" and "vamp" in now.on else _ready(name, now)
    if name in ("go", "resume", "begin_again") and now.moving:
        return "playing"
    if name == "go_to":
        step = does.args.get("step")
        return _of_step(step if isinstance(step, int) else None, now)
    if name == "fire" and does.args.get("sound") in now.ringing:
        return "playing"
    return "on" if _STANDS.get(name) in now.on else _ready(name, now)


def _of_step(step: int | None, now: Now) -> Light:
    if step is None or not 0 <= step < len(now.sections):
        return "off"
    if step == now.following:
        return "asked" if now.asked else "next"
    if step == now.step:
        return "playing"
    return _ready("go_to", now)


def _of_entry(entry: int, now: Now) -> Light:
    if entry == now.entry:
        return "playing" if now.moving else "on"
    return "next" if entry == now.next_entry and now.moving else _ready("play_after" if now.moving else "stand_by", now)
