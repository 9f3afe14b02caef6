"""What a joined phone is shown of the show and of the night (rule B1): enough to play by, and nothing of others' shows."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, TypedDict

from upbeat.show.on_screen import EntryOnScreen


class BandStep(TypedDict):
    """A step of the form, with what its section says."""

    step: int
    section: str
    name: str
    mark: str
    colour: int
    first_bar: int
    bars: int
    meter: str
    ending: str
    words: str
    note: str


class BandChords(TypedDict):
    bar: int
    text: str


class BandEntry(TypedDict):
    """An entry; ``song`` and ``section`` of a step are the same in every show: what a phone keeps is kept by them."""

    song: str
    title: str
    key: str
    bpm: float
    unit: str
    steps: list[BandStep]
    screen: EntryOnScreen
    chords: list[BandChords]


class BandMix(TypedDict):
    """A mix that belongs to a player."""

    feed: str
    name: str
    player: str


class BandShow(TypedDict):
    """The loaded show, as a joined phone has it."""

    title: str
    entries: list[BandEntry]
    mixes: list[BandMix]


class BandComing(TypedDict):
    """What comes after the present step (``step`` None: the song ends), and the bar at which it does.

    ``turns``: the step goes round until the director lets it go.
    """

    step: int | None
    bar: int
    asked: bool
    turns: bool


class BandState(TypedDict):
    """Where the show is. ``at``: when the position was heard, in ms of the server's clock; ``beat_ms``: how long the beat is;
    ``song_s``: seconds of the song after its bar 1.

    ``following``: the entry after this one. ``mix``: dB by hand of each mix of a player that has one, None for off.
    """

    status: str
    at: float
    entry: int
    step: int
    round: int
    bar: int
    beat: int
    beats: int
    phase: float
    beat_ms: float
    counting: bool
    song_s: float
    coming: BandComing | None
    following: int | None
    house_pulled: bool
    mix: dict[str, float | None]


def show_for_band(described: Mapping[str, Any]) -> BandShow:
    """A show (``upbeat.show.describe``) as joined phones have it."""
    return BandShow(
        title=described["title"],
        entries=[_entry(e) for e in described["entries"]],
        mixes=[
            BandMix(feed=f["id"], name=f["name"], player=f["player"])
            for f in described["feeds"]
            if f["kind"] == "monitor" and f["player"]
        ],
    )


def state_for_band(state: Mapping[str, Any]) -> BandState:
    """A state of the engine with a show loaded (``playout.snapshot``) as joined phones have it."""
    position, coming = state["position"], state["coming"]
    still = state["status"] in ("standby", "finished")
    step = 0 if still else position["step"]
    return BandState(
        status=state["status"],
        at=round(1000 * state["heard_at"], 1),
        entry=state["entry"] if still else position["entry"],
        step=step,
        round=position["round"],
        bar=position["bar"],
        beat=position["beat"],
        beats=position["beats"],
        phase=round(position["phase"], 4),
        beat_ms=round(1000 * position["beat_s"], 1),
        counting=position["counting"],
        song_s=position["song_s"],
        coming=coming and _coming(coming, step),
        following=state["tonight"]["following"],
        house_pulled=state["house_pulled"],
        mix={p["part"]: p["db"] for p in state["parts"] if p["part"].startswith("feed:")},
    )


def moment_of(state: BandState) -> tuple[Any, ...]:
    """What phones have to be told of at once; the rest may wait for their next turn."""
    coming = state["coming"]
    return (
        state["status"], state["entry"], state["step"], state["counting"], state["house_pulled"],
        coming and tuple(coming.values()),
    )  # fmt: skip


def _coming(coming: Mapping[str, Any], step: int) -> BandComing:
    asked = coming["asked"] is not None
    return BandComing(step=coming["step"], bar=coming["bar"], asked=asked, turns=coming["step"] == step and not asked)


def _entry(entry: Mapping[str, Any]) -> BandEntry:
    return BandEntry(
        song=entry["song"],
        title=entry["title"],
        key=entry["key"],
        bpm=entry["bpm"],
        unit=entry["unit"],
        chords=[BandChords(bar=c["bar"], text=c["text"]) for c in entry["chords"]],
        steps=[
            BandStep(
                step=s["step"],
                section=s["section"],
                name=s["name"],
                mark=s["mark"],
                colour=s["colour"],
                first_bar=s["first_bar"],
                bars=s["bars"],
                meter=s["meter"],
                ending=s["ending"]["kind"],
                words=s["words"],
                note=s["note"],
            )
            for s in entry["steps"]
        ],
        screen=entry["screen"],
    )
