"""What a person, or the phone of one, may do on the night (rule B3): each right includes those before it."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any, Literal, get_args

from upbeat.errors import Problem

Right = Literal["nothing", "own_mix", "sections", "everything"]
RIGHTS: tuple[Right, ...] = get_args(Right)
_MIX = {"level", "in_out"}
_SECTIONS = {"go_to", "choose", "once_more", "release", "take_back"}


def has(right: str, least: Right) -> bool:
    """Whether a right includes another one; what is no right of ours includes none."""
    return right in RIGHTS and RIGHTS.index(right) >= RIGHTS.index(least)


def may_press(right: str, press: str, args: Mapping[str, Any], own_parts: Collection[str]) -> Problem | None:
    """Why a press may not be made; None where it may. ``own_parts``: the feeds (``feed:ID``) that are the own mix."""
    if has(right, "everything"):
        return None
    if press in _SECTIONS and has(right, "sections"):
        return None
    part = args.get("part")
    if press in _MIX and has(right, "own_mix") and isinstance(part, str) and part in own_parts:
        return None
    return Problem("right-missing", "You may not do that on this stage: ask the director for the right to.")
