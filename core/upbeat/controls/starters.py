"""Bindings to begin with, for boxes of a usual shape: changed by the band as it likes."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal, get_args

from upbeat.controls.bindings import Bank, BankDoes, Binding, Does, FirstOf, LevelDoes, PageDoes, PressDoes
from upbeat.controls.signals import Control

StarterName = Literal["nine_pads", "four_pedals", "two_pedals", "two_keys", "eight_faders"]
STARTERS: tuple[StarterName, ...] = get_args(StarterName)

GO_ON = FirstOf((PressDoes("go"), PressDoes("resume")))
STEP_ON = FirstOf((PressDoes("go"), PressDoes("resume"), PressDoes("choose", {"by": 1})))
VAMP = FirstOf((PressDoes("release"), PressDoes("ending_tonight", {"ending": "vamp"})))
HOUSE = FirstOf((PressDoes("pull_house"), PressDoes("bring_back")))
STOP = PressDoes("stop")


def starter(name: StarterName, port: str, new_id: Callable[[], str]) -> tuple[Binding, ...]:
    """The bindings of a starter set on a port, each with an id of its own.

    With two pedals, or the two keys that page pedals send, the whole night can be played: the first goes, goes on and
    steps through the sections, held it stops; the second vamps and leaves the vamp, held it pulls the house.
    """
    made = {
        "nine_pads": _nine_pads,
        "four_pedals": _four_pedals,
        "two_pedals": lambda port, new_id: _two(_pedals(port)[0], _pedals(port)[1], new_id),
        "two_keys": lambda port, new_id: _two(_key(port, "PageDown"), _key(port, "PageUp"), new_id),
        "eight_faders": _eight_faders,
    }
    return made[name](port, new_id)


def _two(first: Control, second: Control, new_id: Callable[[], str]) -> tuple[Binding, ...]:
    return (
        Binding(id=new_id(), control=first, does=STEP_ON, long=STOP),
        Binding(id=new_id(), control=second, does=VAMP, long=HOUSE),
    )


def _nine_pads(port: str, new_id: Callable[[], str]) -> tuple[Binding, ...]:
    pads = [Control(port, "note", 10, 36 + i) for i in range(9)]
    first: list[Does] = [GO_ON, VAMP, HOUSE, *(BankDoes("sections", i) for i in range(4)), STOP]
    banks: tuple[Bank, ...] = ("sections", "songs")
    pages: dict[int, list[Does]] = {
        1: first,
        **{2 + i: [BankDoes(bank, place) for place in range(8)] for i, bank in enumerate(banks)},
    }
    own: list[Binding] = []
    for page, listed in pages.items():
        own += [Binding(id=new_id(), control=c, does=d, page=page) for c, d in zip(pads, listed, strict=False)]
    return (*own, Binding(id=new_id(), control=pads[8], does=PageDoes()))


def _four_pedals(port: str, new_id: Callable[[], str]) -> tuple[Binding, ...]:
    first, second, third, fourth = _pedals(port)
    return (
        Binding(id=new_id(), control=first, does=GO_ON, long=STOP),
        Binding(id=new_id(), control=second, does=PressDoes("choose", {"by": 1}), long=PressDoes("take_back")),
        Binding(id=new_id(), control=third, does=VAMP),
        Binding(id=new_id(), control=fourth, does=HOUSE),
    )


def _eight_faders(port: str, new_id: Callable[[], str]) -> tuple[Binding, ...]:
    levels: list[Does] = [*(BankDoes("stems", i) for i in range(6)), LevelDoes("click"), LevelDoes("cues")]
    return tuple(
        Binding(id=new_id(), control=Control(port, "controller", 1, 16 + i), does=does) for i, does in enumerate(levels)
    )


def _pedals(port: str) -> list[Control]:
    return [Control(port, "controller", 1, 80 + i) for i in range(4)]


def _key(port: str, key: str) -> Control:
    return Control(port, "key", key=key)
