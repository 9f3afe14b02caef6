"""What hands need to know of the night, read from what the engine publishes, and what they make of it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

from upbeat.controls.bindings import (
    STEM_SWITCHES,
    Act,
    BankDoes,
    Does,
    FirstOf,
    LevelDoes,
    PageDoes,
    PressDoes,
    SectionDoes,
)
from upbeat.play.hand import AUDIBLE


class Now(NamedTuple):
    """``entries`` in tonight's order; ``sections``: of each step of the entry, in order; ``step``: the present one, and
    ``following`` the one that comes, ``asked`` by a press.

    ``through``: what can be set by hand of what a stem goes through. ``levels``: decibels by hand of each part that has one,
    None for off; ``out``: parts that are out, ``resting``: stems that would be out without hands. ``moving``: a song plays or is
    counted in.
    ``unavailable``: presses that cannot be taken. ``on``: presses whose effect stands: the house is pulled, a vamp turns.
    """

    song: str = ""
    entry: int | None = None
    moving: bool = False
    sections: tuple[str, ...] = ()
    step: int | None = None
    following: int | None = None
    asked: bool = False
    entries: tuple[int, ...] = ()
    next_entry: int | None = None
    palette: tuple[str, ...] = ()
    sounds: tuple[str, ...] = ()
    ringing: frozenset[str] = frozenset()
    stems: tuple[str, ...] = ()
    through: Mapping[str, Sequence[str]] = {}
    levels: Mapping[str, float | None] = {}
    out: frozenset[str] = frozenset()
    resting: frozenset[str] = frozenset()
    unavailable: frozenset[str] = frozenset()
    on: frozenset[str] = frozenset()


def now_of(state: Mapping[str, Any] | None, described: Mapping[str, Any] | None) -> Now:
    """What a published state (``playout.snapshot``) and a description (``upbeat.show.describe``) say; empty without a show."""
    if not state or not described or state.get("show") is None or "position" not in state:
        return Now()
    entries, tonight = described["entries"], state["tonight"]
    entry = entries[min(_entry_of(state), len(entries) - 1)] if entries else None
    if entry is None:
        return Now()
    moving = state["status"] in ("playing", "count_in")
    step, coming = state["position"]["step"], state["coming"]
    sounds = [s for s in described["hand_sounds"] if s["song"] in (None, entry["song"])]
    return Now(
        song=entry["song"],
        entry=tonight["now"],
        moving=moving,
        sections=tuple(s["section"] for s in entry["steps"]),
        step=step if moving else None,
        following=coming["step"] if coming else None,
        asked=bool(coming and coming["asked"]),
        entries=tuple(tonight["order"]),
        next_entry=tonight["following"],
        palette=tuple(described["palette"]),
        sounds=tuple(s["id"] for s in sorted(sounds, key=lambda s: s["song"] is None)),
        ringing=frozenset(state["ringing"]),
        stems=tuple(s["id"] for s in entry["stems"]),
        through={s["id"]: s["through"] for s in entry["stems"]},
        levels={p["part"]: p["db"] for p in state["parts"]},
        out=frozenset(p["part"] for p in state["parts"] if p["on"] is False)
        | {f"stem:{s['id']}" for s in state["stems"] if s["standing"] not in AUDIBLE},
        resting=frozenset(f"stem:{s['id']}" for s in state["stems"] if s["prepared"] not in AUDIBLE),
        unavailable=frozenset(state["unavailable"]),
        on=frozenset(_standing(state, entry, step)),
    )


def _entry_of(state: Mapping[str, Any]) -> int:
    """The entry whose sections are under the hand: the one that is heard, or stands by."""
    return int(state["entry"] if state["status"] in ("standby", "finished") else state["position"]["entry"])


def _standing(state: Mapping[str, Any], entry: Mapping[str, Any], step: int) -> list[str]:
    standing = ["pull_house"] if state["house_pulled"] else []
    standing += ["fallback"] if state["fallback"] else []
    standing += ["tones_off"] if state["tones_off"] else []
    standing += ["rehearse"] if state["tonight"]["rehearsal"] else []
    tonights = {e["step"]: e["kind"] for e in state["tonight"]["endings"] if e["entry"] == state["position"]["entry"]}
    prepared = entry["steps"][step]["ending"]["kind"] if step < len(entry["steps"]) else ""
    return [*standing, "vamp"] if tonights.get(step, prepared) == "vamp" else standing


def act_of(does: Does | None, now: Now, binding: str) -> Act | None:
    """What a control that is pressed makes now; None for nothing: an empty place, a section that the song has no more."""
    match does:
        case PressDoes(press=press, args=args):
            return Act(press, dict(args), binding)
        case FirstOf(presses=presses):
            found = next((p for p in presses if _changes(p, now)), presses[-1])
            return act_of(found, now, binding)
        case BankDoes():
            made = _of_bank(does, now)
            return None if made is None else Act(*made, binding)
        case SectionDoes(section=section, when=when):
            step = next_of_section(now, section)
            return None if step is None else Act("go_to", {"step": step, "when": when}, binding)
        case PageDoes():
            return Act("", {}, binding, does)
    return None


def _changes(does: PressDoes, now: Now) -> bool:
    """Whether a press can be taken, and its effect does not stand already."""
    return does.press not in now.unavailable and (does.press not in now.on or does.args.get("on") is False)


def next_of_section(now: Now, section: str) -> int | None:
    """The step that plays a section next, round and round; None where the song has it not."""
    steps = [i for i, s in enumerate(now.sections) if s == section]
    here = -1 if now.step is None else now.step
    return next((i for i in steps if i > here), steps[0] if steps else None)


def part_of(does: Does, now: Now) -> str | None:
    """The part whose level a fader sets; None for a place that has none."""
    match does:
        case LevelDoes(part=part):
            return part
        case BankDoes(bank="stems", place=place, of=of) if place < len(now.stems):
            stem = now.stems[place]
            if of in ("level", "in_out"):
                return f"stem:{stem}"
            return f"{of}:stem:{stem}" if of in now.through.get(stem, ()) else None
    return None


def is_in(does: Does, now: Now) -> bool:
    """Whether what a control brings in and takes out is in."""
    part = part_of(does, now)
    return part is not None and part not in now.out


def _of_bank(does: BankDoes, now: Now) -> tuple[str, dict[str, Any]] | None:
    match does.bank:
        case "sections":
            found = _place(range(len(now.sections)), does.place)
            return None if found is None else ("go_to", {"step": found, "when": does.when})
        case "songs":
            found = _place(now.entries, does.place)
            return None if found is None else ("play_after" if now.moving else "stand_by", {"entry": found})
        case "palette":
            word = _place(now.palette, does.place)
            return None if word is None else ("say", {"word": word})
        case "sounds":
            sound = _place(now.sounds, does.place)
            return None if sound is None else ("fire", {"sound": sound})
        case "stems":
            return _in_or_out(does, now)
    return None


def _in_or_out(does: BankDoes, now: Now) -> tuple[str, dict[str, Any]] | None:
    """What turns a part over: a stem with the next bar, a gate or a drive at once; as prepared where that does it."""
    part = part_of(does, now)
    if part is None or does.of not in STEM_SWITCHES:
        return None
    comes = part in now.out
    as_prepared = comes is not (part in now.resting)
    return "in_out", {
        "part": part,
        **({} if as_prepared else {"on": comes}),
        "when": "next_bar" if does.of == "in_out" else "at_once",
    }


def _place(bank: Sequence[Any], place: int) -> Any:
    return bank[place] if place < len(bank) else None
