"""The hands of a band, as they are kept and sent: every binding and every rule of lights, checked."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
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


def bound(hands: Hands, binding: Binding, *, take_over: bool = False) -> Hands:
    """Hands with a binding, in place of the one with its id. ``take_over``: what the control did goes.

    Raises :class:`Refused` with ``control-taken`` where it does something else already, ``bindings-many`` for too many.
    """
    check_binding(binding)
    others = [b for b in hands.bindings if b.id != binding.id]
    in_the_way = {b.id for b in others if clashes([b, binding])}
    if in_the_way and not take_over:
        raise refuse("control-taken", f"{named(binding)} does something already: take it over, or leave it as it is.")
    kept = [b for b in others if b.id not in in_the_way]
    return _sized(msgspec.structs.replace(hands, bindings=(*kept, binding)))


def unbound(hands: Hands, binding: str) -> Hands:
    """Hands without a binding. Raises :class:`Refused` where there is none of this id."""
    kept = tuple(b for b in hands.bindings if b.id != binding)
    if len(kept) == len(hands.bindings):
        raise refuse("binding-unknown", "That binding is gone: look at the page as it is now.")
    return msgspec.structs.replace(hands, bindings=kept)


def with_all(hands: Hands, bindings: Sequence[Binding]) -> Hands:
    """Hands with many bindings, each in place of what its control did there."""
    for binding in bindings:
        hands = bound(hands, binding, take_over=True)
    return hands


def lit(hands: Hands, rule: LightRule) -> Hands:
    """Hands with a rule for the lights of a port, in place of the one it has."""
    return msgspec.structs.replace(hands, lights=(*(r for r in hands.lights if r.port != rule.port), rule))


def renumbered(hands: Hands, new_id: Callable[[], str]) -> Hands:
    """Hands from a file, with ids of their own."""
    own = tuple(msgspec.structs.replace(b, id=new_id()) for b in hands.bindings)
    return msgspec.structs.replace(hands, bindings=own)


def _sized(hands: Hands) -> Hands:
    if len(hands.bindings) > BINDINGS.high:
        raise refuse("bindings-many", f"A band has at most {BINDINGS.high:g} bindings: take some out.")
    return hands


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
