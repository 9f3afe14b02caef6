"""Sets of feeds to begin with."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, get_args

from upbeat.mix.routing import Feed, Send

#: ``stereo``: one house; ``rhythm_tonal``: beats and melody apart; ``groups``: one for each group; ``mixes``: that with a mix for each player.
StarterName = Literal["stereo", "rhythm_tonal", "groups", "mixes"]
STARTERS: tuple[StarterName, ...] = get_args(StarterName)
_MIX_DB = -6.0  # of the house in a player's mix, below click and cues
_HOUSES: dict[str, dict[str, tuple[str, ...]]] = {
    "stereo": {"House": ("rhythm", "tonal", "voices", "effects", "full_mix")},
    "rhythm_tonal": {"House rhythm": ("rhythm", "full_mix"), "House tonal": ("tonal", "voices", "effects")},
    "groups": {
        "Rhythm": ("rhythm",),
        "Tonal": ("tonal",),
        "Voices": ("voices",),
        "Effects": ("effects",),
        "Full mix": ("full_mix",),
    },
}


def starter_feeds(starter: StarterName, players: Sequence[tuple[str, str]] = ()) -> tuple[Feed, ...]:
    """The feeds of a set, each called by its name: the house, click and cues, and for ``mixes`` one for each player.

    ``players``: id and name. A mix has click, cues and the house, in mono.
    """
    houses = _HOUSES["rhythm_tonal" if starter == "mixes" else starter]
    feeds = [
        Feed(id=name, name=name, kind="house", sends=tuple(Send(f"group:{g}") for g in groups))
        for name, groups in houses.items()
    ]
    feeds += [
        Feed(id=name, name=name, kind="monitor", channels=1, sends=(Send(guide),))
        for name, guide in (("Click", "click"), ("Cues", "cues"))
    ]
    if starter != "mixes":
        return tuple(feeds)
    taken = (Send("feed:Click"), Send("feed:Cues"), *(Send(f"feed:{name}", _MIX_DB) for name in houses))
    mixes = [
        Feed(id=f"Mix {name}", name=f"Mix {name}", kind="monitor", channels=1, player=of, sends=taken)
        for of, name in players
    ]
    return (*feeds, *mixes)
