"""What screens for the audience show with a song (rule B4): a film from a time on, stills by section or time."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal, get_args

import msgspec

from upbeat.arguments import parsed
from upbeat.errors import refuse
from upbeat.limits import NAME, SCREEN_AT_S, SCREEN_STILLS

#: What an entry shows: ``song``: its film where it has one, else its stills, else nothing.
Shows = Literal["song", "film", "stills", "words", "black"]
SHOWS: tuple[Shows, ...] = get_args(Shows)
_Id = Annotated[str, msgspec.Meta(min_length=1, max_length=64)]
_At = Annotated[float, msgspec.Meta(ge=SCREEN_AT_S.low, le=SCREEN_AT_S.high)]


class ShownFile(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """A film or a picture, by its content. ``type``: of the file (RFC 6838); ``fps`` and ``seconds``: of a film."""

    id: _Id
    name: Annotated[str, msgspec.Meta(max_length=NAME)] = ""
    type: Annotated[str, msgspec.Meta(max_length=40)] = ""
    fps: float = 0.0
    seconds: float = 0.0


class Film(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """``starts_s``: its first frame comes so many seconds after bar 1 of the song."""

    file: ShownFile
    starts_s: _At = 0.0


class Still(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """A picture from a ``section`` on, or from ``at_s`` seconds after bar 1; without a ``file`` the screen is black from there on."""

    file: ShownFile | None = None
    section: _Id | None = None
    at_s: _At | None = None


class Screen(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    film: Film | None = None
    stills: Annotated[tuple[Still, ...], msgspec.Meta(max_length=int(SCREEN_STILLS.high))] = ()


def read_screen(raw: Mapping[str, Any], title: str) -> Screen:
    """What a song shows, from plain data. Raises :class:`Refused`."""
    screen = parsed(raw, Screen, f"What “{title}” shows on screens")
    for still in screen.stills:
        if (still.section is None) == (still.at_s is None):
            raise refuse("still-place", f"A picture of “{title}” stands at a section or at a time: say which.")
    return screen


def shown_by(screen: Screen, shows: Shows) -> Literal["film", "stills", "words", "black"]:
    """What an entry of a song shows; black where the song has nothing of it."""
    if shows == "song":
        return "film" if screen.film else "stills" if screen.stills else "black"
    has = {"film": bool(screen.film), "stills": bool(screen.stills), "words": True, "black": True}
    return shows if has[shows] else "black"
