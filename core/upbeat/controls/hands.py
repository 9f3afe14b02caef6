"""The hands of a band, as they are kept and sent: every binding and every rule of lights, checked."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any

import msgspec

from upbeat.arguments import parsed
from upbeat.controls.bindings import Binding, Does, FirstOf, PressDoes, clashes
from upbeat.controls.lights import LightRule
from upbeat.errors import refuse
from upbeat.limits import BINDINGS
from upbeat.play.presses import PRESSES

FORMAT = "upbeat-hands/1"


class Hands(msgspec.Struct, frozen=True, kw_only=True):
    """``format``: of the file that they are exported to."""

    format: str = FORMAT
    bindings: Annotated[tuple[Binding, ...], msgspec.Meta(max_length=int(BINDINGS.high))] = ()
    lights: Annotated[tuple[LightRule, ...], msgspec.Meta(max_length=64)] = ()

    def rule_of(self, port: str) -> LightRule:
        """How the lights of a port are set."""
        return next((rule for rule in self.lights if rule.port == port), LightRule(port=port))


def read_hands(document: Mapping[str, Any]) -> Hands:
    """Hands from plain data. Raises :class:`Refused`: unknown fields, presses or arguments, or a control twice."""
    if document.get("format", FORMAT) != FORMAT:
        raise refuse("format-unknown", f"This file is not of the format {FORMAT}: export it from the page Hands.")
    hands = parsed(document, Hands, "The hands")
    for binding in hands.bindings:
        check_binding(binding)
    twice = clashes(hands.bindings)
    if twice:
        raise refuse("control-twice", f"{named(twice[0][0])} has two bindings in the same place: take one of them out.")
    return hands


def read_binding(document: Mapping[str, Any]) -> Binding:
    """A binding from plain data. Raises :class:`Refused`."""
    binding = parsed(document, Binding, "The binding")
    check_binding(binding)
    return binding


def check_binding(binding: Binding) -> None:
    """Raises :class:`Refused` for presses or arguments that there are not, and for pads that would set a level."""
    for press in (*_presses(binding.does), *_presses(binding.long)):
        known = PRESSES.get(press.press)
        if known is None:
            raise refuse("press-unknown", f"There is no press called “{press.press}”.")
        parsed(press.args, known.arguments, f"The press “{press.press}”")
    kind = binding.control.kind
    if binding.sets_level and kind not in ("controller", "bend"):
        raise refuse(
            "control-kind", f"{named(binding)} is no fader: a level needs a fader, a knob or a pedal that slides."
        )
    if binding.encoding != "absolute" and kind != "controller":
        raise refuse("encoding-unknown", f"{named(binding)} sends no controller: it has no other way to count.")
    if binding.encoding == "fine" and binding.control.number >= 32:
        raise refuse("encoding-unknown", f"{named(binding)} has no second part: only controllers 0 to 31 come in two.")


def named(binding: Binding) -> str:
    """A control in words."""
    control = binding.control
    if control.kind == "key":
        return f"The key {control.key} of {control.port}"
    number = "" if control.kind == "bend" else f" {control.number}"
    words = {"note": "Note", "controller": "Controller", "program": "Program", "bend": "The bend"}
    return f"{words[control.kind]}{number} of {control.port}"


def as_data(hands: Hands) -> dict[str, Any]:
    """Hands as plain data, as :func:`read_hands` reads them."""
    data: dict[str, Any] = msgspec.to_builtins(hands)
    return data


def _presses(does: Does | None) -> tuple[PressDoes, ...]:
    if isinstance(does, FirstOf):
        return does.presses
    return (does,) if isinstance(does, PressDoes) else ()
